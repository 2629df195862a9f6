package today

import (
	"cmp"
	"context"
	"slices"
	"strings"
	"time"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/dated"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/words"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/hours"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	registerdb "roundhouse.example/internal/store/register"
)

// Mark is one thing that is due on a case.
type Mark struct {
	Case     int64 // its number
	Title    string
	Severity int
	At       time.Time
	What     string
	Owed     deadline.Side
	Standing deadline.Standing
	id       int64
}

// Lane is what is due with one vendor, in order of time.
type Lane struct {
	Vendor, Key, Zone string
	Open              bool
	Until             *time.Time // when that changes, if it is known
	// Closed are the stretches of the span in which its support hours do not run.
	Closed []calendar.Window
	Marks  []Mark
	// Left is how many marks farther from now were left out.
	Left int
}

// Lanes are what is due between two instants, a lane for each vendor that has something due, the most pressing vendor
// first.
type Lanes struct {
	AsOf, From, To time.Time
	Zone           string
	Lanes          []Lane
	// Idle is how many vendors have nothing due.
	Idle int
}

const (
	mostLanes  = 60
	mostMarks  = 80  // of a lane
	mostClosed = 200 // stretches
)

// Span is the part of time that lanes show.
type Span struct {
	Scope
	From, To time.Time
	// Vendor narrows it to one, by key; empty for all.
	Vendor string
}

// Lanes are what is due with each vendor; what has been late since before the span is among it.
func (d *Today) Lanes(ctx context.Context, a desk.Actor, s Span) (out Lanes, err error) {
	if err := a.May(access.Read); err != nil {
		return out, err
	}
	if !s.From.Before(s.To) || s.To.Sub(s.From) > 40*24*time.Hour {
		return out, desk.Fault("to", "give a time after the beginning of the span, and at most 40 days after it")
	}
	g, err := d.hours.Compiled(ctx, d.db.DB)
	if err != nil {
		return out, err
	}
	zone, err := d.hours.Zone(ctx, d.db.DB)
	if err != nil {
		return out, err
	}
	out = Lanes{AsOf: d.Now(), From: s.From, To: s.To, Zone: zone.String()}
	only, err := d.scope(ctx, a, s.Scope)
	if err != nil {
		return out, err
	}
	view, err := d.view(ctx)
	if err != nil {
		return out, err
	}
	marks := view.of(a.Grant()).due(out.AsOf.Unix(), s.From.Unix(), s.To.Unix(), only)
	vendors, err := registerdb.Vendors(ctx, d.db.DB)
	if err != nil {
		return out, err
	}
	for _, v := range vendors {
		if !a.Grant().SeesVendor(v.ID) || s.Vendor != "" && v.Key != s.Vendor {
			continue
		}
		list := marks[v.ID]
		if len(list) == 0 {
			out.Idle++
			continue
		}
		l, err := d.lane(ctx, g, v, list, out)
		if err != nil {
			return out, err
		}
		out.Lanes = append(out.Lanes, l)
	}
	slices.SortStableFunc(out.Lanes, func(a, b Lane) int { return a.Marks[0].At.Compare(b.Marks[0].At) })
	if len(out.Lanes) > mostLanes {
		out.Idle, out.Lanes = out.Idle+len(out.Lanes)-mostLanes, out.Lanes[:mostLanes]
	}
	return out, d.titles(ctx, out.Lanes)
}

