package dates

import (
	"context"
	"fmt"
	"time"

	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/dated"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/desk/cases"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	outboxdb "roundhouse.example/internal/store/outbox"
)

// Raise writes down that a rung of the vendor's ladder was told at an instant, by an entry of the record: from then on
// its answer is awaited, and those of lower rungs no longer are. answered says that it was given at once.
func (d *Dates) Raise(ctx context.Context, w *cases.Work, r outboxdb.Raising, entry int, at time.Time,
	answered int) error {
	item := casesdb.Item{Name: dated.Rung(r.Rung), Kind: dated.Escalation, Owed: deadline.Theirs, Rung: r.Rung, As: &r.As,
		Words: r.As.Called()}
	var err error
	if item.Due, err = d.within(ctx, w, r.As.Reply, at); err != nil {
		return err
	}
	text := fmt.Sprintf("Escalated to %s (rung %d of %d). Reason: %s", r.As.Called(), r.Rung, r.Of, r.Why)
	if item.Due != nil {
		due, err := d.said(ctx, w, *item.Due)
		if err != nil {
			return err
		}
		text += "\nAnswer due " + due + "."
	}
	if err := change(ctx, w, text, deadline.Raised, &item, entry, at); err != nil {
		return err
	}
	live, err := casesdb.LiveDated(ctx, w.Tx, []int64{w.Case.ID})
	if err != nil {
		return err
	}
	for n := range r.Rung {
		x := named(live, dated.Rung(n))
		if x == nil || x.Kind != dated.Escalation {
			continue
		}
		text := fmt.Sprintf("Passed up to rung %d: no answer from %s is expected any more.", r.Rung, x.Words)
		if err := change(ctx, w, text, deadline.ItemDropped, &casesdb.Item{Name: x.Name}, entry, at); err != nil {
			return err
		}
	}
	if answered == 0 || item.Due == nil {
		return nil
	}
	return change(ctx, w, "Escalation answered at once by entry "+fmt.Sprint(answered)+".", deadline.ItemKept,
		&casesdb.Item{Name: item.Name}, answered, at)
}

// Within is when something is due that the vendor does within some time of its hours from an instant on; nil where that
// is not said, or never comes.
func (d *Dates) Within(ctx context.Context, q db.Querier, hours int64, target string, at time.Time) (*time.Time,
	error) {
	t, err := calendar.ParseTarget(target)
	if err != nil || t.None {
		return nil, nil // the register has checked it; it must not hold up what has left
	}
	return d.DueIn(ctx, q, hours, t, at)
}

// DueIn is when a target of a vendor's hours is due that counts from an instant; nil where that never comes.
func (d *Dates) DueIn(ctx context.Context, q db.Querier, hours int64, t calendar.Target, at time.Time) (*time.Time,
	error) {
	g, err := d.hours.Compiled(ctx, q)
	if err != nil {
		return nil, err
	}
	c, err := g.Calendar(ctx, q, hours)
	if err != nil {
		return nil, err
	}
	return After(c, t, at), nil
}

// After is when a target of a calendar is due that counts from an instant; nil where that never comes.
func After(c *calendar.Lineage, t calendar.Target, at time.Time) *time.Time {
	due, err := c.At(at.Unix()).DueTarget(at.Unix(), t)
	if err != nil {
		return nil
	}
	return new(db.Instant(due))
}

func (d *Dates) within(ctx context.Context, w *cases.Work, target string, at time.Time) (*time.Time, error) {
	v, err := w.Vendor(ctx)
	if err != nil {
		return nil, err
	}
	return d.Within(ctx, w.Tx, v.HoursID, target, at)
}
