-- +goose Up
-- Files go with a message: in it, or behind it where the vendor's system takes each by itself.
alter table delivery drop constraint delivery_action_check,
    add constraint delivery_action_check check (action in ('open', 'comment', 'level', 'close', 'reopen', 'attach'));
create table delivery_file (
    delivery_id bigint not null references delivery,
    position    integer not null,
    file_id     bigint not null references file,
    primary key (delivery_id, position)
);
create index delivery_file_file on delivery_file (file_id);
