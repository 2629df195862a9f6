-- +goose Up
-- A file may also be a paper of a vendor, a contract, an account or an asset, with a number there and no line of a record.
alter table file alter column case_id drop not null,
    add column vendor_id bigint references vendor,
    add column contract_id bigint references contract,
    add column account_id bigint references account,
    add column asset_id bigint references asset,
    drop constraint file_check,
    add constraint file_of_one check (num_nonnulls(case_id, vendor_id, contract_id, account_id, asset_id) = 1),
    add constraint file_numbered check ((arrived_at is null) = (number is null)),
    add constraint file_recorded check (entry_id is null or case_id is not null),
    add constraint file_on_record check (case_id is null or (arrived_at is null) = (entry_id is null));
create unique index file_vendor on file (vendor_id, number) where vendor_id is not null;
create unique index file_contract on file (contract_id, number) where contract_id is not null;
create unique index file_account on file (account_id, number) where account_id is not null;
create unique index file_asset on file (asset_id, number) where asset_id is not null;

-- Of a paper too, where it belongs does not change.
-- +goose StatementBegin
create or replace function file_stays() returns trigger language plpgsql as $$
begin
    if old.arrived_at is not null and (tg_op = 'DELETE' or
        (new.key, new.case_id, new.vendor_id, new.contract_id, new.account_id, new.asset_id, new.number, new.entry_id,
            new.name, new.bytes, new.added_by, new.arrived_at)
        is distinct from
        (old.key, old.case_id, old.vendor_id, old.contract_id, old.account_id, old.asset_id, old.number, old.entry_id,
            old.name, old.bytes, old.added_by, old.arrived_at) or
        (old.sha256 is not null and new.sha256 is distinct from old.sha256)) then
        raise exception 'files that have arrived are not changed';
    end if;
    return coalesce(new, old);
end $$;
-- +goose StatementEnd
