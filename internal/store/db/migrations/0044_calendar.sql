-- +goose Up
-- Addresses under which calendar programs follow a part of the desk. Whoever knows one reads it, so that only its hash
-- is kept.
create table calendar_feed (
    id         bigint generated always as identity primary key,
    name       text not null check (name <> ''),
    whose      text not null check (whose in ('desk', 'person', 'vendor')),
    person_id  bigint references person,
    vendor_id  bigint references vendor,
    owner_id   bigint not null references person,
    hash       bytea not null unique,
    made_at    timestamptz not null,
    read_at    timestamptz,
    revoked_at timestamptz,
    check ((whose = 'person') = (person_id is not null)),
    check ((whose = 'vendor') = (vendor_id is not null))
);
create index calendar_feed_owner on calendar_feed (owner_id, id);
create index calendar_feed_person on calendar_feed (person_id);
create index calendar_feed_vendor on calendar_feed (vendor_id);

-- Who was invited to what is to happen, and what the invitation said last: another is sent when that changes.
create table calendar_invitation (
    id       bigint generated always as identity primary key,
    case_id  bigint not null references support_case,
    root     integer not null,
    entry_id bigint not null references case_entry,
    address  text not null,
    said     text not null default '',
    ended_at timestamptz,
    unique (case_id, root, address)
);
create index calendar_invitation_open on calendar_invitation (id) where ended_at is null;
create index calendar_invitation_entry on calendar_invitation (entry_id);
alter table notification_email
    add column method   text not null default '' check (method in ('', 'REQUEST', 'CANCEL')),
    add column calendar text not null default '';

-- What tells this desk from any other, in what leaves it.
create table desk_identity (
    alone boolean primary key default true check (alone),
    id    text not null default replace(cast(gen_random_uuid() as text), '-', '')
);
insert into desk_identity default values;
