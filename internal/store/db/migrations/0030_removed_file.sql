-- +goose Up
-- The content of a file can be removed, with a reason; its name, its hash and where it went stay.
alter table file add column removed_at timestamptz,
    add column removed_by bigint references person,
    add column removed_because text not null default '',
    add constraint file_removed check ((removed_at is null) = (removed_because = '') and
        (removed_at is null) = (removed_by is null)),
    -- The folder no longer has it.
    add column dropped boolean not null default false;
create index file_removed_by on file (removed_by) where removed_by is not null;
create index file_to_drop on file (id) where removed_at is not null and not dropped;
