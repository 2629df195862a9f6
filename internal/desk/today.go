package desk

import (
	"context"
	"errors"
	"slices"
	"strings"
	"time"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/attention"
	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/store"
)

// Today is what needs doing next, with how the desk stands.
type Today struct {
	AsOf  time.Time
	Zone  string
	Lines []TodayLine
	Sums
	// More says that there are lines after these.
	More bool
	// Contracts are those that end, or whose date to give notice comes, within 90
	// days, the nearest first. They stand on the first page only.
	Contracts []Thing[register.Contract]
}

// TodayLine is why a case stands on Today.
type TodayLine struct {
	Case CaseLine
	attention.Line
}

// TodayFilter narrows Today to one page of it.
type TodayFilter struct {
	Mine  bool
	Limit int
	// After is where the page before ended, as of At: an order that moves with time is
	// followed as it was when it was begun.
	After *attention.Line
	At    time.Time
}

// CaseLine is a case as lists show it, with the live clock that matters most.
type CaseLine struct {
	store.CaseRow
	Reference string
	Standing  deadline.Standing // empty where no clock is live
	Deadline  string
	Due       *time.Time
}

// Today orders the live cases of the desk, or of one person, and gives a page of them.
func (d *Desk) Today(ctx context.Context, a Actor, f TodayFilter) (Today, error) {
	var t Today
	if err := a.may(access.Read); err != nil {
		return t, err
	}
	q := d.Store.DB
	g, err := d.fresh(ctx, q)
	if err != nil {
		return t, err
	}
	p, err := g.policy(ctx, q, 0)
	if err != nil {
		return t, err
	}
	t.AsOf, t.Zone = d.Now(), p.hours.Latest().Location().String()
	if f.After != nil && f.At.Before(t.AsOf) {
		t.AsOf = f.At
	}
	view, err := d.view(ctx)
	if err != nil {
		return t, err
	}
	owner := int64(0)
	if f.Mine {
		owner = a.ID
	}
	now := t.AsOf.Unix()
	var places []place
	places, t.Sums = view.foremost(now, p.hours.At(now), owner, f.After, f.Limit+1)
	if t.More = len(places) > f.Limit; t.More {
		places = places[:f.Limit]
	}
	if t.Lines, err = d.todayLines(ctx, g, places, now); err != nil || f.After != nil {
		return t, err
	}
	t.Contracts, err = d.ending(ctx, t.AsOf.In(p.hours.Latest().Location()))
	return t, err
}

// todayLines gives places the cases that they are of.
func (d *Desk) todayLines(ctx context.Context, g *generation, places []place, now int64) ([]TodayLine, error) {
	ids := make([]int64, len(places))
	for i, l := range places {
		ids[i] = l.id
	}
	rows, err := store.CaseRows(ctx, d.Store.DB, ids)
	if err != nil {
		return nil, err
	}
	live, err := d.liveOf(ctx, g, rows)
	if err != nil {
		return nil, err
	}
	byID := make(map[int64]store.CaseRow, len(rows))
	for _, r := range rows {
		byID[r.ID] = r
	}
	lines := make([]TodayLine, 0, len(places))
	for _, l := range places {
		lines = append(lines, TodayLine{Case: d.line(byID[l.id], live, now), Line: l.Line})
	}
	return lines, nil
}

// ending are the contracts that ask for attention on the date of an instant.
func (d *Desk) ending(ctx context.Context, at time.Time) ([]Thing[register.Contract], error) {
	today := at.Format(time.DateOnly)
	rows, err := store.Things[register.Contract](ctx, d.Store.DB, store.Contracts, store.ThingFilter{Limit: 100, Today: today, EndingOn: at.AddDate(0, 0, 90).Format(time.DateOnly)})
	if err != nil {
		return nil, err
	}
	list, err := Contracts.whole(ctx, d.Store.DB, rows, today)
	if err != nil {
		return nil, err
	}
	list = slices.DeleteFunc(list, func(k Thing[register.Contract]) bool { return len(k.Warnings) == 0 })
	nearest := func(k Thing[register.Contract]) string {
		if n := k.Facts.Notice; n >= today && n < k.Facts.Ends {
			return n
		}
		return k.Facts.Ends
	}
	slices.SortStableFunc(list, func(a, b Thing[register.Contract]) int { return strings.Compare(nearest(a), nearest(b)) })
	return list, nil
}

