-- +goose Up
-- A line of the record may be a file; it has no effect and goes nowhere by itself.
alter table case_entry drop constraint case_entry_kind_check,
    add constraint case_entry_kind_check check (kind in ('message', 'note', 'call', 'change', 'file')),
    add constraint case_entry_file check (kind <> 'file' or (effect is null and direction is null));

-- The bytes are in a folder, under the key. Until a file has arrived it has no number: its upload goes on.
create table file (
    id          bigint generated always as identity primary key,
    key         text not null unique,
    case_id     bigint not null references support_case,
    number      integer check (number >= 1),
    entry_id    bigint references case_entry,
    name        text not null check (name <> ''),
    caption     text not null default '',
    bytes       bigint not null check (bytes > 0),
    sensitive   boolean not null,
    added_by    bigint not null references person,
    began_at    timestamptz not null,
    arrived_at  timestamptz,
    made_from   bigint references file,
    -- What its content says, once it was examined.
    looked_at   timestamptz,
    examined_at timestamptz,
    problem     text not null default '',
    sha256      bytea,
    type        text not null default '',
    named_type  text not null default '',
    findings    jsonb,
    check ((arrived_at is null) = (number is null) and (arrived_at is null) = (entry_id is null)),
    check ((sha256 is null) = (examined_at is null))
);
create unique index file_case on file (case_id, number);
create index file_entry on file (entry_id) where entry_id is not null;
create index file_person on file (added_by);
create index file_made_from on file (made_from) where made_from is not null;
create index file_coming on file (began_at) where arrived_at is null;
create index file_unexamined on file (arrived_at) where arrived_at is not null and examined_at is null;

-- Of a file that has arrived, neither its content nor where it belongs changes.
-- +goose StatementBegin
create function file_stays() returns trigger language plpgsql as $$
begin
    if old.arrived_at is not null and (tg_op = 'DELETE' or
        (new.key, new.case_id, new.number, new.entry_id, new.name, new.bytes, new.added_by, new.arrived_at)
        is distinct from
        (old.key, old.case_id, old.number, old.entry_id, old.name, old.bytes, old.added_by, old.arrived_at) or
        (old.sha256 is not null and new.sha256 is distinct from old.sha256)) then
        raise exception 'files that have arrived are not changed';
    end if;
    return coalesce(new, old);
end $$;
-- +goose StatementEnd
create trigger file_stays before update or delete on file for each row execute function file_stays();
