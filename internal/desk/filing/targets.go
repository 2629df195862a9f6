package filing

import (
	"context"
	"slices"
	"time"

	casesdb "roundhouse.example/internal/store/cases"
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
	// Took is how long the vendor took for this with the last cases by this channel at this level; zero where there
	// are none.
	Took deadline.Took
}

// lastAnswers is how many of the last cases show how long an answer really takes.
const lastAnswers = 20

// took is how long the vendor's first response really took at a level, by channel.
func (d *Filing) took(ctx context.Context, q db.Querier, vendor int64, rank int) (map[route.Kind]deadline.Took, error) {
	list, err := casesdb.LastAnswers(ctx, q, vendor, rank, lastAnswers)
	seconds := map[route.Kind][]int64{}
	for _, a := range list {
		seconds[a.Channel] = append(seconds[a.Channel], int64(a.EndedAt.Sub(a.StartedAt)/time.Second))
	}
	out := map[route.Kind]deadline.Took{}
	for k, s := range seconds {
		out[k] = deadline.TookOf(s)
	}
	return out, err
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
	took, err := d.took(ctx, q, f.Vendor.ID, f.Level.Rank)
	if err != nil {
		return nil, err
	}
	var seen []route.Kind
	for _, r := range f.Routes() {
		if slices.Contains(seen, r.Kind) {
			continue
		}
		seen = append(seen, r.Kind)
		by := hours.By{Kind: kind, Channel: r.Kind, Country: f.Country()}
		list, err := d.targetsNow(ctx, q, g, rows[terms[f.Contract.ID].ID], f.Level.Rank, by)
		if err != nil {
			return nil, err
		}
		for _, p := range list {
			if p.Deadline != deadline.Update.String() {
				p.Contract, p.Channel = f.Contract.Number, r.Kind
				if p.Deadline == deadline.FirstResponse.String() {
					p.Took = took[r.Kind]
				}
				out = append(out, p)
			}
		}
	}
	return out, nil
}

// targetsNow are the targets of a level among the rows of one contract, in the order of their deadlines.
func (d *Filing) targetsNow(ctx context.Context, q db.Querier, g *hours.Compiled, rows []hoursdb.Term, rank int,
	by hours.By) (out []TargetNow, err error) {
	for _, r := range hours.Narrow(rows, by) {
		if r.Rank != rank {
			continue
		}
		p, err := d.targetNow(ctx, q, g, r)
		if err != nil {
			return nil, err
		}
		out = append(out, p)
	}
	slices.SortStableFunc(out, func(a, b TargetNow) int {
		return deadline.Order(a.Deadline) - deadline.Order(b.Deadline)
	})
	return out, nil
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
		list, err := d.targetsNow(ctx, d.db.DB, g, rows[terms[k.ID].ID], rank, by)
		if err != nil {
			return nil, err
		}
		for _, p := range list {
			p.Contract = k.Number
			out = append(out, p)
		}
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
