-- +goose Up
-- The consents given on a case, and the fields changed since the vendor was last told, each with the entry that
-- changed it. Both follow from the record.
alter table support_case add column consents jsonb not null default '[]',
    add column untold jsonb not null default '{}';
create index support_case_consents on support_case (id) where consents <> '[]';
