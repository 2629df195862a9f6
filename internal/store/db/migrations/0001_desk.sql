-- +goose Up
create table person (
    id            bigint generated always as identity primary key,
    name          text not null check (name <> ''),
    email         text not null check (position('@' in email) > 1),
    role          text not null check (role in ('handler', 'lead', 'auditor', 'administrator')),
    password_hash text not null,
    active        boolean not null default true,
    created_at    timestamptz not null
);
create unique index person_email on person (lower(email));

-- The session library's own table.
create table sessions (
    token  text primary key,
    data   bytea not null,
    expiry timestamptz not null
);
create index sessions_expiry on sessions (expiry);

create table token (
    id           bigint generated always as identity primary key,
    person_id    bigint not null references person,
    name         text not null check (name <> ''),
    hash         bytea not null unique,
    created_at   timestamptz not null,
    last_used_at timestamptz,
    revoked_at   timestamptz
);
create index token_person on token (person_id);

create table idempotency_key (
    person_id  bigint not null references person,
    route      text not null,
    key        text not null,
    body_hash  bytea not null,
    answer     jsonb,
    created_at timestamptz not null,
    primary key (person_id, route, key)
);
create index idempotency_key_created on idempotency_key (created_at);

-- Calendars and terms are versions: rows that are never changed, that cases point to.
create table calendar_version (
    id          bigint generated always as identity primary key,
    name        text not null,
    definition  jsonb not null,
    counts_from timestamptz not null,
    unique (name, counts_from)
);

create table vendor (
    id                bigint generated always as identity primary key,
    key               text not null unique,
    name              text not null,
    does              text not null,
    zone              text not null,
    hours_id          bigint not null references calendar_version,
    reference_prefix  text not null default '',
    created_at        timestamptz not null
);
create index vendor_hours on vendor (hours_id);

create table vendor_level (
    id              bigint generated always as identity primary key,
    vendor_id       bigint not null references vendor,
    rank            integer not null check (rank >= 1),
    label           text not null,
    meaning         text not null,
    round_the_clock boolean not null default false,
    unique (vendor_id, rank)
);
create table level_criterion (
    id       bigint generated always as identity primary key,
    level_id bigint not null references vendor_level,
    position integer not null,
    text     text not null,
    unique (level_id, position)
);
-- Each of our four severities points at exactly one of a vendor's levels.
create table severity_level (
    vendor_id bigint not null references vendor,
    severity  integer not null check (severity between 1 and 4),
    rank      integer not null,
    primary key (vendor_id, severity),
    foreign key (vendor_id, rank) references vendor_level (vendor_id, rank)
);
create index severity_level_rank on severity_level (vendor_id, rank);

create table contract (
    id        bigint generated always as identity primary key,
    vendor_id bigint not null references vendor,
    number    text not null,
    starts_on date not null,
    ends_on   date not null check (ends_on >= starts_on),
    unique (vendor_id, number)
);

-- Terms without a contract are our own desk policy.
create table terms (
    id          bigint generated always as identity primary key,
    contract_id bigint references contract,
    version     integer not null,
    on_change   text not null check (on_change in ('restart', 'keep', 'by-direction')),
    while_ours  text not null check (while_ours in ('pause', 'run')),
    made_at     timestamptz not null,
    unique nulls not distinct (contract_id, version)
);
create table term (
    terms_id    bigint not null references terms,
    deadline    text not null check (deadline in ('first-response', 'update', 'workaround', 'resolution', 'our-answer', 'verification')),
    rank        integer not null,
    target      text not null,
    calendar_id bigint not null references calendar_version,
    primary key (terms_id, deadline, rank)
);
create index term_calendar on term (calendar_id);
create table desk_policy (
    terms_id    bigint primary key references terms,
    desk_name   text not null,
    calendar_id bigint not null references calendar_version,
    quiet_1     text not null,
    quiet_2     text not null,
    quiet_3     text not null,
    quiet_4     text not null
);
create index desk_policy_calendar on desk_policy (calendar_id);

