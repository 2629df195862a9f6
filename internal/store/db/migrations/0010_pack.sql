-- +goose Up
-- A vendor can go together with the hours that are its own: each of the two refers
-- to the other, so one of them is only held to it at the end.
alter table calendar drop constraint calendar_vendor_id_fkey,
    add constraint calendar_vendor_id_fkey foreign key (vendor_id) references vendor deferrable initially deferred;
