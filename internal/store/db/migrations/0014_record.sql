-- +goose Up
-- From here on a case's entries say all that is kept on its row beside the facts of a draft: owner,
-- the vendor's word, contact, level and closing, cause, outcome, title, numbers. Cases of before
-- get one entry with what they had.
with now_known as (
    select c.id, c.last_entry + 1 as number, jsonb_strip_nulls(jsonb_build_object(
        'owner', c.owner_id,
        'vendor_closed_at', c.vendor_closed_at,
        'vendor_level', nullif(c.vendor_level, ''),
        'vendor_word', nullif(c.vendor_word, ''),
        'vendor_word_at', c.vendor_word_at,
        'vendor_contact', nullif(c.holder, ''),
        'cause', nullif(c.cause, ''),
        'outcome', nullif(c.outcome, ''),
        'parked_until', case when c.parked then c.parked_until end,
        'title', case when c.filed_at is not null then c.title end,
        'ticket', case when c.filed_at is not null then coalesce((select max(r.value) from case_reference r where r.case_id = c.id and r.whose = 'ours'), '') end,
        'reference', (select max(r.value) from case_reference r where r.case_id = c.id and r.whose = 'vendor'))) as sets
    from support_case c where not exists (select from case_entry e where e.case_id = c.id and e.effect ? 'sets')
), entry as (
    insert into case_entry (case_id, number, kind, happened_at, recorded_at, effect, body_hash)
    select id, number, 'change', date_trunc('second', now()), now(), jsonb_build_object('event', '', 'sets', sets), sha256(convert_to('What was known of the case so far is in the record from here on.', 'UTF8')) from now_known
    returning id, case_id, number
), body as (
    insert into entry_body (entry_id, body) select id, 'What was known of the case so far is in the record from here on.' from entry
)
update support_case c set last_entry = e.number from entry e where e.case_id = c.id;
