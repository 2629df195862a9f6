package filing

import (
	"context"
	"slices"
	"time"

	"roundhouse.example/internal/store/db"
	hoursdb "roundhouse.example/internal/store/hours"
	registerdb "roundhouse.example/internal/store/register"

	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/desk/hours"
)

// TargetNow is a target for a level, and when it would fall due if its clock started now.
type TargetNow struct {
	Contract, Deadline, Target, Calendar string
	Due                                  *time.Time
}

func (d *Filing) targets(ctx context.Context, vendor int64, rank int, by hours.By) ([]TargetNow, error) {
	contracts, err := registerdb.ContractsOf(ctx, d.db.DB, vendor)
	if err != nil {
		return nil, err
	}
	g, err := d.hours.Compiled(ctx, d.db.DB)
	if err != nil {
		return nil, err
	}
	today, err := d.hours.Today(ctx, d.db.DB)
	if err != nil {
		return nil, err
	}
	contracts = slices.DeleteFunc(contracts, func(k registerdb.Contract) bool { return !k.InForce(today) })
	ids := make([]int64, len(contracts))
	for i, k := range contracts {
		ids[i] = k.ID
	}
	terms, rows, err := hours.CurrentTerms(ctx, d.db.DB, ids)
	if err != nil {
		return nil, err
	}
	var out []TargetNow
	for _, k := range contracts {
		first := len(out)
		for _, r := range hours.Narrow(rows[terms[k.ID].ID], by) {
			if r.Rank != rank {
				continue
			}
			p, err := d.targetNow(ctx, g, r)
			if err != nil {
				return nil, err
			}
			p.Contract = k.Number
			out = append(out, p)
		}
		slices.SortStableFunc(out[first:], func(a, b TargetNow) int {
			return deadline.Order(a.Deadline) - deadline.Order(b.Deadline)
		})
	}
	return out, nil
}

func (d *Filing) targetNow(ctx context.Context, g *hours.Compiled, r hoursdb.Term) (TargetNow, error) {
	p := TargetNow{Deadline: r.Deadline, Target: r.Target}
	t, err := calendar.ParseTarget(r.Target)
	if err != nil || t.None {
		return p, err
	}
	cal, err := g.Calendar(ctx, d.db.DB, *r.CalendarID)
	if err != nil {
		return p, err
	}
	p.Calendar = cal.Name
	now := d.Now().Unix()
	due, err := cal.At(now).DueTarget(now, t)
	if err != nil {
		return p, err
	}
	p.Due = new(db.Instant(due))
	return p, nil
}
