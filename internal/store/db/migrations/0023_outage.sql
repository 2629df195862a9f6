-- +goose Up
-- Outages that vendors know of, noted by hand, and the cases that come from them.
create table outage (
    id         bigint generated always as identity primary key,
    vendor_id  bigint not null references vendor,
    title      text not null check (title <> ''),
    effect     text not null default '',
    said       text not null default '',
    page       text not null default '',
    since      timestamptz not null,
    updated_at timestamptz,
    ended_at   timestamptz,
    noted_by   bigint not null references person,
    noted_at   timestamptz not null,
    version    bigint not null default 1,
    check (ended_at is null or ended_at >= since)
);
create index outage_vendor on outage (vendor_id, since desc);
create index outage_noted_by on outage (noted_by);
alter table support_case add column outage_id bigint references outage;
create index case_outage on support_case (outage_id) where outage_id is not null;
