-- +goose Up
-- What somebody is told of: each thing once, by its key within the case.
create table notification_event (
    id          bigint generated always as identity primary key,
    case_id     bigint not null references support_case,
    key         text not null,
    kind        text not null check (kind in ('due-soon', 'due', 'still-late', 'message', 'unread', 'hands', 'mention')),
    severity    integer not null,
    what        text not null,
    owed        text not null check (owed in ('', 'ours', 'theirs')),
    entry       integer not null,
    happened_at timestamptz not null,
    made_at     timestamptz not null,
    actor_id    bigint references person,
    -- When the leads are told, if nobody has reacted by then; missing once that is settled.
    again_at    timestamptz,
    unique (case_id, key)
);
create index notification_event_again on notification_event (again_at) where again_at is not null;
create index notification_event_actor on notification_event (actor_id);

-- Emails to our own people: what they are told, gathered, or a digest.
create table notification_email (
    id         bigint generated always as identity primary key,
    person_id  bigint not null references person,
    digest     boolean not null,
    marker     text not null unique,
    subject    text not null,
    body       text not null,
    made_at    timestamptz not null,
    next_at    timestamptz,
    tries      integer not null default 0,
    problem    text not null default '',
    sent_at    timestamptz
);
create index notification_email_next on notification_email (next_at) where next_at is not null;
create index notification_email_person on notification_email (person_id, id);

create table notification (
    id        bigint generated always as identity primary key,
    event_id  bigint not null references notification_event,
    person_id bigint not null references person,
    because   text not null check (because in ('mentioned', 'owner', 'yours', 'rota', 'watching', 'no-owner', 'unanswered')),
    read_at   timestamptz,
    -- From when on it may go by email; missing where it does not, or has gone.
    email_at  timestamptz,
    email_id  bigint references notification_email,
    unique (event_id, person_id)
);
create index notification_person on notification (person_id, id);
create index notification_unread on notification (person_id, id) where read_at is null;
create index notification_email_at on notification (email_at) where email_at is not null;
create index notification_email_id on notification (email_id);

create table notification_settings (
    person_id      bigint primary key references person,
    ways           jsonb not null default '{}',
    quiet_from     text not null default '',
    quiet_to       text not null default '',
    quiet_always   boolean not null default false,
    digest_at      text not null default '',
    digest_next_at timestamptz,
    version        bigint not null default 1
);
create index notification_settings_digest on notification_settings (digest_next_at) where digest_next_at is not null;

-- Up to when the clocks and dates were looked at for what has come due. A desk that is older begins now.
create table notification_mark (
    alone   boolean primary key default true check (alone),
    done_at timestamptz not null
);
insert into notification_mark (done_at) values (now());

-- Addresses of other programs that are told too, with requests signed by a secret of the vault, by its name.
create table webhook (
    id       bigint generated always as identity primary key,
    name     text not null unique,
    address  text not null,
    kinds    jsonb not null,
    secret   text not null,
    active   boolean not null default true,
    made_at  timestamptz not null,
    version  bigint not null default 1
);
create table webhook_delivery (
    webhook_id bigint not null references webhook on delete cascade,
    event_id   bigint not null references notification_event,
    next_at    timestamptz,
    tries      integer not null default 0,
    problem    text not null default '',
    sent_at    timestamptz,
    primary key (webhook_id, event_id)
);
create index webhook_delivery_next on webhook_delivery (next_at) where next_at is not null;
create index webhook_delivery_event on webhook_delivery (event_id);

create index deadline_soon on deadline (soon_at) where outcome = 'live';
create index dated_item_soon on dated_item (soon_at) where outcome = 'live';

-- How long nobody may react before the leads are told, by severity, and the email link by which our own people are told.
alter table desk_policy
    add column react_1 text not null default '30m',
    add column react_2 text not null default '2h',
    add column react_3 text not null default '1bd',
    add column react_4 text not null default '3bd',
    add column email_link text not null default '';
