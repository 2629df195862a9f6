-- +goose Up
-- Words are kept as they are looked for: lower case, and whatever is no letter or digit is a space,
-- so that a host name or a path is found by each of its parts.
create function find_plain(t text) returns text language sql immutable parallel safe
    return trim(regexp_replace(lower(t), '[^[:alnum:]]+', ' ', 'g'));

create or replace function find_words(t text) returns tsquery language sql immutable parallel safe
    return to_tsquery('simple', coalesce((select string_agg(quote_literal(w) || ':*', ' & ') from string_to_table(find_plain(t), ' ') w where w <> ''), ''));

-- A word as it is and with each one of its letters left out. Two words that have one of these in common
-- differ by one slip: a letter wrong, missing, too many, or in another place.
create function find_slipped(w text) returns text[] language sql immutable parallel safe
    return array(select distinct left(w, i - 1) || substr(w, i + 1) from generate_series(1, length(w)) i) || w;

-- A slip is looked for among the distinct words, not among all texts. A word that two write at the
-- same moment may stand here twice, and one that nobody uses any more stays: neither finds anything wrong.
create table find_word (
    word text not null
);
create index find_word_same on find_word (word text_pattern_ops);
create index find_word_slipped on find_word using gin (find_slipped(word));

-- +goose StatementBegin
-- A plan made while the table was small must not read it whole when it has grown.
create function find_learn() returns trigger language plpgsql set enable_seqscan = off set enable_hashjoin = off set enable_mergejoin = off as $$
begin
    insert into find_word (word) select w from (select distinct w from added, string_to_table(words, ' ') w where w ~ '^[[:alpha:]]{4,40}$') x
        where not exists (select from find_word f where f.word = x.w);
    return null;
end
$$;
-- Each word as it is, or one of those that are a slip away from it. Only the index of slips is any use here.
create function find_slips(t text) returns tsquery language plpgsql stable parallel safe set enable_seqscan = off set enable_indexscan = off set enable_indexonlyscan = off as $$
declare
    w text;
    near text;
    whole text;
begin
    for w in select x from string_to_table(find_plain(t), ' ') x where x <> '' limit 12 loop
        near := null;
        if w ~ '^[[:alpha:]]{4,40}$' then
            select string_agg(quote_literal(word), ' | ') into near from (select distinct word from find_word where find_slipped(word) && find_slipped(w) limit 12) x;
        end if;
        -- The beginning of a word is one too, where a word begins so.
        if near is null or exists (select from find_word where word ~>=~ w and word ~<~ (w || U&'\+10FFFF')) then
            near := coalesce(near || ' | ', '') || quote_literal(w) || ':*';
        end if;
        whole := coalesce(whole || ' & ', '') || '(' || near || ')';
    end loop;
    return to_tsquery('simple', coalesce(whole, ''));
end
$$;
-- Identifiers that are a slip away: short ones as words are; of long ones two that differ by one slip
-- share of their n + 1 threes of characters at least n - 4, out of n + 5 together, a repeated one taken into account.
create function find_alike(t text, k text, n integer) returns setof findable language plpgsql stable parallel safe
    set pg_trgm.similarity_threshold = 0.5 set enable_seqscan = off set enable_indexscan = off as $$
declare
    f text := find_fold(t);
begin
    if length(f) between 4 and 12 then
        return query select * from findable a where length(a.folded) between 4 and 12 and not (a.kind = 'case' and a.field = 'number')
            and find_slipped(a.folded) && find_slipped(f) and (k = '' or a.kind = k) limit n;
    end if;
    if length(f) between 12 and 100 then
        perform set_config('pg_trgm.similarity_threshold', ((length(f) - 4.0) / (length(f) + 5))::text, true);
        return query select * from findable a where a.folded % f and (k = '' or a.kind = k) order by similarity(a.folded, f) desc limit n;
    end if;
end
$$;

-- A statement's rows at once: what is brought in by the thousand costs no more a row than the rows do.
create or replace function find_again() returns trigger language plpgsql set enable_seqscan = off as $$
declare
    what text := tg_argv[0];
