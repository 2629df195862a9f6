-- +goose Up
-- How often the vendor was asked for what it owes since its last word, and when last: a cache of the case's record.
alter table support_case
    add column chases    integer not null default 0 check (chases >= 0),
    add column chased_at timestamptz;