create table link (
    id            bigint generated always as identity primary key,
    vendor_id     bigint not null unique references vendor,
    kind          text not null check (kind in ('rest')),
    address       text not null,
    description   jsonb not null,
    cursor        text not null default '',
    looked_at     timestamptz,
    failing_since timestamptz,
    failures      integer not null default 0,
    problem       text not null default ''
);

create sequence case_number start 1001;
create table support_case (
    id                 bigint generated always as identity primary key,
    number             bigint not null unique,
    vendor_id          bigint not null references vendor,
    contract_id        bigint references contract,
    title              text not null check (title <> ''),
    kind               text not null,
    facts              jsonb not null,
    texts              jsonb not null,
    severity_chosen    integer check (severity_chosen between 1 and 4),
    severity_because   text not null default '',
    owner_id           bigint references person,
    opened_by          bigint not null references person,
    opened_at          timestamptz not null,
    terms_id           bigint references terms,
    policy_id          bigint references terms,
    vendor_word        text not null default '',
    vendor_word_at     timestamptz,
    vendor_level       text not null default '',
    vendor_closed_at   timestamptz,
    holder             text not null default '',
    parked_until       timestamptz,
    cause              text not null default '',
    outcome            text not null default '',
    -- From here on caches of the record, written in the same transaction as the entries they follow from.
    state              text not null check (state in ('draft', 'filed', 'open', 'fix-offered', 'resolved', 'closed', 'withdrawn')),
    severity           integer check (severity between 1 and 4),
    level_rank         integer,
    move               text check (move in ('ours', 'theirs')),
    move_since         timestamptz,
    parked             boolean not null default false,
    parked_agreed      boolean not null default false,
    workaround_offered boolean not null default false,
    filed_at           timestamptz,
    last_vendor_at     timestamptz,
    last_word_at       timestamptz,
    last_entry         integer not null default 0,
    read_entry         integer not null default 0,
    unread             integer not null default 0,
    unread_since       timestamptz,
    changed_at         timestamptz not null,
    version            bigint not null default 1,
    next_at            timestamptz,
    wake_at            timestamptz,
    check (next_at is not null or state not in ('filed', 'open', 'fix-offered'))
);
create index case_vendor on support_case (vendor_id, number);
create index case_contract on support_case (contract_id);
create index case_owner on support_case (owner_id, number);
create index case_opened_by on support_case (opened_by);
create index case_terms on support_case (terms_id);
create index case_policy on support_case (policy_id);
create index case_state on support_case (state, number);
create index case_severity on support_case (coalesce(severity, 9), number desc);
create index case_changed on support_case (changed_at, number);
create index case_live on support_case (number) where state in ('filed', 'open', 'fix-offered');
create index case_wake on support_case (wake_at) where wake_at is not null;
create index case_words on support_case using gin (to_tsvector('simple', title));

-- The record. Identity, kind and effect of an entry are never changed; its body stands apart, so
-- that a pasted password can be blanked while the hash still proves the rest.
create table case_entry (
    id          bigint generated always as identity primary key,
    case_id     bigint not null references support_case,
    number      integer not null,
    kind        text not null check (kind in ('message', 'note', 'call', 'change')),
    direction   text check (direction in ('in', 'out')),
    author_id   bigint references person,
    author_name text not null default '',
    channel     text not null default '',
    stated_at   timestamptz,
    happened_at timestamptz not null,
    recorded_at timestamptz not null,
    automatic   boolean not null default false,
    effect      jsonb,
    refers_to   integer,
    supersedes  integer,
    body_hash   bytea not null,
    unique (case_id, number),
    unique (id, kind),
    check (kind <> 'note' or (effect is null and direction is null))
);
create index case_entry_author on case_entry (author_id);
create index case_entry_effect on case_entry (case_id, happened_at, number) where effect is not null;
create table entry_body (
    entry_id   bigint primary key references case_entry,
    body       text not null,
    blanked_at timestamptz
);

-- +goose StatementBegin
create function refuse_change() returns trigger language plpgsql as $$
begin
    raise exception 'the record is append-only: % on % is refused', tg_op, tg_table_name;
