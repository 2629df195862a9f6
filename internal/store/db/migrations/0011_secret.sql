-- +goose Up
-- Secrets: what is known of them, and apart from it their values, sealed by a key that
-- is not in this database. What was done with them is kept for good.
create table vault_key (
    id      text primary key check (id <> ''),
    -- A known word, sealed with the key: a wrong key is found out at the start.
    wrapped bytea not null,
    proof   bytea not null,
    made_at timestamptz not null,
    current boolean not null
);
create unique index vault_key_current on vault_key (current) where current;

create table secret (
    id         bigint generated always as identity primary key,
    vendor_id  bigint references vendor,
    facts      jsonb not null,
    name       text not null generated always as (facts->>'name') stored unique,
    version    bigint not null default 1,
    changed_at timestamptz not null
);
create index secret_vendor on secret (vendor_id);

create table secret_value (
    secret_id bigint primary key references secret,
    key_id    text not null references vault_key,
    wrapped   bytea not null,
    value     bytea not null,
    sealed_at timestamptz not null
);
create index secret_value_key on secret_value (key_id);

create table secret_use (
    id        bigint generated always as identity primary key,
    secret_id bigint not null,
    name      text not null,
    act       text not null check (act in ('added', 'changed', 'sealed', 'revealed', 'sent', 'removed')),
    person_id bigint references person,
    case_id   bigint references support_case,
    entry     integer,
    host      text not null default '',
    why       text not null default '',
    -- Of one that was revealed or sent: which value it was, for those who have the key.
    digest    text not null default '',
    at        timestamptz not null
);
create index secret_use_secret on secret_use (secret_id, id);
create index secret_use_person on secret_use (person_id);
create index secret_use_case on secret_use (case_id);
create trigger secret_use_append_only before update or delete on secret_use
    for each row execute function refuse_change();
create trigger secret_use_no_truncate before truncate on secret_use
    execute function refuse_change();
