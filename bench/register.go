package main

import (
	"context"
	"fmt"
	"net/url"
	"time"

	hoursdb "roundhouse.example/internal/store/hours"
	peopledb "roundhouse.example/internal/store/people"
	registerdb "roundhouse.example/internal/store/register"

	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/service"
)

const things = 100_000

// grow makes the register and the cases as large as a great desk's.
func grow(ctx context.Context, d *service.Desk) error {
	for _, sql := range []string{
		// The indexes of what can be found are built once, not row by row.
		"drop index findable_folded_like, findable_words, findable_words_same, findable_slipped, find_word_slipped",
		fmt.Sprintf(`insert into asset (vendor_id, product_id, facts) select v.id, (select min(id) from product
			where vendor_id = v.id),
			jsonb_build_object('name', (array['Array','Server','Gate','Link','Ferry','Printer','Switch'])[1 + n %% 7] || ' '
			|| (array['Gannetholm','Ern','Marrowby','Skarv','Terna','Holm'])[1 + n %% 6] || ' ' || n,
			'serial', 'SN-' || lpad(to_hex(n * 7919), 8, '0') || '-' || n, 'model', 'M' || n %% 90, 'site', 'Site ' || n %%
			400, 'environment', 'production')
			from generate_series(1, %d) n join lateral (select id from vendor order by id offset n %% 3 limit 1) v
			on true`, things),
		fmt.Sprintf(`insert into product (vendor_id, facts) select (select min(id)
			from vendor), jsonb_build_object('name', 'Thing of kind ' || n) from generate_series(1, %d) n`, things),
		fmt.Sprintf(`insert into account (vendor_id, facts) select (select min(id)
			from vendor), jsonb_build_object('number', 'ACC-' || n) from generate_series(1, %d) n`, things),
		fmt.Sprintf(`insert into contract (vendor_id, number, facts, starts_on, ends_on) select (select max(id)
			from vendor), 'K-' || n, jsonb_build_object('number', 'K-' || n), date '2024-01-01', date '2026-01-01' + n %%
			900 from generate_series(1, %d) n`, things),
		fmt.Sprintf(`insert into support_case (number, vendor_id, contract_id, title, kind, facts, texts, opened_by,
			opened_at, state, changed_at, derived_at)
			select nextval('case_number'), (select min(id) from vendor), null,
			(array['Controller','Console','Snapshot','Certificate','Uplink','Queue','Bill'])[1 + n %% 7] || ' of ' ||
			(array['Gannetholm','Ern','Marrowby','Skarv','Terna','Holm'])[1 + n %% 6] || ' ' || translate(left(md5(n::text), 12),
			'0123456789abcdef', 'aeiourstlnmdkpbg') || ' ' || n,
			'fault', '{}', '{}', (select min(id) from person), now(), 'closed', now(), now()
			from generate_series(1, %d) n`, things-cases),
		"create index findable_folded_like on findable using gin (folded gin_trgm_ops) where folded is not null",
		"create index findable_words on findable using gin (to_tsvector('simple', words)) where words is not null",
		"create index findable_words_same on findable using hash (words) where words is not null",
		`create index findable_slipped on findable using gin (find_slipped(folded)) where length(folded) between 4 and 12
			and not (kind = 'case' and field = 'number')`,
		"create index find_word_slipped on find_word using gin (find_slipped(word))",
	} {
		if _, err := d.Store.DB.ExecContext(ctx, sql); err != nil {
			return err
		}
	}
	_, err := d.Store.DB.ExecContext(ctx, "vacuum analyze")
	return err
}

// registerBench compares what the API answers with the same statements alone.
// In one piece: what is measured side by side is read side by side.
func registerBench(ctx context.Context, d *service.Desk, get func(string) error) error {
	if err := grow(ctx, d); err != nil {
		return err
	}
	fmt.Printf("%d assets, products, accounts, contracts and cases each\n", things)
	var serials []string
	if err := d.Store.DB.Select(&serials,
		"select serial from asset where serial like 'SN-%' order by id limit 4000"); err != nil {
		return err
	}
	serial := func(i int) string { return serials[i*7919%len(serials)] }
	who := func() error {
		_, err := peopledb.ByID(ctx, d.Store.DB, 1)
		return err
	}
	find := func(what string, words func(int) string) error {
		return compare("find "+what, func(i int) error {
			return get("/find?words=" + url.QueryEscape(words(i)))
		}, func(i int) error {
			if err := who(); err != nil {
				return err
			}
			_, err := registerdb.Find(ctx, d.Store.DB, words(i), "", 12, nil)
			return err
		})
	}
	for _, x := range []struct {
		what  string
		words func(int) string
	}{
		{"a serial", serial}, {"a serial's beginning", func(i int) string {
			s := serial(i)
			return s[:len(s)-3]
		}}, {"a slip in a serial", func(i int) string {
			s := []byte(serial(i))
			s[5], s[6] = s[6], s[5]
			return string(s) + "x"
		}},
		{"two words", func(i int) string {
			return []string{"controller gannetholm", "snapshot ern", "gate marrowby"}[i%3]
		}}, {"a slip in a word", func(i int) string { return []string{"controlelr", "certifcate", "snaphsot"}[i%3] }},
		{"a slip in two words", func(i int) string {
			return []string{"controlelr hlasa", "certifcate skrav", "snaphsot tenra"}[i%3]
		}},
		{"nothing", func(i int) string { return fmt.Sprintf("qq%dzz", i) }},
	} {
		if err := find(x.what, x.words); err != nil {
			return err
		}
	}
	list := func(what, path string, plain func() error) error {
		return compare("list of "+what, func(int) error { return get(path) }, func(int) error {
			if err := who(); err != nil {
				return err
			}
			// The date of the desk, by which cover and contracts are judged.
			t, err := hoursdb.CurrentTerms(ctx, d.Store.DB, nil)
			if err == nil {
				_, err = hoursdb.CalendarStamp(ctx, d.Store.DB)
			}
			if err != nil || t.ID == 0 {
				return err
			}
			return plain()
		})
	}
	today := time.Now().Format(time.DateOnly)
	if err := list("assets", "/assets?limit=50", func() error {
		rows, err := registerdb.Things[register.Asset](ctx, d.Store.DB, registerdb.Assets,
			registerdb.ThingFilter{Limit: 51, Today: today})
		if err != nil {
			return err
		}
		var ids []int64
		for _, r := range rows {
			ids = append(ids, r.ID)
		}
		_, err = registerdb.Stretches(ctx, d.Store.DB, ids)
		return err
	}); err != nil {
		return err
	}
	if err := list("contracts", "/contracts?limit=50", func() error {
		_, err := registerdb.Things[register.Contract](ctx, d.Store.DB, registerdb.Contracts,
			registerdb.ThingFilter{Limit: 51, Today: today})
		return err
	}); err != nil {
		return err
	}
	if err := list("accounts", "/accounts?limit=50", func() error {
		_, err := registerdb.Things[register.Account](ctx, d.Store.DB, registerdb.Accounts, registerdb.ThingFilter{Limit: 51})
		return err
	}); err != nil {
		return err
	}
	return list("products", "/products?limit=50", func() error {
		_, err := registerdb.Things[register.Product](ctx, d.Store.DB, registerdb.Products, registerdb.ThingFilter{Limit: 51})
		return err
	})
}
