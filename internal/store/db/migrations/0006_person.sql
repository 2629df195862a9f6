-- +goose Up
-- How our people can be reached; it is filled into the cases that they open.
alter table person add column phone text not null default '', add column zone text not null default '', add column hours text not null default '', add column languages text not null default '';
