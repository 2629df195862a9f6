-- +goose Up
-- People are found too: our own by name and email address, a vendor's by name, role, phone and email address.
insert into findable (kind, ref, field, shown, folded) select 'person', id, 'email', email, find_fold(email) from person;
insert into findable (kind, ref, field, shown, folded, words) select 'person', id, 'name', name, find_fold(name), find_plain(name) from person;
create trigger person_found after insert on person referencing new table as added for each statement execute function find_again('person', 'email', 'name');
create trigger person_found_anew after update on person referencing old table as gone new table as added for each statement execute function find_again('person', 'email', 'name');
create trigger person_found_no_more after delete on person referencing old table as gone for each statement execute function find_again('person');

-- +goose StatementBegin
create function find_contacts(v vendor) returns void language sql as $$
    insert into findable (kind, ref, field, shown, folded, words)
        select 'contact', v.id, f, p->>f, find_fold(p->>f), case f when 'name' then find_plain(p->>'name') when 'role' then find_plain(concat_ws(' ', p->>'name', p->>'role')) end
        from jsonb_array_elements(case jsonb_typeof(v.profile->'people') when 'array' then v.profile->'people' else '[]' end) p, unnest(array['name', 'role', 'mail', 'phone']) f
        where coalesce(p->>f, '') <> '';
$$;
create function find_contacts_again() returns trigger language plpgsql as $$
begin
    if tg_op <> 'INSERT' then
        delete from findable where kind = 'contact' and ref = old.id;
    end if;
    if tg_op <> 'DELETE' then
        perform find_contacts(new);
    end if;
    return null;
end
$$;
-- +goose StatementEnd
select find_contacts(v) from vendor v;
create trigger vendor_contacts_found after insert or update of profile or delete on vendor for each row execute function find_contacts_again();

-- The last digits of a number are what is legible on a label.
create index findable_ends on findable (reverse(folded) text_pattern_ops) where folded is not null;
