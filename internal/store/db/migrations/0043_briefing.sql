-- +goose Up
-- A line of the record may be a briefing: what management or users were told of the case. It has no effect on it.
alter table case_entry drop constraint case_entry_kind_check,
    add constraint case_entry_kind_check check (kind in ('message', 'note', 'call', 'change', 'file', 'briefing')),
    add constraint case_entry_briefing check (kind <> 'briefing' or direction is null);
-- Such an email goes to an address, which need not be that of a person of ours.
alter table notification_email alter column person_id drop not null,
    add column address text not null default '',
    add column entry_id bigint references case_entry,
    add check ((person_id is null) = (address <> ''));
create index notification_email_entry on notification_email (entry_id) where entry_id is not null;