// lane is one vendor's, of marks that are many perhaps: those nearest to now stay.
func (d *Today) lane(ctx context.Context, g *hours.Compiled, v registerdb.Vendor, list []Mark, span Lanes) (Lane,
	error) {
	l := Lane{Vendor: v.Name, Key: v.Key, Zone: v.Zone, Marks: list}
	away := func(m Mark) time.Duration { return m.At.Sub(span.AsOf).Abs() }
	slices.SortStableFunc(l.Marks, func(a, b Mark) int { return cmp.Compare(away(a), away(b)) })
	if l.Left = len(l.Marks) - mostMarks; l.Left > 0 {
		l.Marks = l.Marks[:mostMarks]
	}
	l.Left = max(0, l.Left)
	slices.SortStableFunc(l.Marks, func(a, b Mark) int { return a.At.Compare(b.At) })
	line, err := g.Calendar(ctx, d.db.DB, v.HoursID)
	if err != nil {
		return l, err
	}
	cal, from := line.At(span.AsOf.Unix()), span.From.Unix()
	if l.Open, l.Until, err = d.hours.OpenNow(ctx, d.db.DB, g, v); err != nil {
		return l, err
	}
	for _, w := range cal.Windows(from, span.To.Unix(), mostClosed) {
		if w.Open > from {
			l.Closed = append(l.Closed, calendar.Window{Open: from, Close: w.Open})
		}
		from = w.Close
	}
	if from < span.To.Unix() {
		l.Closed = append(l.Closed, calendar.Window{Open: from, Close: span.To.Unix()})
	}
	return l, nil
}

// titles gives marks the titles of their cases.
func (d *Today) titles(ctx context.Context, lanes []Lane) error {
	var ids []int64
	for _, l := range lanes {
		for _, m := range l.Marks {
			ids = append(ids, m.id)
		}
	}
	titles, err := casesdb.Titles(ctx, d.db.DB, ids)
	for _, l := range lanes {
		for i := range l.Marks {
			l.Marks[i].Title = titles[l.Marks[i].id]
		}
	}
	return err
}

// due are the marks of a span, by vendor: live clocks whose due is known, dated items, ends of parking.
func (v boardView) due(now, from, to int64, only keeps) map[int64][]Mark {
	out := map[int64][]Mark{}
	for _, c := range v.list {
		if only != nil && !only(c) {
			continue
		}
		mark := func(at int64, what string, owed deadline.Side, standing deadline.Standing) {
			if at >= to || at < from && standing != deadline.Late {
				return
			}
			out[c.VendorID] = append(out[c.VendorID], Mark{Case: c.Number, Severity: c.severity, At: db.Instant(at),
				What: what, Owed: owed, Standing: standing, id: c.ID})
		}
		for i := range c.clocks {
			if !c.clocks[i].dueKnown || c.clocks[i].due >= to {
				continue
			}
			k := c.clocks[i].at(now, v.calendars[c.clocks[i].calendar])
			mark(k.Due, words.Deadlines.Of(k.Kind.String()), k.Kind.Owed(), k.Standing)
		}
		for i := range c.items {
			x := &c.items[i]
			what := words.Dated.Of(string(x.item.Kind)) + ": " + x.what
			if x.item.Kind == dated.Closing {
				what = x.what
			}
			mark(x.item.Due, what, x.item.Owed, x.item.Standing(now))
		}
		if c.live && c.ParkedUntil != nil {
			mark(c.ParkedUntil.Unix(), "Parked until then", deadline.Ours, deadline.Running)
		}
	}
	return out
}

// Coming is one thing that is due, with its vendor's name.
type Coming struct {
	Mark
	Vendor string
}

// Coming is what is due until an instant on a part of the desk, in order of time, and what is late.
func (d *Today) Coming(ctx context.Context, a desk.Actor, s Scope, until time.Time) (out []Coming, err error) {
	lanes, err := d.Lanes(ctx, a, Span{Scope: s, From: d.Now().AddDate(0, 0, -2), To: until})
	for _, l := range lanes.Lanes {
		for _, m := range l.Marks {
			out = append(out, Coming{m, l.Vendor})
		}
	}
	slices.SortStableFunc(out, func(a, b Coming) int {
		return cmp.Or(a.At.Compare(b.At), cmp.Compare(a.Case, b.Case), strings.Compare(a.What, b.What))
	})
	return out, err
}
