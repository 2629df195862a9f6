-- +goose Up
-- Named views of the list of cases: a person's own, or the desk's where person_id is missing.
create table case_view (
    id        bigint generated always as identity primary key,
    person_id bigint references person,
    name      text not null,
    query     jsonb not null,
    columns   jsonb not null,
    made_by   bigint not null references person,
    made_at   timestamptz not null
);
create unique index case_view_name on case_view (coalesce(person_id, 0), lower(name));
create index case_view_made_by on case_view (made_by);
