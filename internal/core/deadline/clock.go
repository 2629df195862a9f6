package deadline

import "sort"

// Standing is how a clock stands at an instant.
type Standing string

// The standings of rules.md section 4.
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

func (c *Clock) pause(from, to int64, why string) {
	if from < to {
		c.Segments = append(c.Segments, Segment{from, to, false, why})
	}
}

// carry makes the clock count or pause from at on.
func (c *Clock) carry(at int64, counted bool, why string) {
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

// Counted is the covered time counted up to an instant, in seconds.
func (c *Clock) Counted(at int64) int64 {
	var sum int64
	for _, s := range c.Segments {
		if s.Counted && s.From < at {
			sum += c.Term.Calendar.Span(s.From, min(s.To, at))
		}
	}
	return sum
}

// reached is the instant at which the counted time comes to d; ok is false
// while that is unknown. An ended clock is taken to have gone on where a
// counted stretch reaches up to its end.
func (c *Clock) reached(d int64) (at int64, ok bool) {
	if d <= 0 {
		return c.Start, true
	}
	var sum int64
	for _, s := range c.Segments {
		if !s.Counted {
			continue
		}
		goesOn := s.To == open || c.Outcome != Live && s.To == c.End
		if !goesOn {
			part := c.Term.Calendar.Span(s.From, s.To)
			if sum+part < d {
				sum += part
				continue
			}
		}
		at, err := c.Term.Calendar.Due(s.From, d-sum)
		return at, err == nil
	}
	return 0, false
}

// Due is the instant at which the counted time reaches the target; ok is false
// while it is unknown.
func (c *Clock) Due() (at int64, ok bool) { return c.reached(c.Seconds) }

// SoonFrom is the instant from which a quarter of the target or less is left.
func (c *Clock) SoonFrom() (at int64, ok bool) { return c.reached(c.Seconds - c.Seconds/4) }

// Counting says whether a live clock is counting now.
func (c *Clock) Counting() bool {
	k := len(c.Segments)
	return c.Outcome == Live && k > 0 && c.Segments[k-1].Counted
}

// Standing is how the clock stands at an instant not before its last event.
func (c *Clock) Standing(at int64) Standing {
	due, ok := c.Due()
	switch c.Outcome {
	case Met:
		if ok && c.End > due {
			return StandsMetLate
		}
		return StandsMet
	case Missed:
		return StandsMissed
	case Void:
		return StandsVoid
	case Replaced:
		return StandsReplaced
	}
	switch {
	case ok && at > due:
		return Late
	case !c.Counting():
		return Paused
	case 4*(c.Seconds-c.Counted(at)) <= c.Seconds:
		return DueSoon
	}
	return Running
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

// Rows are all clocks at an instant, ordered by start, deadline, end (live ones
// last) and as they were opened.
func (m *Machine) Rows(at int64) []Row {
	rows := make([]Row, len(m.clocks))
	for i := range m.clocks {
		c := &m.clocks[i]
		to := at
		if c.Outcome != Live {
			to = c.End
		}
		r := Row{Clock: c, Index: i, Standing: c.Standing(at), Counted: c.Counted(to), CountedTo: to}
		r.Due, r.DueKnown = c.Due()
		rows[i] = r
	}
	sort.SliceStable(rows, func(i, j int) bool {
		a, b := rows[i].Clock, rows[j].Clock
		switch {
		case a.Start != b.Start:
			return a.Start < b.Start
		case a.Kind != b.Kind:
			return a.Kind < b.Kind
		case (a.Outcome == Live) != (b.Outcome == Live):
			return b.Outcome == Live
		}
		return a.End < b.End
	})
	return rows
}
