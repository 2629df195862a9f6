-- +goose Up
-- A case that goes through a reseller has its maker beside it; why somebody goes on although something speaks against
-- it; and what of a case nobody could name yet. A case whose vendor is not known yet is with the placeholder.
alter table support_case add column maker_id bigint references vendor,
    add column maker_status text not null default '',
    add column maker_status_at timestamptz,
    add column go_on_because text not null default '',
    add column unsorted jsonb not null default '{}';
create index support_case_maker on support_case (maker_id) where maker_id is not null;
create index support_case_unsorted on support_case (number) where unsorted <> '{}';
alter table vendor add column placeholder boolean not null default false;
create unique index vendor_placeholder on vendor (placeholder) where placeholder;