end $$;
-- +goose StatementEnd
create trigger case_entry_append_only before update or delete on case_entry
    for each row execute function refuse_change();
create trigger case_entry_no_truncate before truncate on case_entry
    for each statement execute function refuse_change();

create table case_reference (
    id        bigint generated always as identity primary key,
    case_id   bigint not null references support_case,
    vendor_id bigint not null references vendor,
    whose     text not null check (whose in ('vendor', 'ours')),
    value     text not null check (value <> ''),
    folded    text not null,
    unique (case_id, whose, value)
);
create unique index case_reference_vendor on case_reference (vendor_id, value) where whose = 'vendor';
create index case_reference_vendor_fk on case_reference (vendor_id);
create index case_reference_folded on case_reference (folded);

create table attestation (
    case_id      bigint not null references support_case,
    criterion_id bigint not null references level_criterion,
    person_id    bigint not null references person,
    attested_at  timestamptz not null,
    primary key (case_id, criterion_id)
);
create index attestation_criterion on attestation (criterion_id);
create index attestation_person on attestation (person_id);

-- A cache of the replay: instants only, never the standing, which changes while nothing is written.
create table deadline (
    case_id         bigint not null references support_case,
    opened          integer not null,
    kind            text not null,
    rank            integer not null,
    target          text not null,
    target_seconds  bigint not null,
    calendar_id     bigint not null references calendar_version,
    started_at      timestamptz not null,
    due_at          timestamptz,
    soon_at         timestamptz,
    ended_at        timestamptz,
    outcome         text not null check (outcome in ('live', 'met', 'missed', 'void', 'replaced')),
    counting        boolean not null,
    counted_seconds bigint not null,
    counted_at      timestamptz not null,
    start_entry     integer not null,
    end_entry       integer not null,
    rules           integer not null,
    primary key (case_id, opened)
);
create index deadline_calendar on deadline (calendar_id);
create index deadline_live on deadline (case_id) where outcome = 'live';

-- What is on its way out. Only messages can be: the kind is part of the key.
create table delivery (
    id           bigint generated always as identity primary key,
    case_id      bigint not null references support_case,
    entry_id     bigint not null,
    entry_kind   text not null default 'message' check (entry_kind = 'message'),
    entry_number integer not null,
    action       text not null check (action in ('open', 'comment', 'level', 'close', 'reopen')),
    step         text not null default '',
    effect       jsonb not null,
    params       jsonb not null,
    state        text not null check (state in ('waiting', 'under-way', 'unsure', 'arrived', 'refused', 'given-up')),
    attempts     integer not null default 0,
    next_at      timestamptz,
    problem      text not null default '',
    needs_person boolean not null default false,
    made_at      timestamptz not null,
    left_at      timestamptz,
    foreign key (entry_id, entry_kind) references case_entry (id, kind)
);
create index delivery_case on delivery (case_id, id);
create index delivery_entry on delivery (entry_id, entry_kind);
create index delivery_next on delivery (next_at) where state in ('waiting', 'under-way', 'unsure');
create table delivery_attempt (
    id          bigint generated always as identity primary key,
    delivery_id bigint not null references delivery,
    marker      text not null unique,
    started_at  timestamptz not null,
    lease_until timestamptz not null,
    ended_at    timestamptz,
    outcome     text not null default '',
    detail      text not null default ''
);
create index delivery_attempt_delivery on delivery_attempt (delivery_id, id);

-- Each of the vendor's events once. One of a ticket that we do not know yet waits for its case.
create table link_event (
    id        bigint generated always as identity primary key,
    link_id   bigint not null references link,
    event_key text not null,
    ticket    text not null,
    event     jsonb not null,
    floor_at  timestamptz not null,
    seen_at   timestamptz not null,
    case_id   bigint references support_case,
    unique (link_id, event_key)
);
create index link_event_waiting on link_event (link_id, ticket) where case_id is null;
create index link_event_case on link_event (case_id);
