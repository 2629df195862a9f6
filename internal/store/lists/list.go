// Package lists finds the cases of a list, by what they have in common and in an order, however many there are; and
// keeps named views of it.
package lists

import (
	"context"
	"fmt"
	"slices"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
)

// Filter narrows and orders the list of cases. The zero value is all, newest first.
type Filter struct {
	States     []casework.State
	Vendors    []string
	Kinds      []string
	Severities []int64
	Move       deadline.Side
	Owner      int64
	Words      string
	Asset      int64
	Account    int64
	Contract   int64
	// NoReference is of live cases to which the vendor has not given its number yet, though it gives numbers.
	NoReference bool
	// Late is of cases of which a deadline or a date is late, Unread of those with a message of the vendor's that nobody
	// has read, NotConfirmed of those of which something has left that the vendor has not confirmed in time; as of Now.
	Late, Unread, NotConfirmed bool
	Now                        time.Time
	// NextBefore and DueBefore are of cases that ask for attention, or have something due, before then.
	NextBefore, DueBefore *time.Time
	Origin                casework.Origin
	// Watcher is of what a person watches, by id; Among of these vendors, nil for all.
	Watcher int64
	Among   []int64
	// Unsorted is of cases of which something could not be named yet.
	Unsorted bool
	// Only are the vendors whose cases may be seen, by id; nil: all of them.
	Only []int64
	Sort string // newest, oldest, severity, changed, next
	// After is where the last page ended: the sort key and the number of its last row.
	After     bool
	AfterKey  string
	AfterCase int64
	Limit     int
}

// orders is the whitelist of sorts; each is backed by an index that has all that filters ask for, and ends with the
// number, which is unique. A missing severity counts as 9.
var orders = map[string]order{
	"newest": {"c.number desc", "c.number < :after_case"},
	"oldest": {"c.number", "c.number > :after_case"},
	"severity": {"coalesce(c.severity, 9), -c.number",
		"(coalesce(c.severity, 9), -c.number) > (CAST(:after_key AS integer), -CAST(:after_case AS bigint))"},
	"changed": {"c.changed_at desc, c.number desc",
		"(c.changed_at, c.number) < (CAST(:after_key AS timestamptz), :after_case)"},
	"next": {"c.next_at, c.number", "(c.next_at, c.number) > (CAST(:after_key AS timestamptz), :after_case)"},
}

// order is one sort: what it goes by, and what comes after a row.
type order struct{ by, after string }

// never is the key of a case that has no next date; such cases come last in that order.
const never = "infinity"

// SortKey is what a row sorts by, for the cursor.
func SortKey(sort string, r casesdb.Row) string {
	switch sort {
	case "severity":
		if r.Severity == nil {
			return "9"
		}
		return fmt.Sprint(*r.Severity)
	case "changed":
		return r.ChangedAt.Format(time.RFC3339Nano)
	case "next":
		if r.NextAt == nil {
			return never
		}
		return r.NextAt.Format(time.RFC3339Nano)
	}
	return ""
}

// List is one page of the list. What is in it is found first, in an index, then read: q is a snapshot where others
// change cases meanwhile, or the page would not be of one instant.
func List(ctx context.Context, q db.Querier, f Filter) ([]casesdb.Row, error) {
	ids, err := find(ctx, q, f)
	if err != nil || len(ids) == 0 {
		return nil, err
	}
	rows, err := casesdb.Rows(ctx, q, ids)
	place := make(map[int64]int, len(ids))
	for i, id := range ids {
		place[id] = i
	}
	slices.SortFunc(rows, func(a, b casesdb.Row) int { return place[a.ID] - place[b.ID] })
	return rows, err
}

// find gives the cases of one page in their order, by id.
func find(ctx context.Context, q db.Querier, f Filter) ([]int64, error) {
	order, ok := orders[f.Sort]
	if !ok {
		return nil, fmt.Errorf("no order %q", f.Sort)
	}
	var n narrowing
	n.facts(f)
	n.dates(f)
	for _, more := range []func(context.Context, db.Querier, Filter) error{n.vendors, n.watched, n.words} {
		if err := more(ctx, q, f); err != nil {
			return nil, err
		}
	}
	if f.Sort != "next" || f.asks() {
		return n.page(ctx, q, f, order)
	}
	// Those that ask for attention, which are few, then all others: each has its index.
	var ids []int64
	if !f.After || f.AfterKey != never {
		var err error
		if ids, err = n.and(casesdb.Asks).page(ctx, q, f, order); err != nil || len(ids) == f.Limit {
			return ids, err
		}
		f.After = false
	}
	f.Limit -= len(ids)
	others, err := n.and("c.next_at is null").page(ctx, q, f, orders["oldest"])
	return append(ids, others...), err
}

// asks says that what the filter lets through asks for attention at some time.
func (f Filter) asks() bool {
	ended := func(s casework.State) bool { return !s.Live() }
	return len(f.States) > 0 && !slices.ContainsFunc(f.States, ended) || f.NoReference || f.Late || f.NotConfirmed ||
		f.NextBefore != nil || f.DueBefore != nil
}
