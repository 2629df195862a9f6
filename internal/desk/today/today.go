package today

import (
	"context"
	"slices"
	"strings"
	"time"

	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	listsdb "roundhouse.example/internal/store/lists"
	outboxdb "roundhouse.example/internal/store/outbox"
	registerdb "roundhouse.example/internal/store/register"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/attention"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/hours"
	"roundhouse.example/internal/desk/ladders"
	registry "roundhouse.example/internal/desk/register"
	"roundhouse.example/internal/desk/rota"
)

// View is what needs doing next, with how the desk stands.
type View struct {
	AsOf  time.Time
	Zone  string
	Lines []Line
	Sums
	// More says that there are lines after these.
	More bool
	// RotaGap is the next time within a week that nobody can be reached, while live cases need it; nil for none.
	RotaGap *rota.Gap
	// Contracts are those that end, or whose date to give notice comes, within 90
	// days, the nearest first. They stand on the first page only.
	Contracts []registry.Thing[register.Contract]
	// ToSort is how many cases have something that nobody could name yet.
	ToSort int
	// Drafts are the person's own that nobody has filed yet, the last changed first, at most maxDrafts. They stand on
	// the first page only.
	Drafts []CaseLine
}

const maxDrafts = 20

// Line is why a case stands on Today.
type Line struct {
	Case CaseLine
	attention.Line
	Advice *ladders.Advice // where it is to be escalated; nil else
}

// Filter narrows Today to one page of it.
type Filter struct {
	Scope
	Limit int
	// After is where the page before ended, as of At: an order that moves with time is
	// followed as it was when it was begun.
	After *attention.Line
	At    time.Time
}

// Next orders the live cases of the desk, or of one person, and gives a page of them.
func (d *Today) Next(ctx context.Context, a desk.Actor, f Filter) (View, error) {
	var t View
	if err := a.May(access.Read); err != nil {
		return t, err
	}
	q := d.db.DB
	g, err := d.hours.Compiled(ctx, q)
	if err != nil {
		return t, err
	}
	p, err := g.Policy(ctx, q, 0)
	if err != nil {
		return t, err
	}
	t.AsOf, t.Zone = d.Now(), p.Hours.Latest().Location().String()
	if f.After != nil && f.At.Before(t.AsOf) {
		t.AsOf = f.At
	}
	view, err := d.view(ctx)
	if err != nil {
		return t, err
	}
	only, err := d.scope(ctx, a, f.Scope)
	if err != nil {
		return t, err
	}
	view = view.of(a.Grant())
	now := t.AsOf.Unix()
	var places []place
	places, t.Sums = view.foremost(now, p.Hours.At(now), only, f.After, f.Limit+1)
	if t.More = len(places) > f.Limit; t.More {
		places = places[:f.Limit]
	}
	if t.Lines, err = d.todayLines(ctx, g, places, now); err != nil {
		return t, err
	}
	each := make([]*CaseLine, len(t.Lines))
	for i := range t.Lines {
		each[i] = &t.Lines[i].Case
	}
	if err := d.marked(ctx, a, each); err != nil || f.After != nil {
		return t, err
	}
	if t.Drafts, err = d.drafts(ctx, a); err != nil {
		return t, err
	}
	if t.ToSort, err = casesdb.CountUnsorted(ctx, q, a.Grant().Vendors); err != nil {
		return t, err
	}
	if t.RotaGap, err = d.rota.Warn(ctx, q); err != nil {
		return t, err
	}
	t.Contracts, err = d.ending(ctx, t.AsOf.In(p.Hours.Latest().Location()))
	return t, err
}

// drafts are a person's own, without those that are being filed: both are read at one instant, or a draft that leaves
// in between would be neither.
func (d *Today) drafts(ctx context.Context, a desk.Actor) (out []CaseLine, err error) {
	return out, d.db.Snapshot(ctx, func(q db.Querier) error {
		rows, err := listsdb.List(ctx, q, listsdb.Filter{States: []casework.State{casework.Draft}, Owner: a.ID,
			Only: a.Grant().Vendors, Sort: "changed", Limit: maxDrafts})
		if err != nil || len(rows) == 0 {
			return err
		}
		ids := make([]int64, len(rows))
		for i, r := range rows {
			ids[i] = r.ID
		}
		leaving, err := outboxdb.Open(ctx, q, ids)
		if err != nil {
			return err
		}
		for _, r := range rows {
			if !slices.ContainsFunc(leaving, func(x outboxdb.Delivery) bool { return x.CaseID == r.ID }) {
				out = append(out, CaseLine{Row: r})
			}
		}
		return nil
	})
}

// todayLines gives places the cases that they are of.
func (d *Today) todayLines(ctx context.Context, g *hours.Compiled, places []place, now int64) ([]Line, error) {
	ids := make([]int64, len(places))
	for i, l := range places {
		ids[i] = l.id
	}
	rows, err := casesdb.Rows(ctx, d.db.DB, ids)
	if err != nil {
		return nil, err
	}
	live, err := d.LiveOf(ctx, d.db.DB, g, rows)
	if err != nil {
		return nil, err
	}
	byID := make(map[int64]casesdb.Row, len(rows))
	for _, r := range rows {
		byID[r.ID] = r
	}
	lines := make([]Line, 0, len(places))
	for _, l := range places {
		lines = append(lines, Line{Case: d.Line(byID[l.id], live, now), Line: l.Line})
	}
	return lines, d.advise(ctx, g, lines)
}

// ending are the contracts that ask for attention on the date of an instant.
func (d *Today) ending(ctx context.Context, at time.Time) ([]registry.Thing[register.Contract], error) {
	today := at.Format(time.DateOnly)
	rows, err := registerdb.Things[register.Contract](ctx, d.db.DB, registerdb.Contracts,
		registerdb.ThingFilter{Limit: 100, Today: today, EndingOn: at.AddDate(0, 0, 90).Format(time.DateOnly),
			Uncounted: true})
	if err != nil {
		return nil, err
	}
	list, err := registry.Contracts.Whole(ctx, d.db.DB, rows, today)
	if err != nil {
		return nil, err
	}
	list = slices.DeleteFunc(list, func(k registry.Thing[register.Contract]) bool { return len(k.Warnings) == 0 })
	nearest := func(k registry.Thing[register.Contract]) string {
		if n := k.Facts.Notice; n >= today && n < k.Facts.Ends {
			return n
		}
		return k.Facts.Ends
	}
	slices.SortStableFunc(list, func(a, b registry.Thing[register.Contract]) int {
		return strings.Compare(nearest(a), nearest(b))
	})
	return list, nil
}
