-- +goose Up
-- To whom a case is to be escalated, by the vendor's ladder: a cache of its record, as its dates are. advice is a rung
-- from 1, raised the highest one raised since it was filed or last reopened.
alter table support_case
    add column advice         integer check (advice > 0),
    add column advice_because text not null default '' check (advice_because in ('', 'unanswered', 'late', 'fixes-rejected',
        'reopened', 'open-long')),
    add column raised         integer not null default 0,
    add check ((advice is null) = (advice_because = ''));
update support_case set wake_at = now() where state in ('filed', 'open', 'fix-offered');
