package today

import (
	"context"
	"slices"
	"time"

	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	listsdb "roundhouse.example/internal/store/lists"
	registerdb "roundhouse.example/internal/store/register"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/attention"
	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/hours"
)

// CaseLine is a case as lists show it, with the live clock that matters most.
type CaseLine struct {
	casesdb.Row
	Reference string
	Standing  deadline.Standing // empty where no clock is live
	Deadline  string
	Due       *time.Time
	New       int // entries by others since the person who asks has read it
}

// marked says of live cases what is new to a person.
func (d *Today) marked(ctx context.Context, a desk.Actor, lines []*CaseLine) error {
	var live []int64
	for _, l := range lines {
		if l.State.Live() {
			live = append(live, l.ID)
		}
	}
	if len(live) == 0 {
		return nil
	}
	fresh, err := casesdb.NewTo(ctx, d.db.DB, a.ID, live, a.Grant().Hidden())
	for _, l := range lines {
		l.New = fresh[l.ID]
	}
	return err
}

// liveParts are what lists need beside the rows, for many cases at once.
type liveParts struct {
	compiled   *hours.Compiled
	clocks     map[int64][]casesdb.Deadline
	references map[int64]string
	calendars  map[int64]*calendar.Lineage
	References []casesdb.Reference // all of them, ours too
}

// LiveOf reads what lists need beside the rows, once for all of them.
func (d *Today) LiveOf(ctx context.Context, q db.Querier, g *hours.Compiled, cases []casesdb.Row) (liveParts, error) {
	p := liveParts{compiled: g, clocks: map[int64][]casesdb.Deadline{}, references: map[int64]string{},
		calendars: map[int64]*calendar.Lineage{}}
	ids := make([]int64, len(cases))
	for i, c := range cases {
		ids[i] = c.ID
	}
	if len(ids) == 0 {
		return p, nil
	}
	var clocks []casesdb.Deadline
	var err error
	if slices.ContainsFunc(cases, func(c casesdb.Row) bool { return c.State.Live() }) {
		if clocks, err = casesdb.LiveDeadlines(ctx, q, ids); err != nil {
			return p, err
		}
	}
	for _, k := range clocks {
		p.clocks[k.CaseID] = append(p.clocks[k.CaseID], k)
		if p.calendars[k.CalendarID] == nil {
			if p.calendars[k.CalendarID], err = g.Calendar(ctx, q, k.CalendarID); err != nil {
				return p, err
			}
		}
	}
	p.References, err = casesdb.References(ctx, q, ids)
	for _, r := range p.References {
		if r.Whose == "vendor" {
			p.references[r.CaseID] = r.Value
		}
	}
	return p, err
}

var standingRank = map[deadline.Standing]int{deadline.Late: 0, deadline.DueSoon: 1, deadline.Running: 2,
	deadline.Paused: 3}

// foremost is the live clock that a list shows: late before soon before
// running before paused, then the earlier due.
func (p *liveParts) foremost(caseID, now int64) (best attention.Clock, ok bool) {
	for i := range p.clocks[caseID] {
		k := clockOf(&p.clocks[caseID][i])
		c := k.at(now, p.calendars[k.calendar])
		a, b := standingRank[c.Standing], standingRank[best.Standing]
		if !ok || a < b || a == b && c.DueKnown && (!best.DueKnown || c.Due < best.Due) {
			best, ok = c, true
		}
	}
	return best, ok
}

// Line is a case as lists show it.
func (d *Today) Line(c casesdb.Row, live liveParts, now int64) CaseLine {
	l := CaseLine{Row: c, Reference: live.references[c.ID]}
	if first, ok := live.foremost(c.ID, now); ok {
		l.Standing, l.Deadline = first.Standing, first.Kind.String()
		if first.DueKnown {
			l.Due = new(db.Instant(first.Due))
		}
	}
	return l
}

// Cases is one page of the list; more says that there is another.
func (d *Today) Cases(ctx context.Context, a desk.Actor, f listsdb.Filter) (lines []CaseLine, more bool, err error) {
	return d.CasesOf(ctx, a, f, Scope{})
}

// CasesOf is Cases of a part of the desk.
func (d *Today) CasesOf(ctx context.Context, a desk.Actor, f listsdb.Filter, s Scope) (lines []CaseLine, more bool,
	err error) {
	if err := a.May(access.Read); err != nil {
		return nil, false, err
	}
	for _, key := range f.Vendors {
		if err := d.register.VendorThere(ctx, key); err != nil {
			return nil, false, err
		}
	}
	if f, err = d.narrowed(ctx, a, f, s); err != nil {
		return nil, false, err
	}
	limit := f.Limit
	f.Limit++
	var rows []casesdb.Row
	if err = d.db.Snapshot(ctx, func(q db.Querier) (err error) {
		rows, err = listsdb.List(ctx, q, f)
		return err
	}); err != nil {
		return nil, false, err
	}
	if more = len(rows) > limit; more {
		rows = rows[:limit]
	}
	g, err := d.hours.Compiled(ctx, d.db.DB)
	if err != nil {
		return nil, false, err
	}
	live, err := d.LiveOf(ctx, d.db.DB, g, rows)
	if err != nil {
		return nil, false, err
	}
	now := d.Now().Unix()
	lines = make([]CaseLine, len(rows))
	each := make([]*CaseLine, len(rows))
	for i, r := range rows {
		lines[i] = d.Line(r, live, now)
		each[i] = &lines[i]
	}
	return lines, more, d.marked(ctx, a, each)
}

// narrowed narrows a list to a part of the desk, as who asks may see it.
func (d *Today) narrowed(ctx context.Context, a desk.Actor, f listsdb.Filter, s Scope) (listsdb.Filter, error) {
	f.Only, f.Now = a.Grant().Vendors, d.Now()
	switch s.Whose {
	case Mine:
		f.Owner = a.ID
	case Watched:
		f.Watcher = a.ID
	case Access:
		ids, err := registerdb.VendorsOfAccess(ctx, d.db.DB, a.Email)
		f.Among = append([]int64{}, ids...)
		return f, err
	case Persons:
		id, err := d.person(ctx, s.Person)
		f.Owner = id
		return f, err
	}
	return f, nil
}
