package desk

import (
	"context"

	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/store"
)

// order is a deadline's place in the rules' table.
func order(name string) int {
	k, err := deadline.ParseKind(name)
	if err != nil {
		return 99
	}
	return int(k)
}

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
	p.Due = instantPtr(due)
	return p, nil
}
