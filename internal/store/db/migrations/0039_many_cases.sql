-- +goose Up
-- Lists and Today read what they show, not all that there is, however many cases have ended. Each order of the list has
-- an index with all that a filter asks for, so that a page is found without reading the cases that are not on it; those
-- that are live or have something due, which are few, have theirs once more.
drop index case_severity;
drop index case_changed;
drop index support_case_next;
create index support_case_by_number on support_case (number)
    include (id, vendor_id, maker_id, kind, severity, owner_id, asset_id, account_id, contract_id, origin, state, move, next_at, unnumbered);
create index support_case_asking_by_number on support_case (number)
    include (id, vendor_id, maker_id, kind, severity, owner_id, asset_id, account_id, contract_id, origin, state, move, next_at, unnumbered)
    where state in ('filed', 'open', 'fix-offered') or next_at is not null or unnumbered;
create index support_case_by_severity on support_case (coalesce(severity, 9), (-number))
    include (id, vendor_id, maker_id, kind, severity, owner_id, asset_id, account_id, contract_id, origin, state, move, next_at, unnumbered, number);
create index support_case_asking_by_severity on support_case (coalesce(severity, 9), (-number))
    include (id, vendor_id, maker_id, kind, severity, owner_id, asset_id, account_id, contract_id, origin, state, move, next_at, unnumbered, number)
    where state in ('filed', 'open', 'fix-offered') or next_at is not null or unnumbered;
create index support_case_by_changed on support_case (changed_at, number)
    include (id, vendor_id, maker_id, kind, severity, owner_id, asset_id, account_id, contract_id, origin, state, move, next_at, unnumbered);
create index support_case_asking_by_changed on support_case (changed_at, number)
    include (id, vendor_id, maker_id, kind, severity, owner_id, asset_id, account_id, contract_id, origin, state, move, next_at, unnumbered)
    where state in ('filed', 'open', 'fix-offered') or next_at is not null or unnumbered;
create index support_case_asking_by_next on support_case (next_at, number)
    include (id, vendor_id, maker_id, kind, severity, owner_id, asset_id, account_id, contract_id, origin, state, move, unnumbered)
    where state in ('filed', 'open', 'fix-offered') or next_at is not null or unnumbered;
-- Of a value that few cases have, all of them are found and put in order without reading them either.
drop index case_state;
create index case_state on support_case (state, number) include (id, severity, changed_at, next_at);
drop index case_vendor;
create index case_vendor on support_case (vendor_id, number) include (id, severity, changed_at, next_at);
drop index case_contract;
create index case_contract on support_case (contract_id, number) include (id, severity, changed_at, next_at);
drop index case_asset;
create index case_asset on support_case (asset_id, number) include (id, severity, changed_at, next_at) where asset_id is not null;
drop index case_account;
create index case_account on support_case (account_id, number) include (id, severity, changed_at, next_at) where account_id is not null;
drop index support_case_origin;
create index support_case_origin on support_case (origin, number) include (id, severity, changed_at, next_at) where origin <> 'us';
create index support_case_asking_kind on support_case (kind, next_at) where next_at is not null;
create index support_case_asking_origin on support_case (origin, next_at)
    where next_at is not null and origin <> 'us';
create index support_case_kind on support_case (kind, number) include (id, severity, changed_at, next_at);
drop index support_case_unread;
create index support_case_unread on support_case (number) include (id, vendor_id, changed_at, next_at, severity)
    where unread > 0;
drop index support_case_unsorted;
create index support_case_unsorted on support_case (number) include (id, vendor_id, changed_at, next_at, severity)
    where unsorted <> '{}';
create index support_case_level_live on support_case (vendor_id, level_rank, number)
    where state in ('filed', 'open', 'fix-offered');
create index support_case_unsorted_vendor on support_case (vendor_id) where unsorted <> '{}' and state <> 'withdrawn';
-- Which cases something is due of is found without reading the clocks.
drop index deadline_due;
create index deadline_due on deadline (due_at) include (case_id) where outcome = 'live';
drop index dated_item_due;
create index dated_item_due on dated_item (due_at) include (case_id, kind) where outcome = 'live';
-- What the orders sort by is weighed by how it is spread.
analyze support_case;
