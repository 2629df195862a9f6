-- +goose Up
-- What is parked until a date is found for the calendar without a look at every case.
create index case_parked on support_case (parked_until) where parked_until is not null;
