-- +goose Up
-- Which of the files that the vendor wants a file is, by its name there; empty for none.
alter table file add column serves text not null default '';

-- Files that the vendor wants and does not get, with the reason.
create table file_waiver (
    case_id   bigint not null references support_case,
    name      text not null check (name <> ''),
    reason    text not null check (reason <> ''),
    person_id bigint not null references person,
    made_at   timestamptz not null,
    primary key (case_id, name)
);
create index file_waiver_person on file_waiver (person_id);
