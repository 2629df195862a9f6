-- +goose Up
-- When a case ended, how often it was reopened, and how often its vendor refused to: a cache of its record.
alter table support_case
    add column ended_at       timestamptz,
    add column reopenings     integer not null default 0 check (reopenings >= 0),
    add column reopen_refused integer not null default 0 check (reopen_refused >= 0);
update support_case c set reopenings = (select count(*) from case_entry e where e.case_id = c.id
    and e.effect->>'event' = 'reopened');
update support_case c set ended_at = (select min(e.happened_at) from case_entry e where e.case_id = c.id
    and e.effect->>'event' in ('fix-accepted', 'resolved', 'closed') and not exists (select from case_entry b
        where b.case_id = c.id and b.effect->>'event' in ('filed', 'reopened')
        and (b.happened_at, b.number) > (e.happened_at, e.number)))
    where state in ('resolved', 'closed');
