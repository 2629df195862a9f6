-- +goose Up
-- What goes to a vendor by hand waits for a person to take it there, by a channel of the vendor's.
alter table delivery add column channel text not null default 'api' check (channel in ('api', 'mail', 'portal', 'phone', 'chat'));
alter table delivery drop constraint delivery_state_check,
    add constraint delivery_state_check check (state in ('waiting', 'under-way', 'unsure', 'by-hand', 'arrived', 'refused', 'given-up'));
