-- +goose Up
-- How long wishes, requests for capacity and long work may be quiet; empty where they follow their severity alone.
alter table desk_policy add column quiet_calm text not null default '';
