// Package escalation says when a case is to be escalated, and to which rung of the vendor's ladder, by docs/rules.md,
// section 9. It is replayed from the same history as the clocks and the dated items.
//
//	var m escalation.Machine
//	for _, e := range history {
//		m.Apply(clocks, items, e)
//	}
//	to := m.Advice(ladder, clocks, items, now)
//
// Instants are whole seconds since 1970-01-01T00:00:00Z. Rungs count from 1, the lowest.
package escalation

import (
	"roundhouse.example/internal/core/dated"
	"roundhouse.example/internal/core/deadline"
)

// Rung says when one step of a ladder is due: when any of its conditions holds. The zero value has none: such a rung is
// raised by a person only.
type Rung struct {
	// LateBy is how many covered seconds a live clock of the vendor's has counted beyond its target; it must be late. Nil
	// where lateness does not matter.
	LateBy *int64
	// FixesRejected and Reopened are counts from 1; 0 where they do not matter. Fixes count since the case was filed or
	// last reopened, reopenings over its whole life.
	FixesRejected, Reopened int
	// OpenLonger is how many seconds, covered or not, have passed since the case was filed or last reopened, at Severity
	// (ours, now) or worse. Nil where it does not matter.
	OpenLonger *int64
	Severity   int
}

// Ladder is a vendor's rungs, from the lowest.
type Ladder []Rung

// Reason is why a rung is due.
type Reason string

// The reasons.
const (
	// Unanswered is that the answer to the rung below is late.
	Unanswered    Reason = "unanswered"
	Late          Reason = "late"
	FixesRejected Reason = "fixes-rejected"
	Reopened      Reason = "reopened"
	OpenLong      Reason = "open-long"
)

// Advice is the rung to escalate to, and why; the zero value is none.
type Advice struct {
	Rung    int
	Because Reason
}

// Machine replays what escalation asks of a history beside its clocks and dated items. The zero value is a case of
// which nothing is known yet.
type Machine struct {
	since              int64 // filed or last reopened
	rejected, reopened int
	highest            int // rung raised since then; 0 for none
}

// Replay applies the events up to and at asOf, in the order given.
func Replay(history []deadline.Event, asOf int64) (*deadline.Machine, *dated.Machine, *Machine) {
	clocks, items, m := deadline.New(), new(dated.Machine), new(Machine)
	for _, e := range history {
		if e.At <= asOf {
			m.Apply(clocks, items, e)
		}
	}
	return clocks, items, m
}

// Apply takes the next event, for the clocks and the items too. One that the state makes meaningless changes nothing.
func (m *Machine) Apply(clocks *deadline.Machine, items *dated.Machine, e deadline.Event) {
	before, fix := clocks.Phase(), clocks.FixOffered()
	items.Apply(clocks, e)
	switch live := clocks.Phase() == deadline.LivePhase; {
	case live && before != deadline.LivePhase:
		m.since, m.rejected, m.highest = e.At, 0, 0
		if e.Kind == deadline.Reopened {
			m.reopened++
		}
	case live && e.Kind == deadline.FixRejected && fix:
		m.rejected++
	case live && e.Kind == deadline.Raised && e.Item != nil:
		m.highest = max(m.highest, e.Item.Rung)
	}
}

// Highest is the highest rung raised since the case was filed or last reopened; 0 for none.
func (m *Machine) Highest() int { return m.highest }

// Reopened is how often the case was reopened.
func (m *Machine) Reopened() int { return m.reopened }

// Advice is the rung to escalate to at an instant not before the last event. The ladder is that of today: a rung that
// was raised may lie beyond its end.
func (m *Machine) Advice(ladder Ladder, clocks *deadline.Machine, items *dated.Machine, at int64) (none Advice) {
	if clocks.Phase() != deadline.LivePhase {
		return none
	}
	if answer := m.awaited(items); answer != nil && at > answer.Due {
		if m.highest < len(ladder) {
			return Advice{m.highest + 1, Unanswered}
		}
		return none
	}
	beyond := latest(clocks, at)
	for n := m.highest; n < len(ladder); n++ {
		r := &ladder[n]
		switch {
		case r.LateBy != nil && beyond >= *r.LateBy:
			return Advice{n + 1, Late}
		case r.FixesRejected > 0 && m.rejected >= r.FixesRejected:
			return Advice{n + 1, FixesRejected}
		case r.Reopened > 0 && m.reopened >= r.Reopened:
			return Advice{n + 1, Reopened}
		case r.OpenLonger != nil && clocks.Severity() <= r.Severity && at-m.since >= *r.OpenLonger:
			return Advice{n + 1, OpenLong}
		}
	}
	return none
}

// awaited is the answer that is expected to the highest rung raised; nil where none is.
func (m *Machine) awaited(items *dated.Machine) *dated.Item {
	if m.highest == 0 {
		return nil
	}
	return items.Live(dated.Rung(m.highest))
}

// latest is how many seconds the latest of the vendor's clocks has counted beyond its target; -1 where none is late.
func latest(clocks *deadline.Machine, at int64) int64 {
	most := int64(-1)
	for i := range clocks.Clocks() {
		c := &clocks.Clocks()[i]
		if c.Outcome == deadline.Live && !c.Kind.Ours() && c.Standing(at) == deadline.Late {
			most = max(most, c.Counted(at)-c.Seconds)
		}
	}
	return most
}

// Wake is the next instant after now at which the advice may change by the mere passing of time; ok is false where
// there is none.
func (m *Machine) Wake(ladder Ladder, clocks *deadline.Machine, items *dated.Machine, now int64) (at int64, ok bool) {
	if clocks.Phase() != deadline.LivePhase {
		return 0, false
	}
	consider := func(x int64) {
		if x > now && (!ok || x < at) {
			at, ok = x, true
		}
	}
	if answer := m.awaited(items); answer != nil {
		consider(answer.Due + 1)
	}
	for n := m.highest; n < len(ladder); n++ {
		r := &ladder[n]
		if r.OpenLonger != nil && clocks.Severity() <= r.Severity {
			consider(m.since + *r.OpenLonger)
		}
		if r.LateBy == nil {
			continue
		}
		for i := range clocks.Clocks() {
			c := &clocks.Clocks()[i]
			if c.Outcome != deadline.Live || c.Kind.Ours() {
				continue
			}
			due, known := c.Due(now)
			if reached, counts := c.Reaches(c.Seconds+*r.LateBy, now); known && counts {
				consider(max(due+1, reached))
			}
		}
	}
	return at, ok
}
