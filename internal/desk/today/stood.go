package today

import (
	"context"
	"errors"
	"runtime"
	"slices"
	"time"

	"golang.org/x/sync/errgroup"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/attention"
	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/hours"
	"roundhouse.example/internal/desk/record"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	peopledb "roundhouse.example/internal/store/people"
	registerdb "roundhouse.example/internal/store/register"
)

// atOnce is how many cases are replayed with one question to the database.
const atOnce = 500

// past refuses a moment that has not come.
func (d *Today) past(m record.Moment) error {
	if m.At.After(d.Now()) {
		return desk.Fault("at", "this is in the future: give a time that has passed")
	}
	return nil
}

// stood are the cases of a desk as they stood at a moment, in the order of their ids; those that had ended and had
// nothing going on only with ended.
func (d *Today) stood(ctx context.Context, a desk.Actor, m record.Moment, ended bool) ([]record.Stood, error) {
	ids, err := casesdb.OpenedBy(ctx, d.db.DB, m.At, a.Grant().Vendors, ended)
	if err != nil {
		return nil, err
	}
	chunks := slices.Collect(slices.Chunk(ids, atOnce))
	parts := make([][]record.Stood, len(chunks))
	all, ctx := errgroup.WithContext(ctx)
	all.SetLimit(max(2, min(4, runtime.GOMAXPROCS(0))))
	for i, chunk := range chunks {
		all.Go(func() (err error) {
			parts[i], err = d.record.At(ctx, d.db.DB, chunk, m)
			return err
		})
	}
	if err := all.Wait(); err != nil {
		return nil, err
	}
	return slices.Concat(parts...), nil
}

// NextAt is what needed doing next at a moment that has passed, with how the desk stood: by the record alone, so
// without what was unread or on its way then. It has one page.
func (d *Today) NextAt(ctx context.Context, a desk.Actor, f Filter, m record.Moment) (t View, err error) {
	if err := a.May(access.Read); err != nil {
		return t, err
	}
	if err := d.past(m); err != nil {
		return t, err
	}
	ctx = hours.Remember(ctx)
	g, err := d.hours.Compiled(ctx, d.db.DB)
	if err != nil {
		return t, err
	}
	p, err := g.Policy(ctx, d.db.DB, 0)
	if err != nil {
		return t, err
	}
	t.AsOf, t.Zone = m.At, p.Hours.Latest().Location().String()
	only, err := d.scope(ctx, a, f.Scope)
	if err != nil {
		return t, err
	}
	stood, err := d.stood(ctx, a, m, false)
	if err != nil {
		return t, err
	}
	at := make(map[int64]*record.Stood, len(stood))
	var v boardView
	for i := range stood {
		s := &stood[i]
		if c := pressedAt(s); c.live || len(c.items) > 0 {
			v.list, at[s.ID] = append(v.list, c), s
		}
	}
	if v.calendars, err = calendarsOf(ctx, d.db.DB, g, v.list); err != nil {
		return t, err
	}
	now := m.At.Unix()
	var places []place
	places, t.Sums = v.foremost(now, p.Hours.At(now), only, nil, f.Limit+1)
	if t.More = len(places) > f.Limit; t.More {
		places = places[:f.Limit]
	}
	shown := make([]*record.Stood, len(places))
	for i, l := range places {
		shown[i] = at[l.id]
	}
	lines, err := d.linesAt(ctx, g, shown, now)
	for i, l := range lines {
		t.Lines = append(t.Lines, Line{Case: l, Line: places[i].Line})
	}
	if err != nil {
		return t, err
	}
	return t, d.advise(ctx, g, t.Lines)
}

// pressedAt is a case as Today looked at it at a moment.
func pressedAt(s *record.Stood) *pressed {
	c := &pressed{live: s.State.Live(), severity: 4, Pressing: casesdb.PressingOf(&s.Case)}
	if s.Severity != nil {
		c.severity = *s.Severity
	}
	for i := range s.Deadlines {
		if s.Deadlines[i].Outcome == "live" {
			c.clocks = append(c.clocks, clockOf(&s.Deadlines[i]))
		}
	}
	for _, x := range s.Dated {
		if x.Outcome == "live" {
			c.items = append(c.items, dateOf(x))
		}
	}
	return c
}

// linesAt are cases as lists showed them at a moment.
func (d *Today) linesAt(ctx context.Context, g *hours.Compiled, stood []*record.Stood, now int64) ([]CaseLine, error) {
	ids := make([]int64, len(stood))
	parts := liveParts{compiled: g, clocks: map[int64][]casesdb.Deadline{}, references: map[int64]string{}}
	var list []*pressed
	for i, s := range stood {
		ids[i] = s.ID
		parts.references[s.ID] = s.Numbers.Vendor
		list = append(list, pressedAt(s))
		for _, k := range s.Deadlines {
			if k.Outcome == "live" {
				parts.clocks[s.ID] = append(parts.clocks[s.ID], k)
			}
		}
	}
	var err error
	if parts.calendars, err = calendarsOf(ctx, d.db.DB, g, list); err != nil {
		return nil, err
	}
	rows, err := casesdb.Rows(ctx, d.db.DB, ids)
	if err != nil {
		return nil, err
	}
	byID := make(map[int64]casesdb.Row, len(rows))
	for _, r := range rows {
		byID[r.ID] = r
	}
	names, labels, err := d.namesAt(ctx, d.db.DB, stood)
	if err != nil {
		return nil, err
	}
	out := make([]CaseLine, len(stood))
	for i, s := range stood {
		r := byID[s.ID]
		r.Case, r.Owner, r.LevelLabel = s.Case, nil, nil
		if s.OwnerID != nil {
			r.Owner = new(names[*s.OwnerID])
		}
		if s.LevelRank != nil {
			r.LevelLabel = new(labels[level{s.VendorID, *s.LevelRank}])
		}
		out[i] = d.Line(r, parts, now)
	}
	return out, nil
}

