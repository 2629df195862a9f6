-- +goose Up
-- Words change their names; what is kept is carried along. The record and versions of terms are append-only: only
-- this transaction may rewrite words in them.
alter table case_entry disable trigger case_entry_append_only;

update support_case set kind = case kind when 'purchase' then 'order' else 'work' end where kind in ('purchase', 'task');
update support_case set facts = jsonb_set(facts, '{effect}', '"awkward"') where facts->>'effect' = 'inconvenient';
update support_case set facts = jsonb_set(facts, '{workaround}', '"easy"') where facts->>'workaround' = 'acceptable';

update case_entry set channel = 'email' where channel = 'mail';
update case_entry set effect = jsonb_set(effect, '{kind}', cast(case effect->>'kind' when 'purchase' then '"order"' else '"work"' end as jsonb))
    where effect->>'kind' in ('purchase', 'task');
update case_entry set effect = jsonb_set(effect, '{channel}', '"email"') where effect->>'channel' = 'mail';

alter table delivery drop constraint delivery_state_check, drop constraint delivery_channel_check;
update delivery set state = case state when 'by-hand' then 'to-send' else 'not-sent' end where state in ('by-hand', 'given-up');
update delivery set channel = 'email' where channel = 'mail';
update delivery set effect = jsonb_set(effect, '{kind}', cast(case effect->>'kind' when 'purchase' then '"order"' else '"work"' end as jsonb))
    where effect->>'kind' in ('purchase', 'task');
update delivery set effect = jsonb_set(effect, '{channel}', '"email"') where effect->>'channel' = 'mail';
alter table delivery
    add constraint delivery_state_check check (state in ('waiting', 'under-way', 'unsure', 'to-send', 'arrived', 'refused', 'not-sent')),
    add constraint delivery_channel_check check (channel in ('api', 'email', 'portal', 'phone', 'chat'));

alter table link drop constraint link_kind_check;
update link set kind = 'email' where kind = 'mail';
alter table link add constraint link_kind_check check (kind in ('api', 'email', 'portal', 'phone', 'chat'));

alter table terms drop constraint terms_on_change_check;
update terms set on_change = 'restart-if-raised' where on_change = 'by-direction';
alter table terms add constraint terms_on_change_check check (on_change in ('restart', 'keep', 'restart-if-raised'));
update term set kind = case kind when 'purchase' then 'order' else 'work' end where kind in ('purchase', 'task');
update term set channel = 'email' where channel = 'mail';

-- Of a vendor's facts, the members that hold such words.
-- +goose StatementBegin
create function renamed(list jsonb, member text, words jsonb) returns jsonb language sql immutable as $$
    select coalesce(jsonb_agg(case when words ? (x->>member) then jsonb_set(x, array[member], words->(x->>member)) else x end
        order by n), '[]') from jsonb_array_elements(list) with ordinality e(x, n)
$$;
-- +goose StatementEnd
update vendor_level set channels = (select jsonb_agg(case x when 'mail' then 'email' else x end order by n)
    from jsonb_array_elements_text(channels) with ordinality e(x, n)) where channels ? 'mail';
update vendor set profile = jsonb_set(profile, '{ways}', renamed(profile->'ways', 'channel', '{"mail": "email"}'))
    where profile ? 'ways';
update vendor set profile = jsonb_set(profile, '{forms}', renamed(profile->'forms', 'kind', '{"purchase": "order", "task": "work"}'))
    where profile ? 'forms';
update vendor set profile = jsonb_set(profile, '{usual_terms}', renamed(renamed(profile->'usual_terms',
    'kind', '{"purchase": "order", "task": "work"}'), 'channel', '{"mail": "email"}')) where profile ? 'usual_terms';
update vendor set profile = jsonb_set(profile, '{takes}', (select jsonb_agg(case x when 'purchase' then 'order'
    when 'task' then 'work' else x end order by n) from jsonb_array_elements_text(profile->'takes') with ordinality e(x, n)))
    where jsonb_array_length(profile->'takes') > 0;
update vendor set profile = jsonb_set(profile, '{people}', (select jsonb_agg(case when x ? 'mail'
    then x - 'mail' || jsonb_build_object('email', x->'mail') else x end order by n)
    from jsonb_array_elements(profile->'people') with ordinality e(x, n))) where jsonb_array_length(profile->'people') > 0;
drop function renamed;
update contract set facts = jsonb_set(facts, '{on_change}', '"restart-if-raised"') where facts->>'on_change' = 'by-direction';

alter table case_entry enable trigger case_entry_append_only;
