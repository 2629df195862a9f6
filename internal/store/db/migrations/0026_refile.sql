-- +goose Up
-- A case that was filed under the wrong account or contract is filed again as another; both follow from the record.
alter table support_case add column instead_of bigint references support_case,
    add column refiled_as bigint references support_case;
create index support_case_instead on support_case (instead_of) where instead_of is not null;
create index support_case_refiled on support_case (refiled_as) where refiled_as is not null;
