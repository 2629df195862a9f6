package lists

import (
	"context"
	"fmt"
	"net/url"
	"strconv"
	"strings"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	listsdb "roundhouse.example/internal/store/lists"
)

// values are those of a fact that the cases of a desk have: the most frequent, the rarest, and two between them.
func (d *desk) values(ctx context.Context, value, of string) (out []string, err error) {
	return out, d.Store.DB.SelectContext(ctx, &out, fmt.Sprintf(`with counted as (
			select x, row_number() over (order by count(*) desc, x) as n, count(*) over () as total
			from (select cast(%s as text) as x from support_case c join %s where c.state <> 'draft') y group by x)
		select x from counted where n in (1, 1 + total / 3, 1 + 2 * total / 3, total) order by n`, value, of))
}

// by is a filter of one parameter, with the values that take turns.
func by(name string, values []string, store func(value string, f *listsdb.Filter)) filter {
	return filter{name: name, values: len(values), query: func(i int) url.Values { return url.Values{name: {values[i]}} },
		store: func(i int, f *listsdb.Filter) { store(values[i], f) }}
}

// on is a filter that is on or off.
func on(name string, store func(*listsdb.Filter)) filter {
	return by(name, []string{"true"}, func(_ string, f *listsdb.Filter) { store(f) })
}

// byID is a filter by the id of something.
func byID(name string, ids []string, id func(*listsdb.Filter) *int64) filter {
	return by(name, ids, func(v string, f *listsdb.Filter) { *id(f), _ = strconv.ParseInt(v, 10, 64) })
}

// words is a filter by words.
func words(name, words string) filter {
	f := by("words", []string{words}, func(_ string, f *listsdb.Filter) { f.Words = words })
	f.name = name
	return f
}

// with narrows a filter by more.
func (f filter) with(name string, more url.Values, store func(*listsdb.Filter)) filter {
	query, was := f.query, f.store
	f.name = name
	f.query = func(i int) url.Values {
		q := query(i)
		for k, v := range more {
			q[k] = v
		}
		return q
	}
	f.store = func(i int, f *listsdb.Filter) {
		was(i, f)
		store(f)
	}
	return f
}

// filters are all that the list has, with values that find many cases and few.
func filters(ctx context.Context, d *desk) ([]filter, error) {
	found := map[string][]string{}
	for name, x := range map[string][2]string{
		"vendor": {"v.key", "vendor v on v.id = c.vendor_id"}, "person": {"p.email", "person p on p.id = c.owner_id"},
		"kind": {"c.kind", "vendor v on v.id = c.vendor_id"}, "asset": {"a.id", "asset a on a.id = c.asset_id"},
		"account": {"a.id", "account a on a.id = c.account_id"}, "contract": {"a.id", "contract a on a.id = c.contract_id"},
		"reference": {"r.value", "case_reference r on r.case_id = c.id and c.number = 1004000"},
	} {
		var err error
		if found[name], err = d.values(ctx, x[0], x[1]); err != nil {
			return nil, err
		}
	}
	people := map[string]int64{}
	for _, email := range append(found["person"], d.people[0].Email) {
		var id int64
		if err := d.Store.DB.GetContext(ctx, &id, "select id from person where email = $1", email); err != nil {
			return nil, err
		}
		people[email] = id
	}
	whose := func(part string) url.Values { return url.Values{"whose": {part}} }
	soon := time.Now().Add(8 * time.Hour).UTC().Truncate(time.Hour)
	all := filter{name: "no filter", query: func(int) url.Values { return url.Values{} },
		store: func(int, *listsdb.Filter) {}}
	middle := all
	middle.name, middle.later = "no filter, in the middle", true
	vendor := by("vendor", found["vendor"], func(v string, f *listsdb.Filter) { f.Vendors = []string{v} })
	isLive := func(f *listsdb.Filter) { f.States = casework.LiveStates }
	return []filter{
		all, middle,
		all.with("live", url.Values{"state": {"live"}}, isLive),
		by("state", []string{"fix-offered", "closed"}, func(v string, f *listsdb.Filter) {
			f.States = []casework.State{casework.State(v)}
		}),
		vendor, vendor.with("vendor, live", url.Values{"state": {"live"}}, isLive),
		by("kind", found["kind"], func(v string, f *listsdb.Filter) { f.Kinds = []string{v} }),
		by("severity", []string{"1", "4"}, func(v string, f *listsdb.Filter) {
			f.Severities = []int64{int64(v[0] - '0')}
		}),
		by("move", []string{"ours"}, func(_ string, f *listsdb.Filter) { f.Move = deadline.Ours }),
		by("person", found["person"], func(v string, f *listsdb.Filter) { f.Owner = people[v] }).
			with("a person's", whose("person"), func(*listsdb.Filter) {}),
		all.with("watched", whose("watched"), func(f *listsdb.Filter) { f.Watcher = people[d.people[0].Email] }),
		all.with("access list", whose("access"), func(f *listsdb.Filter) { f.Among = []int64{1, 2} }),
		byID("asset", found["asset"], func(f *listsdb.Filter) *int64 { return &f.Asset }),
		byID("account", found["account"], func(f *listsdb.Filter) *int64 { return &f.Account }),
		byID("contract", found["contract"], func(f *listsdb.Filter) *int64 { return &f.Contract }),
		on("late", func(f *listsdb.Filter) { f.Late = true }),
		on("unread", func(f *listsdb.Filter) { f.Unread = true }),
		on("not_confirmed", func(f *listsdb.Filter) { f.NotConfirmed = true }),
		on("no_reference", func(f *listsdb.Filter) { f.NoReference = true }),
		on("unsorted", func(f *listsdb.Filter) { f.Unsorted = true }),
		by("next_before", []string{soon.Format(time.RFC3339)}, func(_ string, f *listsdb.Filter) { f.NextBefore = &soon }),
		by("due_before", []string{soon.Format(time.RFC3339)}, func(_ string, f *listsdb.Filter) { f.DueBefore = &soon }),
		by("origin", []string{"vendor"}, func(_ string, f *listsdb.Filter) { f.Origin = casework.ByVendor }),
		words("a word of all titles", "berth"), words("two words", "berth 4000"), words("a number", "C-1004000"),
		words("a reference", strings.ToLower(found["reference"][0])), words("a word that is nowhere", "zeppelin"),
	}, nil
}
