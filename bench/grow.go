package main

import (
	"context"
	"fmt"

	"roundhouse.example/bench/apart"
	"roundhouse.example/internal/demo/firm"
	"roundhouse.example/internal/service"
)

// grown adds cases until there are a hundred thousand, a fifth of them live and apart in
// their dates.
func grown(ctx context.Context, d *service.Desk) error {
	model, err := modelCase(d)
	if err != nil {
		return err
	}
	if err := copies(ctx, d, model, cases+1, many, 2); err != nil {
		return err
	}
	// Their dates and counted times go apart, as those of real cases do.
	if _, err := d.Store.DB.ExecContext(ctx, `update deadline set
		due_at = due_at + make_interval(secs => (random() - 0.3) * 1000000),
		counted_seconds = least(target_seconds, floor(random() * target_seconds)::bigint)
		where ended_at is null and case_id in (select id from support_case where state = 'open')`); err != nil {
		return err
	}
	if _, err := d.Store.DB.ExecContext(ctx,
		"update support_case set unread = 1, unread_since = changed_at where state = 'open' and number % 7 = 0"); err != nil {
		return err
	}
	if _, err := d.Store.DB.ExecContext(ctx, "vacuum analyze"); err != nil {
		return err
	}
	var live int
	if err := d.Store.DB.Get(&live,
		"select count(*) from support_case where state in ('filed', 'open', 'fix-offered')"); err != nil {
		return err
	}
	fmt.Printf("%d cases, %d of them live\n", many, live)
	return nil
}

// fill plays the demo once and copies one of its live cases, with twenty entries,
// until there are ten thousand.
func fill(ctx context.Context, d *service.Desk) ([]firm.Person, []string, error) {
	people, err := apart.Play(ctx, d)
	if err != nil {
		return nil, nil, err
	}
	model, err := modelCase(d)
	if err != nil {
		return nil, nil, err
	}
	if err := copies(ctx, d, model, 1, cases, entries); err != nil {
		return nil, nil, err
	}
	if _, err := d.Store.DB.ExecContext(ctx, "vacuum analyze"); err != nil {
		return nil, nil, err
	}
	var names []string
	err = d.Store.DB.Select(&names, "select 'C-' || number from support_case where id > $1 order by id desc limit $2",
		model, cases)
	fmt.Printf("%d cases with %d entries each\n", cases, entries)
	return people, names, err
}

// modelCase is the live case that is copied: the first with most entries.
func modelCase(d *service.Desk) (id int64, err error) {
	return id, d.Store.DB.Get(&id, "select id from support_case where state = 'open' order by last_entry desc, id limit 1")
}

// copies of a case have the numbers from and to, and the given number of entries each; every fifth is live.
func copies(ctx context.Context, d *service.Desk, model int64, from, to, entries int) error {
	_, err := d.Store.DB.ExecContext(ctx, fmt.Sprintf(`do $$
		declare n integer; c bigint; e bigint; k integer; have integer; col text;
		begin
			select last_entry into have from support_case where id = %[1]d;
			select string_agg(quote_ident(column_name), ',') into col from information_schema.columns
				where table_name = 'support_case' and table_schema = 'public' and column_name not in ('id', 'number',
					'title', 'last_entry', 'severity', 'state');
			for n in %[4]d..%[2]d loop
				execute format('insert into support_case (number, title, last_entry, severity, state, %%s)
					select nextval(''case_number''), title || '' '' || $1, %[3]d, 1 + mod($1, 4), 
					case when mod($1, 5) = 0 then ''open'' else ''closed'' end, %%s
					from support_case where id = %[1]d returning id', col, col)
					into c using n;
				for k in 1..%[3]d loop
					insert into case_entry (case_id, number, kind, direction, author_id, author_name, channel, stated_at,
						happened_at, recorded_at, automatic, effect, body_hash)
						select c, k, case when k <= have then kind else 'note' end, case when k <= have then direction end,
							author_id, author_name, channel, stated_at,
							happened_at, recorded_at, automatic, case when k <= have then effect end, body_hash from case_entry
								where case_id = %[1]d and number = least(k, have)
						returning id into e;
					insert into entry_body (entry_id, body) select e, repeat('Words of some length, as people write them. ', 8);
				end loop;
				insert into deadline select c, opened, kind, rank, target, target_seconds, calendar_id, started_at, due_at,
					soon_at, ended_at, outcome, counting,
					counted_seconds, counted_at, start_entry, end_entry, rules from deadline where case_id = %[1]d;
				insert into case_reference (case_id, vendor_id, whose, value, folded) select c, vendor_id, whose, value
					|| '-' || n, folded || n from case_reference where case_id = %[1]d;
			end loop;
			update support_case set wake_at = null where state = 'closed'; -- else the sweep finds a live one's record
		end $$`, model, to, entries, from))
	return err
}
