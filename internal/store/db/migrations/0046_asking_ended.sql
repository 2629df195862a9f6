-- +goose Up
-- Hardly any case that is not live asks for attention: those that do are not looked for among all that are.
create index support_case_asking_ended on support_case (next_at, number)
    include (id, vendor_id, maker_id, kind, severity, owner_id, asset_id, account_id, contract_id, origin, state, move, unnumbered)
    where next_at is not null and state in ('draft', 'resolved', 'closed', 'withdrawn');
