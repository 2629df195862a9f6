-- +goose Up
-- A calendar is what terms and vendors point to; its versions are rows that never
-- change. Until now each calendar had one, under the same id.
create table calendar (
    id        bigint generated always as identity primary key,
    vendor_id bigint references vendor,
    name      text not null check (name <> ''),
    unique nulls not distinct (vendor_id, name)
);
insert into calendar (id, name) overriding system value select id, name from calendar_version;
select setval(pg_get_serial_sequence('calendar', 'id'), greatest((select max(id) from calendar), 1), (select count(*) > 0 from calendar));

alter table calendar_version add column calendar_id bigint references calendar, add column known_at timestamptz;
update calendar_version set calendar_id = id, known_at = counts_from;
alter table calendar_version drop column name, alter column counts_from type date using (counts_from at time zone 'UTC')::date,
    alter column calendar_id set not null, alter column known_at set not null, add unique (calendar_id, counts_from);

alter table vendor drop constraint vendor_hours_id_fkey, add foreign key (hours_id) references calendar;
alter table term drop constraint term_calendar_id_fkey, add foreign key (calendar_id) references calendar;
alter table desk_policy drop constraint desk_policy_calendar_id_fkey, add foreign key (calendar_id) references calendar;
alter table deadline drop constraint deadline_calendar_id_fkey, add foreign key (calendar_id) references calendar;

-- +goose StatementBegin
create function refuse_version_change() returns trigger language plpgsql as $$
begin
    raise exception 'versions of calendars never change: add a new one';
end
$$;
-- +goose StatementEnd
create trigger calendar_version_kept before update or delete on calendar_version
    for each row execute function refuse_version_change();
