-- +goose Up
-- What has happened since an instant.
create index case_entry_recorded on case_entry (recorded_at);
