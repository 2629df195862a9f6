-- +goose Up
-- What a person watches: a case, all cases of a vendor, or all of a severity.
create table watch (
    id        bigint generated always as identity primary key,
    person_id bigint not null references person,
    case_id   bigint references support_case,
    vendor_id bigint references vendor,
    severity  integer check (severity between 1 and 4),
    made_at   timestamptz not null,
    check (num_nonnulls(case_id, vendor_id, severity) = 1)
);
create unique index watch_of_case on watch (person_id, case_id) where case_id is not null;
create unique index watch_of_vendor on watch (person_id, vendor_id) where vendor_id is not null;
create unique index watch_of_severity on watch (person_id, severity) where severity is not null;
create index watch_case on watch (case_id) where case_id is not null;
create index watch_vendor on watch (vendor_id) where vendor_id is not null;

-- Lists by what asks for attention next, by what is due, and of what nobody has read.
create index support_case_next on support_case (coalesce(next_at, 'infinity'), number);
create index support_case_unread on support_case (number) where unread > 0;
create index support_case_origin on support_case (origin, number) where origin <> 'us';
create index deadline_due on deadline (due_at) where outcome = 'live';
create index dated_item_due on dated_item (due_at) where outcome = 'live';
