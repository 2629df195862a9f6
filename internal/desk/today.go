package desk

import (
	"context"
	"slices"
	"strings"
	"time"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/attention"
	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/store"
)

// Today is what needs doing next, with how the desk stands.
type Today struct {
	AsOf                                  time.Time
	Zone                                  string
	Lines                                 []TodayLine
	Late, DueSoon, Unread, OnTheWay, Live int
	// Contracts are those that end, or whose date to give notice comes, within 90
	// days, the nearest first.
	Contracts []Thing[register.Contract]
}

// TodayLine is why a case stands on Today.
type TodayLine struct {
	Case CaseLine
	attention.Line
}

// CaseLine is a case as lists show it, with the live clock that matters most.
type CaseLine struct {
	store.CaseRow
	Reference string
	Standing  deadline.Standing // empty where no clock is live
	Deadline  string
	Due       *time.Time
}

// Today orders the live cases of the desk, or of one person.
func (d *Desk) Today(ctx context.Context, a Actor, mine bool) (Today, error) {
	var t Today
	if err := a.may(access.Read); err != nil {
		return t, err
	}
	q := d.Store.DB
	g, err := d.compiled.fresh(ctx, q)
	if err != nil {
		return t, err
	}
	p, err := g.policy(ctx, q, 0)
	if err != nil {
		return t, err
	}
	t.AsOf, t.Zone = d.Now(), p.hours.Latest().Location().String()
	owner := int64(0)
	if mine {
		owner = a.ID
	}
	cases, err := store.LiveCases(ctx, q, owner)
	if err != nil {
		return t, err
	}
	live, err := d.liveOf(ctx, g, cases)
	if err != nil {
		return t, err
	}
	byNumber := map[int64]int{}
	var lines []attention.Line
	for i := range cases {
		c := &cases[i]
		byNumber[c.Number] = i
		about, standing, err := d.attend(ctx, c, live, p)
		if err != nil {
			return t, err
		}
		if casework.State(c.State).Live() {
			t.Live++
		}
		t.count(c, standing, len(live.deliveries[c.ID]))
		if l, ok := attention.Of(about); ok {
			lines = append(lines, l)
		}
	}
	attention.Sort(lines)
	for _, l := range lines {
		c := cases[byNumber[l.Number]]
		t.Lines = append(t.Lines, TodayLine{Case: d.line(c, live, t.AsOf.Unix()), Line: l})
	}
	t.Contracts, err = d.ending(ctx, t.AsOf.In(p.hours.Latest().Location()))
	return t, err
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

func (t *Today) count(c *store.CaseRow, standing deadline.Standing, deliveries int) {
	switch standing {
	case deadline.Late:
		t.Late++
	case deadline.DueSoon:
		t.DueSoon++
	}
	if c.Unread > 0 {
		t.Unread++
	}
	if deliveries > 0 {
		t.OnTheWay++
	}
}

// liveParts are what lists need beside the rows, for many cases at once.
type liveParts struct {
	compiled   *generation
	clocks     map[int64][]store.Deadline
	deliveries map[int64][]store.Delivery
	references map[int64]string
	calendars  map[int64]*calendar.Lineage
}

func (d *Desk) liveOf(ctx context.Context, g *generation, cases []store.CaseRow) (liveParts, error) {
	p := liveParts{g, map[int64][]store.Deadline{}, map[int64][]store.Delivery{}, map[int64]string{}, map[int64]*calendar.Lineage{}}
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
	open, err := store.OpenDeliveries(ctx, q, ids)
	if err != nil {
		return p, err
	}
	for _, o := range open {
		p.deliveries[o.CaseID] = append(p.deliveries[o.CaseID], o)
	}
	refs, err := store.References(ctx, q, ids)
	for _, r := range refs {
		if r.Whose == "vendor" {
			p.references[r.CaseID] = r.Value
		}
	}
	return p, err
}

// clockAt reads a cached clock at an instant not before it was written: between
// two entries nothing changes but the time.
func (p *liveParts) clockAt(k store.Deadline, now int64) attention.Clock {
	kind, _ := deadline.ParseKind(k.Kind)
	c := attention.Clock{Kind: kind, Target: k.TargetSeconds, Counted: k.CountedSeconds}
	cal := p.calendars[k.CalendarID].At(now)
	if k.Counting && now > k.CountedAt.Unix() {
		c.Counted += cal.Span(k.CountedAt.Unix(), now)
	}
	if k.DueAt != nil {
		c.Due, c.DueKnown = k.DueAt.Unix(), true
	}
	switch {
	case c.DueKnown && now > c.Due:
		c.Standing, c.Over = deadline.Late, cal.Span(c.Due, now)
	case !k.Counting:
		c.Standing = deadline.Paused
	case 4*(c.Target-c.Counted) <= c.Target:
		c.Standing = deadline.DueSoon
	default:
		c.Standing = deadline.Running
	}
	return c
}

var standingRank = map[deadline.Standing]int{deadline.Late: 0, deadline.DueSoon: 1, deadline.Running: 2, deadline.Paused: 3}

// foremost is the live clock that a list shows: late before soon before
// running before paused, then the earlier due.
func (p *liveParts) foremost(caseID, now int64) (best attention.Clock, ok bool) {
	for _, k := range p.clocks[caseID] {
		c := p.clockAt(k, now)
		a, b := standingRank[c.Standing], standingRank[best.Standing]
		if !ok || a < b || a == b && c.DueKnown && (!best.DueKnown || c.Due < best.Due) {
			best, ok = c, true
		}
	}
	return best, ok
}

// attend gathers what presses in a case.
func (d *Desk) attend(ctx context.Context, c *store.CaseRow, live liveParts, p *policy) (attention.Case, deadline.Standing, error) {
	now := d.Now().Unix()
	about := attention.Case{Number: c.Number, Severity: *c.Severity, Unread: c.Unread > 0, UnreadSince: unix(c.UnreadSince),
		VendorClosed: c.VendorClosedAt != nil, Parked: c.Parked, Now: now}
	for _, k := range live.clocks[c.ID] {
		about.Clocks = append(about.Clocks, live.clockAt(k, now))
	}
	for _, o := range live.deliveries[c.ID] {
		if o.State == ByHand {
			about.Undelivered, about.ByHand = "To be taken to the vendor by hand: "+o.Channel, true
		} else if o.State == Refused || o.NeedsPerson {
			about.Undelivered = "Could not be delivered: " + o.Problem
		} else if o.State == Unsure {
			about.Undelivered = "Nobody can say yet whether it arrived; it is being looked up"
		} else if o.Attempts > 1 {
			about.Undelivered = o.Problem
		}
	}
	item := func(what string, step attention.Step, due int64) {
		i := attention.Item{What: what, Step: step, Due: due, Day: 8 * 3600}
		if due <= now {
			i.Over = p.hours.At(now).Span(due, now)
		}
		about.Items = append(about.Items, i)
	}
	if c.ParkedUntil != nil {
		item("Parked until its date", attention.Return, c.ParkedUntil.Unix())
	} else if first, ok := live.foremost(c.ID, now); !ok || first.Standing == deadline.Paused {
		quiet, err := d.quietUntil(ctx, d.Store.DB, live.compiled, &c.Case)
		if err != nil {
			return about, "", err
		}
		item("Nothing is dated: look again", attention.LookAt, quiet)
	}
	first, _ := live.foremost(c.ID, now)
	return about, first.Standing, nil
}

// line is a case as lists show it.
func (d *Desk) line(c store.CaseRow, live liveParts, now int64) CaseLine {
	l := CaseLine{CaseRow: c, Reference: live.references[c.ID]}
	if first, ok := live.foremost(c.ID, now); ok {
		l.Standing, l.Deadline = first.Standing, first.Kind.String()
		if first.DueKnown {
			l.Due = instantPtr(first.Due)
		}
	}
	return l
}

// Cases is one page of the list; more says that there is another.
func (d *Desk) Cases(ctx context.Context, a Actor, f store.CaseFilter) (lines []CaseLine, more bool, err error) {
	if err := a.may(access.Read); err != nil {
		return nil, false, err
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
	g, err := d.compiled.fresh(ctx, d.Store.DB)
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
