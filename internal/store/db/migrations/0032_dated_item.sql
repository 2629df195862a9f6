-- +goose Up
-- What is to happen by an instant, on one case: a cache of its record, as the table deadline is.
create table dated_item (
    case_id     bigint not null references support_case,
    opened      integer not null,
    name        text not null,
    kind        text not null check (kind in ('promise', 'ask', 'callback', 'follow-up', 'check-in', 'part',
        'part-return', 'visit', 'remote-session', 'consent', 'receipt', 'escalation', 'needed-by', 'closing')),
    owed        text not null check (owed in ('ours', 'theirs')),
    words       text not null,
    person_id   bigint references person,
    set_at      timestamptz not null,
    due_at      timestamptz not null,
    soon_at     timestamptz not null,
    ended_at    timestamptz,
    outcome     text not null check (outcome in ('live', 'met', 'missed', 'void', 'replaced')),
    follows     integer,
    start_entry integer not null,
    end_entry   integer not null,
    primary key (case_id, opened)
);
create index dated_item_live on dated_item (case_id) where outcome = 'live';
create index dated_item_person on dated_item (person_id);
