-- +goose Up
-- What the vendor's intake form asks, answered: by the field's short name.
alter table support_case add column answers jsonb not null default '{}';
