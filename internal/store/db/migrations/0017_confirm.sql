-- +goose Up
-- More words change their names: a condition is confirmed, and a step is called as its command is.
alter table attestation rename to confirmation;
alter table confirmation rename column attested_at to confirmed_at;
alter table confirmation rename constraint attestation_pkey to confirmation_pkey;
alter index attestation_criterion rename to confirmation_criterion;
alter index attestation_person rename to confirmation_person;

update delivery set step = case step when 'change-level' then 'level' when 'accept-fix' then 'accept'
    when 'reject-fix' then 'reject' when 'return' then 'resume' end
    where step in ('change-level', 'accept-fix', 'reject-fix', 'return');

alter table support_case rename column vendor_word to vendor_status;
alter table support_case rename column vendor_word_at to vendor_status_at;
alter table support_case rename column holder to vendor_contact;
alter table secret_value rename column sealed_at to encrypted_at;

-- The record and versions of terms are append-only: only this transaction may rewrite words in them.
alter table case_entry disable trigger case_entry_append_only;
-- +goose StatementBegin
create function renamed(x jsonb, was text, word text) returns jsonb language sql immutable as $$
    select case when x ? was then x - was || jsonb_build_object(word, x->was) else x end
$$;
-- +goose StatementEnd
update case_entry set effect = jsonb_set(effect, '{sets}', renamed(renamed(effect->'sets', 'vendor_word', 'vendor_status'),
    'vendor_word_at', 'vendor_status_at')) where effect->'sets' ?| array['vendor_word', 'vendor_word_at'];
update delivery set effect = jsonb_set(effect, '{sets}', renamed(renamed(effect->'sets', 'vendor_word', 'vendor_status'),
    'vendor_word_at', 'vendor_status_at')) where effect->'sets' ?| array['vendor_word', 'vendor_word_at'];
alter table case_entry enable trigger case_entry_append_only;

update support_case set texts = renamed(texts, 'on_what', 'affected') where texts ? 'on_what';
-- A contract's tier is found as its level was.
drop trigger contract_found on contract;
drop trigger contract_found_anew on contract;
create trigger contract_found after insert on contract referencing new table as added
    for each statement execute function find_again('contract', 'number', 'tier');
create trigger contract_found_again after update on contract referencing old table as gone new table as added
    for each statement execute function find_again('contract', 'number', 'tier');
update contract set facts = renamed(facts, 'level', 'tier') where facts ? 'level';
update vendor set profile = jsonb_set(profile, '{forms}', (select jsonb_agg(renamed(x, 'must', 'required') order by n)
    from jsonb_array_elements(profile->'forms') with ordinality e(x, n))) where jsonb_array_length(profile->'forms') > 0;
drop function renamed;

alter table secret_use disable trigger secret_use_append_only, drop constraint secret_use_act_check;
update secret_use set act = 'encrypted' where act = 'sealed';
alter table secret_use
    add constraint secret_use_act_check check (act in ('added', 'changed', 'encrypted', 'revealed', 'sent', 'removed')),
    enable trigger secret_use_append_only;