// liveParts are what lists need beside the rows, for many cases at once.
type liveParts struct {
	compiled   *generation
	clocks     map[int64][]store.Deadline
	references map[int64]string
	calendars  map[int64]*calendar.Lineage
}

func (d *Desk) liveOf(ctx context.Context, g *generation, cases []store.CaseRow) (liveParts, error) {
	p := liveParts{g, map[int64][]store.Deadline{}, map[int64]string{}, map[int64]*calendar.Lineage{}}
	ids := make([]int64, len(cases))
	for i, c := range cases {
		ids[i] = c.ID
	}
	if len(ids) == 0 {
		return p, nil
	}
	q := d.Store.DB
	clocks, err := store.LiveDeadlines(ctx, q, ids)
	if err != nil {
		return p, err
	}
	for _, k := range clocks {
		p.clocks[k.CaseID] = append(p.clocks[k.CaseID], k)
		if p.calendars[k.CalendarID] == nil {
			if p.calendars[k.CalendarID], err = g.calendar(ctx, q, k.CalendarID); err != nil {
				return p, err
			}
		}
	}
	refs, err := store.References(ctx, q, ids)
	for _, r := range refs {
		if r.Whose == "vendor" {
			p.references[r.CaseID] = r.Value
		}
	}
	return p, err
}

var standingRank = map[deadline.Standing]int{deadline.Late: 0, deadline.DueSoon: 1, deadline.Running: 2, deadline.Paused: 3}

// foremost is the live clock that a list shows: late before soon before
// running before paused, then the earlier due.
func (p *liveParts) foremost(caseID, now int64) (best attention.Clock, ok bool) {
	for i := range p.clocks[caseID] {
		k := &p.clocks[caseID][i]
		c := clockAt(k, p.calendars[k.CalendarID], now)
		a, b := standingRank[c.Standing], standingRank[best.Standing]
		if !ok || a < b || a == b && c.DueKnown && (!best.DueKnown || c.Due < best.Due) {
			best, ok = c, true
		}
	}
	return best, ok
}

// line is a case as lists show it.
func (d *Desk) line(c store.CaseRow, live liveParts, now int64) CaseLine {
	l := CaseLine{CaseRow: c, Reference: live.references[c.ID]}
	if first, ok := live.foremost(c.ID, now); ok {
		l.Standing, l.Deadline = first.Standing, first.Kind.String()
		if first.DueKnown {
			l.Due = new(store.Instant(first.Due))
		}
	}
	return l
}

// vendorThere refuses a filter for a vendor that nobody has heard of: an empty list would say
// that it has nothing.
func (d *Desk) vendorThere(ctx context.Context, key string) error {
	_, err := store.VendorByKey(ctx, d.Store.DB, key)
	if errors.Is(err, store.ErrNotFound) {
		return invalid("vendor", "there is no vendor %.60q; see the list of vendors", key)
	}
	return err
}

// Cases is one page of the list; more says that there is another.
func (d *Desk) Cases(ctx context.Context, a Actor, f store.CaseFilter) (lines []CaseLine, more bool, err error) {
	if err := a.may(access.Read); err != nil {
		return nil, false, err
	}
	for _, key := range f.Vendors {
		if err := d.vendorThere(ctx, key); err != nil {
			return nil, false, err
		}
	}
	limit := f.Limit
	f.Limit++
	rows, err := store.Cases(ctx, d.Store.DB, f)
	if err != nil {
		return nil, false, err
	}
	if more = len(rows) > limit; more {
		rows = rows[:limit]
	}
	g, err := d.fresh(ctx, d.Store.DB)
	if err != nil {
		return nil, false, err
	}
	live, err := d.liveOf(ctx, g, rows)
	if err != nil {
		return nil, false, err
	}
	now := d.Now().Unix()
	for _, r := range rows {
		lines = append(lines, d.line(r, live, now))
	}
	return lines, more, nil
}
