-- +goose Up
-- A link is looked at when its time has come, by whichever service comes first: taking it moves
-- the time on, so that a look which nobody ended is taken up again by itself.
alter table link add column next_look_at timestamptz not null default now();
create index link_next_look on link (next_look_at);

-- What found no case is set aside and is looked at again only when its number becomes known; what
-- cannot be taken in is tried a few times, and keeps the reason.
alter table link_event add column aside_at timestamptz, add column tries integer not null default 0, add column problem text not null default '';
drop index link_event_waiting;
create index link_event_waiting on link_event (link_id, id) where case_id is null and aside_at is null;
create index link_event_ticket on link_event (link_id, ticket) where case_id is null;
create index link_event_aside on link_event (aside_at) where case_id is null and aside_at is not null;

-- "Not there" is believed when it was said twice, apart.
alter table delivery add column absent_at timestamptz;
-- Today asks for what waits for a person, in whatever state the case is.
create index delivery_needs_person on delivery (case_id) where needs_person;

-- People's changes carry a version. Signing in under an older credential than the present one counts for nothing.
alter table person add column version bigint not null default 1, add column credential integer not null default 1;
-- Tries to sign in, by address and by the person that was named, so that every service counts the same.
create unlogged table sign_in_try (
    id      bigint generated always as identity primary key,
    address text not null,
    person  text not null,
    at      timestamptz not null
);
create index sign_in_try_address on sign_in_try (address, at);
create index sign_in_try_at on sign_in_try (at);
-- A session that was ended stays ended, whatever a request under way writes back.
alter table sessions add column ended boolean not null default false;

-- What a case was filed or last reopened under is known from its record; the row had never been told.
update support_case c set terms_id = nullif(cast(e.effect->>'terms_id' as bigint), 0), policy_id = nullif(cast(e.effect->>'policy_id' as bigint), 0)
    from (select distinct on (case_id) case_id, effect from case_entry where effect->>'event' in ('filed', 'reopened') and effect ? 'policy_id'
        order by case_id, happened_at desc, number desc) e where e.case_id = c.id;

-- Which cases changed since somebody last looked is asked by the transaction that wrote them.
alter table support_case add column touched xid8 not null default pg_current_xact_id();
create index case_touched on support_case (touched);
-- +goose StatementBegin
create function touch_case() returns trigger language plpgsql as $$
begin
    new.touched := pg_current_xact_id();
    return new;
end
$$;
-- +goose StatementEnd
create trigger case_touched before update on support_case for each row execute function touch_case();