begin
    if tg_op <> 'INSERT' then
        delete from findable where kind = what and ref in (select id from gone);
    end if;
    if tg_op <> 'DELETE' then
        insert into findable (kind, ref, field, shown, folded) select what, id, f, r->>f, find_fold(r->>f)
            from added x, lateral (select to_jsonb(x) || coalesce(to_jsonb(x)->'facts', '{}') as r) j, string_to_table(tg_argv[1], ',') f
            where coalesce(r->>f, '') <> '';
        insert into findable (kind, ref, field, shown, folded, words) select what, id, f, t, find_fold(t), find_plain(t)
            from added x, lateral (select to_jsonb(x) || coalesce(to_jsonb(x)->'facts', '{}') as r) j, string_to_table(tg_argv[2], ',') f,
            jsonb_array_elements_text(case jsonb_typeof(r->f) when 'array' then r->f else jsonb_build_array(r->f) end) t
            where t <> '';
    end if;
    return null;
end
$$;
create or replace function find_case_again() returns trigger language plpgsql as $$
begin
    if tg_op = 'UPDATE' then
        if new.title = old.title then
            return null;
        end if;
        delete from findable where kind = 'case' and ref = old.id and field in ('number', 'title');
    end if;
    insert into findable (kind, ref, field, shown, folded, words) values
        ('case', new.id, 'number', 'C-' || new.number, 'c' || new.number, null),
        ('case', new.id, 'title', new.title, null, find_plain(new.title));
    return null;
end
$$;
-- +goose StatementEnd

update findable set words = find_plain(words) where words is not null;
insert into find_word (word) select distinct w from findable, string_to_table(words, ' ') w where w ~ '^[[:alpha:]]{4,40}$';
create trigger findable_learned after insert on findable referencing new table as added for each statement execute function find_learn();
drop trigger product_found on product;
create trigger product_found after insert on product referencing new table as added for each statement execute function find_again('product', '', 'name,our_names');
create trigger product_found_anew after update on product referencing old table as gone new table as added for each statement execute function find_again('product', '', 'name,our_names');
create trigger product_found_no_more after delete on product referencing old table as gone for each statement execute function find_again('product');
drop trigger account_found on account;
create trigger account_found after insert on account referencing new table as added for each statement execute function find_again('account', 'number', 'name');
create trigger account_found_anew after update on account referencing old table as gone new table as added for each statement execute function find_again('account', 'number', 'name');
create trigger account_found_no_more after delete on account referencing old table as gone for each statement execute function find_again('account');
drop trigger contract_found on contract;
create trigger contract_found after insert on contract referencing new table as added for each statement execute function find_again('contract', 'number', 'level');
create trigger contract_found_anew after update on contract referencing old table as gone new table as added for each statement execute function find_again('contract', 'number', 'level');
create trigger contract_found_no_more after delete on contract referencing old table as gone for each statement execute function find_again('contract');
drop trigger asset_found on asset;
create trigger asset_found after insert on asset referencing new table as added for each statement execute function find_again('asset', 'serial,resource_id', 'name,model');
create trigger asset_found_anew after update on asset referencing old table as gone new table as added for each statement execute function find_again('asset', 'serial,resource_id', 'name,model');
create trigger asset_found_no_more after delete on asset referencing old table as gone for each statement execute function find_again('asset');
drop trigger vendor_found on vendor;
create trigger vendor_found after insert on vendor referencing new table as added for each statement execute function find_again('vendor', 'key', 'name');
create trigger vendor_found_anew after update on vendor referencing old table as gone new table as added for each statement execute function find_again('vendor', 'key', 'name');
create trigger vendor_found_no_more after delete on vendor referencing old table as gone for each statement execute function find_again('vendor');
drop index findable_words_like;
create index findable_slipped on findable using gin (find_slipped(folded)) where length(folded) between 4 and 12 and not (kind = 'case' and field = 'number');
create index findable_words_same on findable using hash (words) where words is not null;
