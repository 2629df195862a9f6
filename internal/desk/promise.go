package desk

import (
	"context"

	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/store"
)

func (d *Desk) promise(ctx context.Context, g *generation, r store.Term) (Promise, error) {
	p := Promise{Deadline: r.Deadline, Target: r.Target}
	t, err := calendar.ParseTarget(r.Target)
	if err != nil || t.None {
		return p, err
	}
	cal, err := g.calendar(ctx, d.Store.DB, *r.CalendarID)
	if err != nil {
		return p, err
	}
	p.Calendar = cal.Name
	now := d.Now().Unix()
	due, err := cal.At(now).DueTarget(now, t)
	if err != nil {
		return p, err
	}
	p.Due = new(store.Instant(due))
	return p, nil
}
