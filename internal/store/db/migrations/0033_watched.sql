-- +goose Up
-- Who comes or calls, where, under which number, who lets them in, when a part was sent.
alter table dated_item add column details jsonb not null default '{}';

-- Caches of a case's record: whether it still waits for the vendor's reference, on whom exactly it waits, since when it
-- has its contact at the vendor, and where it stands in the words of who wrote them last.
alter table support_case
    add column unnumbered boolean not null default false,
    add column move_on text not null default '' check (move_on in ('', 'vendor', 'partner', 'carrier', 'desk',
        'requester', 'person')),
    add column move_on_name text not null default '',
    add column vendor_contact_at timestamptz,
    add column summary text not null default '',
    add column summary_by text not null default '',
    add column summary_at timestamptz;
update support_case set move_on = case move when 'ours' then 'desk' else 'vendor' end where move is not null;
update support_case c set unnumbered = true where c.state in ('filed', 'open', 'fix-offered')
    and not exists (select from case_reference r where r.case_id = c.id and r.whose = 'vendor' and r.role = 'current')
    and not exists (select from case_entry e where e.case_id = c.id and e.effect->'sets'->>'no_reference' = 'true');
update support_case c set vendor_contact_at = x.at from (
    select distinct on (case_id) case_id, happened_at as at from (
        select case_id, happened_at, effect->'sets'->>'vendor_contact' as name,
            lag(effect->'sets'->>'vendor_contact') over (partition by case_id order by happened_at, number) as former
        from case_entry where effect->'sets' ? 'vendor_contact') y
    where name is distinct from former order by case_id, happened_at desc) x
    where x.case_id = c.id and c.vendor_contact <> '';
create index support_case_unnumbered on support_case (number) where unnumbered;

-- How far each person has read the record of a case.
create table case_reading (
    person_id bigint not null references person,
    case_id   bigint not null references support_case,
    entry     integer not null,
    read_at   timestamptz not null,
    primary key (person_id, case_id)
);
create index case_reading_case on case_reading (case_id);
