-- +goose Up
-- Who opened a case: this desk, or somebody else for us.
alter table support_case add column origin text not null default 'us' check (origin in ('us', 'vendor', 'partner', 'colleague')),
    add column origin_by text not null default '';
