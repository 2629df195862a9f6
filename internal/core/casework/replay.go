package casework

import (
	"roundhouse.example/internal/core/dated"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/escalation"
)

// Replayed is what follows from a case's history.
type Replayed struct {
	State  State
	Clocks *deadline.Machine
	Items  *dated.Machine
	Raised *escalation.Machine
	// Ended is when the case was resolved or closed last, in seconds since 1970; 0 while it is live or was not filed.
	Ended int64
}

// Replay runs a case's history up to and at an instant. referenced says that the vendor's number is known, or that it
// gives none; that opens a filed case as the vendor's first word does.
func Replay(history []deadline.Event, asOf int64, referenced bool) Replayed {
	m := deadline.New()
	r := Replayed{State: Draft, Clocks: m, Items: new(dated.Machine), Raised: new(escalation.Machine)}
	reopened := false
	for _, e := range history {
		if e.At > asOf {
			continue
		}
		before := m.Phase()
		r.Raised.Apply(m, r.Items, e)
		switch after := m.Phase(); {
		case before == deadline.NotFiled && e.Kind == deadline.Withdrawn:
			r.State = Withdrawn
			return r
		case before == deadline.Ended && after == deadline.LivePhase:
			reopened = true
			r.Ended = 0
		case before == deadline.LivePhase && after == deadline.Ended:
			r.State, r.Ended = Resolved, e.At
			if e.Kind == deadline.Closed {
				r.State = Closed
			}
		case before == deadline.Ended && e.Kind == deadline.Closed:
			r.State = Closed
		case after == deadline.Gone:
			r.State = Withdrawn
		}
	}
	if m.Phase() == deadline.LivePhase {
		switch {
		case m.FixOffered():
			r.State = FixOffered
		case reopened || m.Answered() || referenced:
			r.State = Open
		default:
			r.State = Filed
		}
	}
	return r
}

// ReopenUntil is until when the vendor reopens a case that ended, or that it closed before, at an instant; ok is false
// where it has no limit.
func ReopenUntil(ended int64, days int) (until int64, ok bool) {
	return ended + int64(days)*24*60*60, days > 0 && ended != 0
}
