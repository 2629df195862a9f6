-- +goose Up
-- Links are changed by people who each saw a version of them, and an email keeps its Message-ID.
alter table link add column version bigint not null default 1;
alter table delivery add column message_id text not null default '';
