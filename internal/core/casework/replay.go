package casework

import (
	"roundhouse.example/internal/core/dated"
	"roundhouse.example/internal/core/deadline"
)

// Replay runs a case's history up to and at an instant: its state, its
// clocks and its dated items. referenced says that the vendor's number is known, or that it gives
// none; that opens a filed case as the vendor's first word does.
func Replay(history []deadline.Event, asOf int64, referenced bool) (State, *deadline.Machine,
	*dated.Machine) {
	m, items := deadline.New(), new(dated.Machine)
	state, reopened := Draft, false
	for _, e := range history {
		if e.At > asOf {
			continue
		}
		before := m.Phase()
		items.Apply(m, e)
		switch after := m.Phase(); {
		case before == deadline.NotFiled && e.Kind == deadline.Withdrawn:
			return Withdrawn, m, items
		case before == deadline.Ended && after == deadline.LivePhase:
			reopened = true
		case before == deadline.LivePhase && after == deadline.Ended:
			state = Resolved
			if e.Kind == deadline.Closed {
				state = Closed
			}
		case before == deadline.Ended && e.Kind == deadline.Closed:
			state = Closed
		case after == deadline.Gone:
			state = Withdrawn
		}
	}
	if m.Phase() == deadline.LivePhase {
		switch {
		case m.FixOffered():
			state = FixOffered
		case reopened || m.Answered() || referenced:
			state = Open
		default:
			state = Filed
		}
	}
	return state, m, items
}
