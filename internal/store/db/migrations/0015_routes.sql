-- +goose Up
-- A link may serve several vendors, and a vendor may have several links; the first in rank is the usual one.
alter table link add column name text;
update link l set name = v.key from vendor v where v.id = l.vendor_id;
alter table link alter column name set not null, add constraint link_name unique (name);
create table vendor_link (
    vendor_id bigint not null references vendor,
    link_id   bigint not null references link,
    rank      integer not null default 1,
    primary key (vendor_id, link_id)
);
create index vendor_link_link on vendor_link (link_id);
insert into vendor_link (vendor_id, link_id) select vendor_id, id from link;

-- What goes by a link says by which; where it says none, a person takes it.
alter table delivery add column link_id bigint references link;
update delivery d set link_id = l.id from support_case c join link l on l.vendor_id = c.vendor_id where c.id = d.case_id and d.channel = 'api';
create index delivery_link on delivery (link_id);
alter table link drop column vendor_id;

-- A link's kind is that of the route: one word for it, here and in the record.
alter table link drop constraint link_kind_check;
update link set kind = 'api';
alter table link add constraint link_kind_check check (kind in ('api', 'mail', 'portal', 'phone', 'chat'));
alter table case_entry disable trigger case_entry_append_only;
update case_entry set channel = 'api' where channel = 'rest';
alter table case_entry enable trigger case_entry_append_only;
