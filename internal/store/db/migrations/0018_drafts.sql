-- +goose Up
-- Which version of a draft changed each of its fields last, so that two people can write in one draft. "*" is for
-- fields that are not named: of drafts that are older, all of them.
alter table support_case add column field_versions jsonb not null default '{}';
update support_case set field_versions = jsonb_build_object('*', version) where state = 'draft';
