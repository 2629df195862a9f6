package record

import (
	"context"
	"reflect"
	"time"

	"roundhouse.example/internal/desk/hours"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
)

// Rewritten is a case whose caches were written anew.
type Rewritten struct {
	casesdb.Case
	// Fallen says that a live clock or date is due, or soon will be.
	Fallen bool
}

// Together replays several cases at once, on which nothing but time or hours has changed, and writes what follows: two
// orders of magnitude fewer statements than one by one. It leaves out those that somebody is changing, that come back
// from parking, or of which more follows than clocks and dates.
func (d *Record) Together(ctx context.Context, tx *db.Tx, ids []int64) (done []Rewritten, err error) {
	ctx = hours.Remember(ctx)
	now := d.Now()
	list, err := casesdb.LockFree(ctx, tx, ids)
	if err != nil || len(list) == 0 {
		return nil, err
	}
	histories, err := casesdb.Histories(ctx, tx, ids)
	if err != nil {
		return nil, err
	}
	vendors := make([]int64, len(list))
	for i := range list {
		vendors[i] = list[i].VendorID
	}
	ladders, err := ladders(ctx, tx, vendors)
	if err != nil {
		return nil, err
	}
	var save []casesdb.Case
	var cases []int64
	var clocks []casesdb.Deadline
	var items []casesdb.DatedItem
	for i := range list {
		c := list[i]
		if c.ParkedUntil != nil && !c.ParkedUntil.After(now) || len(histories[c.ID]) == 0 {
			continue
		}
		c.DerivedAt = now
		out, err := d.derive(ctx, tx, &c, histories[c.ID], ladders[c.VendorID], now)
		if err != nil || !sameButDates(list[i], c) {
			continue // by itself it is written whole, or says what is wrong
		}
		save, cases = append(save, c), append(cases, c.ID)
		clocks, items = append(clocks, out.Deadlines...), append(items, out.Dated...)
		done = append(done, Rewritten{c, out.Fallen(now)})
	}
	if len(save) == 0 {
		return nil, nil
	}
	if err := casesdb.ReplaceDatedOf(ctx, tx, cases, items); err != nil {
		return nil, err
	}
	if err := casesdb.ReplaceDeadlinesOf(ctx, tx, cases, clocks); err != nil {
		return nil, err
	}
	return done, casesdb.SaveDates(ctx, tx, save, now)
}

// sameButDates says whether two rows of a case differ in nothing but when it asks for attention, and for whose.
func sameButDates(a, b casesdb.Case) bool {
	for _, c := range []*casesdb.Case{&a, &b} {
		c.NextAt, c.WakeAt, c.DerivedAt, c.Advice, c.AdviceBecause = nil, nil, time.Time{}, nil, ""
	}
	return reflect.DeepEqual(plain(a), plain(b))
}

// plain is a row in which instants compare by value.
func plain(c casesdb.Case) casesdb.Case {
	v := reflect.ValueOf(&c).Elem()
	for i := range v.NumField() {
		if at, is := v.Field(i).Interface().(*time.Time); is && at != nil {
			v.Field(i).Set(reflect.ValueOf(new(at.UTC())))
		}
	}
	return c
}
