-- +goose Up
-- Who can be reached round the clock, period by period. Two people are never on at once: a handover ends one period
-- where the next begins.
create table rota_period (
    id         bigint generated always as identity primary key,
    starts_at  timestamptz not null,
    ends_at    timestamptz not null check (ends_at > starts_at),
    person_id  bigint not null references person,
    phone      text not null check (phone <> ''),
    note       text not null default '',
    version    bigint not null default 1,
    constraint rota_period_alone exclude using gist (tstzrange(starts_at, ends_at) with &&)
);
create index rota_period_ends on rota_period (ends_at);
create index rota_period_person on rota_period (person_id);
