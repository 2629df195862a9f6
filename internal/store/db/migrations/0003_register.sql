-- +goose Up
create extension if not exists pg_trgm;

-- What the register knows of a thing is one document, checked before it is written; columns beside
-- it are what SQL needs: references, order, what is unique.
create table product (
    id        bigint generated always as identity primary key,
    vendor_id bigint not null references vendor,
    facts     jsonb not null,
    version   bigint not null default 1,
    name      text not null generated always as (facts->>'name') stored
);
create unique index product_name on product (vendor_id, lower(name));
create index product_order on product (lower(name), id);

create table account (
    id        bigint generated always as identity primary key,
    vendor_id bigint not null references vendor,
    facts     jsonb not null,
    version   bigint not null default 1,
    number    text not null generated always as (facts->>'number') stored
);
create unique index account_number on account (vendor_id, lower(number));
create index account_order on account (lower(number), id);

alter table contract add column facts jsonb, add column version bigint not null default 1, add column notice_on date;
update contract set facts = jsonb_build_object('number', number, 'everything', true);
alter table contract alter column facts set not null,
    add column everything boolean not null generated always as (coalesce((facts->>'everything')::boolean, false)) stored;
create index contract_order on contract (ends_on, id);
create index contract_number_order on contract (lower(number), id);
create table contract_cover (
    contract_id bigint not null references contract on delete cascade,
    position    integer not null,
    product_id  bigint references product,
    account_id  bigint references account,
    primary key (contract_id, position),
    check (num_nonnulls(product_id, account_id) = 1)
);
create index contract_cover_product on contract_cover (product_id) where product_id is not null;
create index contract_cover_account on contract_cover (account_id) where account_id is not null;

create table asset (
    id          bigint generated always as identity primary key,
    vendor_id   bigint not null references vendor,
    product_id  bigint references product,
    account_id  bigint references account,
    contract_id bigint references contract,
    facts       jsonb not null,
    version     bigint not null default 1,
    name        text not null generated always as (facts->>'name') stored,
    serial      text generated always as (nullif(facts->>'serial', '')) stored,
    site        text generated always as (nullif(facts->>'site', '')) stored
);
create unique index asset_name on asset (vendor_id, lower(name));
create unique index asset_serial on asset (vendor_id, lower(serial)) where serial is not null;
create index asset_order on asset (lower(name), id);
create index asset_product on asset (product_id);
create index asset_account on asset (account_id);
create index asset_contract on asset (contract_id);

alter table support_case add column asset_id bigint references asset, add column account_id bigint references account;
create index case_asset on support_case (asset_id) where asset_id is not null;
create index case_account on support_case (account_id) where account_id is not null;

-- Promises can be narrowed; an empty text narrows nothing.
alter table term add column kind text not null default '', add column channel text not null default '', add column country text not null default '',
    alter column calendar_id drop not null,
    add check (calendar_id is not null or target = 'none');
alter table term drop constraint term_pkey, add primary key (terms_id, deadline, rank, kind, channel, country);

-- Everything that can be found, one row for each way to find it: an identifier (folded: lower case,
-- letters and digits only), words, or a name, which is both.
create table findable (
    kind   text not null,
    ref    bigint not null,
    field  text not null,
    shown  text not null,
    folded text,
    words  text
);
create index findable_ref on findable (kind, ref);
create index findable_folded on findable (folded text_pattern_ops) where folded is not null;
create index findable_folded_like on findable using gin (folded gin_trgm_ops) where folded is not null;
create index findable_words on findable using gin (to_tsvector('simple', words)) where words is not null;
create index findable_words_like on findable using gin (words gin_trgm_ops) where words is not null;

create function find_fold(t text) returns text language sql immutable parallel safe
    return regexp_replace(lower(t), '[^[:alnum:]]+', '', 'g');

-- Each word may be the beginning of one.
create function find_words(t text) returns tsquery language sql immutable parallel safe
    return to_tsquery('simple', coalesce((select string_agg(quote_literal(w) || ':*', ' & ') from regexp_split_to_table(lower(t), '[^[:alnum:]]+') w where w <> ''), ''));

-- +goose StatementBegin
create function find_again() returns trigger language plpgsql as $$
declare
    what text := tg_argv[0];
    r jsonb;
    f text;
begin
    if tg_op <> 'INSERT' then
        delete from findable where kind = what and ref = old.id;
    end if;
    if tg_op = 'DELETE' then
        return null;
    end if;
    r := to_jsonb(new) || coalesce(to_jsonb(new)->'facts', '{}');
    foreach f in array string_to_array(tg_argv[1], ',') loop
        if coalesce(r->>f, '') <> '' then
            insert into findable (kind, ref, field, shown, folded) values (what, new.id, f, r->>f, find_fold(r->>f));
        end if;
    end loop;
    foreach f in array string_to_array(tg_argv[2], ',') loop
        insert into findable (kind, ref, field, shown, folded, words) select what, new.id, f, t, find_fold(t), lower(t)
            from jsonb_array_elements_text(case jsonb_typeof(r->f) when 'array' then r->f else jsonb_build_array(r->f) end) t where t <> '';
    end loop;
    return null;
end
$$;
create function find_reference_again() returns trigger language plpgsql as $$
begin
    if tg_op <> 'INSERT' then
        delete from findable where kind = 'case' and ref = old.case_id and field = 'reference' and shown = old.value;
    end if;
    if tg_op <> 'DELETE' then
        insert into findable (kind, ref, field, shown, folded) values ('case', new.case_id, 'reference', new.value, find_fold(new.value));
    end if;
    return null;
end
$$;
create function find_case_again() returns trigger language plpgsql as $$
begin
    if tg_op = 'UPDATE' then
        if new.title = old.title then
            return null;
        end if;
        delete from findable where kind = 'case' and ref = old.id and field in ('number', 'title');
    end if;
    insert into findable (kind, ref, field, shown, folded, words) values
        ('case', new.id, 'number', 'C-' || new.number, 'c' || new.number, null),
        ('case', new.id, 'title', new.title, null, lower(new.title));
    return null;
end
$$;
-- +goose StatementEnd

create trigger product_found after insert or update or delete on product for each row execute function find_again('product', '', 'name,our_names');
create trigger account_found after insert or update or delete on account for each row execute function find_again('account', 'number', 'name');
create trigger contract_found after insert or update or delete on contract for each row execute function find_again('contract', 'number', 'level');
create trigger asset_found after insert or update or delete on asset for each row execute function find_again('asset', 'serial,resource_id', 'name,model');
create trigger vendor_found after insert or update or delete on vendor for each row execute function find_again('vendor', 'key', 'name');
create trigger case_found after insert or update of title on support_case for each row execute function find_case_again();
create trigger case_reference_found after insert or update or delete on case_reference for each row execute function find_reference_again();

insert into findable (kind, ref, field, shown, folded) select 'case', id, 'number', 'C-' || number, 'c' || number from support_case;
insert into findable (kind, ref, field, shown, words) select 'case', id, 'title', title, lower(title) from support_case;
insert into findable (kind, ref, field, shown, folded) select 'case', case_id, 'reference', value, find_fold(value) from case_reference;
insert into findable (kind, ref, field, shown, folded) select 'contract', id, 'number', number, find_fold(number) from contract;
insert into findable (kind, ref, field, shown, folded) select 'vendor', id, 'key', key, find_fold(key) from vendor;
insert into findable (kind, ref, field, shown, folded, words) select 'vendor', id, 'name', name, find_fold(name), lower(name) from vendor;
