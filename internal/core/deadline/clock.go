package deadline

import (
	"cmp"
	"math"
	"slices"

	"roundhouse.example/internal/core/calendar"
)

// Standing is how a clock stands at an instant.
type Standing string

// The standings of docs/rules.md, section 4.
const (
	Late           Standing = "late"
	Paused         Standing = "paused"
	DueSoon        Standing = "due-soon"
	Running        Standing = "running"
	StandsMet      Standing = "met"
	StandsMetLate  Standing = "met-late"
	StandsMissed   Standing = "missed"
	StandsVoid     Standing = "void"
	StandsReplaced Standing = "replaced"
)

// cut ends the clock's segments at an instant and drops what lies after it.
func (c *Clock) cut(at int64) {
	for len(c.Segments) > 0 {
		last := &c.Segments[len(c.Segments)-1]
		if last.From < at {
			last.To = min(last.To, at)
			return
		}
		c.Segments = c.Segments[:len(c.Segments)-1]
	}
}

func (c *Clock) pause(from, to int64, why Reason) {
	if from < to {
		c.Segments = append(c.Segments, Segment{from, to, false, why})
	}
}

// carry makes the clock count or pause from at on.
func (c *Clock) carry(at int64, counted bool, why Reason) {
	if k := len(c.Segments); k > 0 {
		last := &c.Segments[k-1]
		same := last.Counted == counted && last.Why == why
		if same && last.To >= at {
			last.To = open
			return
		}
		c.cut(at)
		if k = len(c.Segments); k > 0 {
			last = &c.Segments[k-1]
			if last.Counted == counted && last.Why == why && last.To == at {
				last.To = open
				return
			}
		}
	}
	c.Segments = append(c.Segments, Segment{at, open, counted, why})
}

// Hours is the calendar that the clock is measured in at an instant: as known
// then, and for an ended clock as known at its end.
func (c *Clock) Hours(at int64) *calendar.Calendar {
	if c.Outcome != Live {
		at = c.End
	}
	return c.Term.Calendar.At(at)
}

// Counted is the covered time counted up to an instant, in seconds.
func (c *Clock) Counted(at int64) int64 {
	sum, _, _ := c.measure(at, at, math.MaxInt64)
	return sum
}

// measure walks over the segments once: the covered time counted up to an
// instant, and the instant at which, as known at asOf, it comes to d; ok is false
// while that is unknown. An ended clock is taken to have gone on where a counted
// stretch reaches up to its end.
func (c *Clock) measure(to, asOf, d int64) (counted, reached int64, ok bool) {
	hours := c.Hours(asOf)
	var whole int64 // counted over all of the segments, whatever to is
	if d <= 0 {
		reached, ok = c.Start, true
	}
	for i := range c.Segments {
		s := &c.Segments[i]
		if !s.Counted {
			continue
		}
		end := min(s.To, to)
		var part int64
		if s.From < end {
			part = hours.Span(s.From, end)
			counted += part
		}
		if ok {
			continue
		}
		goesOn := s.To == open || c.Outcome != Live && s.To == c.End
		if end != s.To && !goesOn {
			part = hours.Span(s.From, s.To)
		}
		if goesOn || whole+part >= d {
			if d == math.MaxInt64 {
				continue
			}
			at, err := hours.Due(s.From, d-whole)
			if reached, ok = at, err == nil; !ok {
				return counted, 0, false
			}
		}
		whole += part
	}
	return counted, reached, ok
}

// Due is the instant at which the counted time reaches the target, as known at
// asOf; ok is false while it is unknown.
func (c *Clock) Due(asOf int64) (at int64, ok bool) {
	_, at, ok = c.measure(math.MinInt64, asOf, c.Seconds)
	return at, ok
}

// SoonFrom is the instant from which a quarter of the target or less is left.
func (c *Clock) SoonFrom(asOf int64) (at int64, ok bool) {
	_, at, ok = c.measure(math.MinInt64, asOf, c.Seconds-c.Seconds/4)
	return at, ok
}

// Reaches is the instant at which the counted time comes to a number of covered seconds, as known at asOf; ok is false
// while it is unknown.
func (c *Clock) Reaches(seconds, asOf int64) (at int64, ok bool) {
	_, at, ok = c.measure(math.MinInt64, asOf, seconds)
	return at, ok
}

// Counting says whether a live clock is counting now.
func (c *Clock) Counting() bool {
	k := len(c.Segments)
	return c.Outcome == Live && k > 0 && c.Segments[k-1].Counted
}

// Standing is how the clock stands at an instant not before its last event.
func (c *Clock) Standing(at int64) Standing { return c.row(at).Standing }

// row measures the clock once for all that is asked of it.
func (c *Clock) row(at int64) Row {
	r := Row{Clock: c, CountedTo: at}
	if c.Outcome != Live {
		r.CountedTo = c.End
	}
	if c.final.there {
		r.Counted, r.Due, r.DueKnown = c.final.counted, c.final.due, c.final.known
	} else {
		r.Counted, r.Due, r.DueKnown = c.measure(r.CountedTo, at, c.Seconds)
		if c.Outcome != Live {
			c.final = measured{r.Counted, r.Due, r.DueKnown, true}
		}
	}
	switch late := r.late(); {
	case c.Outcome == Met && late:
		r.Standing = StandsMetLate
	case c.Outcome == Met:
		r.Standing = StandsMet
	case c.Outcome == Missed:
		r.Standing = StandsMissed
	case c.Outcome == Void:
		r.Standing = StandsVoid
	case c.Outcome == Replaced:
		r.Standing = StandsReplaced
	case late:
		r.Standing = Late
	case !c.Counting():
		r.Standing = Paused
	case 4*(c.Seconds-r.Counted) <= c.Seconds:
		r.Standing = DueSoon
	default:
		r.Standing = Running
	}
	return r
}

// Row is a clock as it stands at one instant.
type Row struct {
	Clock    *Clock
	Index    int // as opened
	Due      int64
	DueKnown bool
	Standing Standing
	Counted  int64
	// CountedTo is the instant up to which Counted was taken: the end, or the one asked about.
	CountedTo int64
}

func (r *Row) late() bool { return r.DueKnown && r.CountedTo > r.Due }

// Rows are all clocks at an instant, ordered by start, deadline, end (live ones
// last) and as they were opened.
func (m *Machine) Rows(at int64) []Row {
	rows := make([]Row, len(m.clocks))
	for i := range m.clocks {
		rows[i] = m.clocks[i].row(at)
		rows[i].Index = i
	}
	slices.SortStableFunc(rows, func(x, y Row) int {
		a, b := x.Clock, y.Clock
		switch {
		case a.Start != b.Start:
			return cmp.Compare(a.Start, b.Start)
		case a.Kind != b.Kind:
			return cmp.Compare(a.Kind, b.Kind)
		case a.Outcome == Live && b.Outcome == Live:
			return 0
		case a.Outcome == Live:
			return 1
		case b.Outcome == Live:
			return -1
		}
		return cmp.Compare(a.End, b.End)
	})
	return rows
}
