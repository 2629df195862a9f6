-- +goose Up
-- What covers an asset is looked up by what names it, not by reading every contract of its vendor.
create index contract_everything on contract (vendor_id) where everything;
-- How many live cases a thing has is asked for every line of a list, also while thousands are live.
create index case_asset_live on support_case (asset_id) where asset_id is not null and state in ('filed', 'open', 'fix-offered');
create index case_account_live on support_case (account_id) where account_id is not null and state in ('filed', 'open', 'fix-offered');
create index case_contract_live on support_case (contract_id) where contract_id is not null and state in ('filed', 'open', 'fix-offered');
