-- +goose Up
-- What time alone brings on a case is not a change of it. What is kept of its record is as of derived_at from now on;
-- changed_at is when it was changed last, for cases in the record that is their last entry.
alter table support_case add column derived_at timestamptz;
update support_case c set derived_at = changed_at, changed_at = case state when 'draft' then changed_at else
    coalesce((select e.recorded_at from case_entry e where e.case_id = c.id order by e.number desc limit 1), changed_at) end;
alter table support_case alter column derived_at set not null;
