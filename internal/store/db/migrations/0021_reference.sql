-- +goose Up
-- A case has numbers of several owners, and former ones.
alter table case_reference drop constraint case_reference_whose_check;
alter table case_reference add constraint case_reference_whose_check
    check (whose in ('vendor', 'ours', 'reseller', 'other-vendor', 'upload'));
alter table case_reference add column role text not null default 'current' check (role in ('current', 'former', 'merged-into')),
    add column party text not null default '';
drop index case_reference_vendor;
create unique index case_reference_vendor on case_reference (vendor_id, value) where whose = 'vendor' and role = 'current';
create unique index case_reference_first on case_reference (case_id, whose) where whose in ('vendor', 'ours') and role = 'current';