// level is a vendor's level, by its rank.
type level struct {
	vendor int64
	rank   int
}

// namesAt are the names of those who owned cases, and the labels of their levels.
func (d *Today) namesAt(ctx context.Context, q db.Querier, stood []*record.Stood) (map[int64]string, map[level]string,
	error) {
	people, err := peopledb.All(ctx, q)
	if err != nil {
		return nil, nil, err
	}
	names := make(map[int64]string, len(people))
	for _, p := range people {
		names[p.ID] = p.Name
	}
	var vendors []int64
	for _, s := range stood {
		if !slices.Contains(vendors, s.VendorID) {
			vendors = append(vendors, s.VendorID)
		}
	}
	levels, err := registerdb.LevelsOf(ctx, q, vendors)
	labels := make(map[level]string, len(levels))
	for _, l := range levels {
		labels[level{l.VendorID, l.Rank}] = l.Label
	}
	return names, labels, err
}

// ListAt narrows a list of cases as they stood; empty fields narrow nothing.
type ListAt struct {
	Scope
	States     []casework.State // none for the live ones
	All        bool             // of any state
	Vendors    []string         // keys
	Severities []int64
	Limit      int
}

// CasesAt is a list of cases as they stood at a moment, the latest number first; more says that there are others.
func (d *Today) CasesAt(ctx context.Context, a desk.Actor, f ListAt, m record.Moment) (lines []CaseLine, more bool,
	err error) {
	if err := a.May(access.Read); err != nil {
		return nil, false, err
	}
	if err := d.past(m); err != nil {
		return nil, false, err
	}
	ctx = hours.Remember(ctx)
	g, err := d.hours.Compiled(ctx, d.db.DB)
	if err != nil {
		return nil, false, err
	}
	only, err := d.scope(ctx, a, f.Scope)
	if err != nil {
		return nil, false, err
	}
	var vendors []int64
	for _, key := range f.Vendors {
		v, err := registerdb.VendorByKey(ctx, d.db.DB, key)
		if err != nil {
			return nil, false, err
		}
		vendors = append(vendors, v.ID)
	}
	ended := f.All || slices.ContainsFunc(f.States, func(s casework.State) bool { return !s.Live() })
	stood, err := d.stood(ctx, a, m, ended)
	if err != nil {
		return nil, false, err
	}
	var shown []*record.Stood
	for i := range slices.Backward(stood) {
		s := &stood[i]
		switch {
		case len(f.States) > 0 && !slices.Contains(f.States, s.State), len(f.States) == 0 && !f.All && !s.State.Live(),
			len(vendors) > 0 && !slices.Contains(vendors, s.VendorID),
			len(f.Severities) > 0 && (s.Severity == nil || !slices.Contains(f.Severities, int64(*s.Severity))),
			only != nil && !only(pressedAt(s)):
			continue
		}
		if more = len(shown) == f.Limit; more {
			break
		}
		shown = append(shown, s)
	}
	lines, err = d.linesAt(ctx, g, shown, m.At.Unix())
	return lines, more, err
}

// CaseAt is a case as it stood at a moment; db.ErrNotFound where it was not opened yet.
func (d *Today) CaseAt(ctx context.Context, a desk.Actor, id int64, m record.Moment) (l CaseLine, s record.Stood,
	err error) {
	if err := a.May(access.Read); err != nil {
		return l, s, err
	}
	if err := d.past(m); err != nil {
		return l, s, err
	}
	ctx = hours.Remember(ctx)
	g, err := d.hours.Compiled(ctx, d.db.DB)
	if err != nil {
		return l, s, err
	}
	s, err = d.record.OneAt(ctx, d.db.DB, id, m)
	switch {
	case errors.Is(err, db.ErrNotFound):
		return l, s, desk.Fault("at", "the case was not there yet: it was opened later")
	case err != nil:
		return l, s, err
	case !a.Grant().SeesVendor(s.VendorID):
		return l, record.Stood{}, db.ErrNotFound
	}
	lines, err := d.linesAt(ctx, g, []*record.Stood{&s}, m.At.Unix())
	if err != nil {
		return l, s, err
	}
	return lines[0], s, nil
}

// LineOf is the line that a case had on Today at a moment; nil for none.
func (d *Today) LineOf(ctx context.Context, q db.Querier, g *hours.Compiled, s record.Stood, ours *calendar.Calendar,
	at time.Time) (*attention.Line, error) {
	return line(ctx, q, g, pressedAt(&s), ours, at)
}
