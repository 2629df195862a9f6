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
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/desk/hours"
)

// TargetNow is a target for a level, and when it would fall due if its clock started now.
type TargetNow struct {
	Contract, Deadline, Target, Calendar string
	Channel                              route.Kind // the case would go by; empty where that was not asked
	Due                                  *time.Time
}

// Promised is what filing a case now would start: for each channel by which it can go, the targets of its contract at
// its level that count from the filing, and when they would fall due. Updates are not among them: they count from the
// vendor's first response.
func (d *Filing) Promised(ctx context.Context, q db.Querier, f *Case, kind string) (out []TargetNow, err error) {
	if f.Level == nil || f.Contract == nil {
		return nil, nil
	}
	g, err := d.hours.Compiled(ctx, q)
	if err != nil {
		return nil, err
	}
	terms, rows, err := hours.CurrentTerms(ctx, q, []int64{f.Contract.ID})
	if err != nil {
		return nil, err
	}
	var seen []route.Kind
	for _, r := range f.Routes() {
		if slices.Contains(seen, r.Kind) {
			continue
		}
		seen = append(seen, r.Kind)
		first := len(out)
		by := hours.By{Kind: kind, Channel: r.Kind, Country: f.Country()}
		for _, x := range hours.Narrow(rows[terms[f.Contract.ID].ID], by) {
			if x.Rank != f.Level.Rank || x.Deadline == deadline.Update.String() {
				continue
			}
			p, err := d.targetNow(ctx, q, g, x)
			if err != nil {
				return nil, err
			}
			p.Contract, p.Channel = f.Contract.Number, r.Kind
			out = append(out, p)
		}
		inOrder(out[first:])
	}
	return out, nil
}

func inOrder(list []TargetNow) {
	slices.SortStableFunc(list, func(a, b TargetNow) int {
		return deadline.Order(a.Deadline) - deadline.Order(b.Deadline)
	})
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
			p, err := d.targetNow(ctx, d.db.DB, g, r)
			if err != nil {
				return nil, err
			}
			p.Contract = k.Number
			out = append(out, p)
		}
		inOrder(out[first:])
	}
	return out, nil
}

func (d *Filing) targetNow(ctx context.Context, q db.Querier, g *hours.Compiled, r hoursdb.Term) (TargetNow, error) {
	p := TargetNow{Deadline: r.Deadline, Target: r.Target}
	t, err := calendar.ParseTarget(r.Target)
	if err != nil || t.None {
		return p, err
	}
	cal, err := g.Calendar(ctx, q, *r.CalendarID)
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
