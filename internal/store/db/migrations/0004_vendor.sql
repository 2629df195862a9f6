-- +goose Up
-- What is known of a vendor beside its name, zone, hours and levels is one document.
alter table vendor add column profile jsonb not null default '{}', add column version bigint not null default 1;
alter table vendor_level add column channels jsonb not null default '[]';
-- A condition that was attested stays, also when the vendor no longer asks for it.
alter table level_criterion add column retired boolean not null default false;
alter table level_criterion drop constraint level_criterion_level_id_position_key;
create index level_criterion_level on level_criterion (level_id, position);

-- Versions never change; they go only with the whole of their calendar.
-- +goose StatementBegin
create or replace function refuse_version_change() returns trigger language plpgsql as $$
begin
    if tg_op = 'DELETE' and current_setting('roundhouse.removing', true) = old.calendar_id::text then
        return old;
    end if;
    raise exception 'versions of calendars never change: add a new one';
end
$$;
-- +goose StatementEnd
