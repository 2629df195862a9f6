package casework

import (
	"roundhouse.example/internal/core/dated"
	"roundhouse.example/internal/core/deadline"
)

// Dates are when a case asks for attention.
type Dates struct {
	// Next is the earliest instant, future or past, that asks for attention; every
	// live case has one (docs/rules.md, section 4, no case goes quiet). Zero where the
	// case is not live and nothing of it goes on.
	Next int64
	// Wake is when its standing changes by the mere passing of time; zero where it does not.
	Wake int64
}

// Next finds a case's dates as known at an instant. parkedUntil is zero where it
// is not parked until a date. quiet is asked where nothing else is dated: it gives
// the end of the quiet limit.
func Next(m *deadline.Machine, items *dated.Machine, now, parkedUntil int64, quiet func() (int64, error)) (d Dates,
	err error) {
	there := false
	next := func(at int64) {
		if !there || at < d.Next {
			d.Next, there = at, true
		}
	}
	wake := func(at int64) {
		if d.Wake == 0 || at < d.Wake {
			d.Wake = at
		}
	}
	if due, ok := items.Next(); ok {
		next(due)
	}
	if at, ok := items.Wake(now); ok {
		wake(at)
	}
	if m.Phase() != deadline.LivePhase {
		return d, nil
	}
	for i := range m.Clocks() {
		k := &m.Clocks()[i]
		if k.Outcome != deadline.Live {
			continue
		}
		if due, ok := k.Due(now); ok {
			next(due)
			if due >= now {
				wake(due + 1)
			}
		}
		if soon, ok := k.SoonFrom(now); ok && soon > now {
			wake(soon)
		}
	}
	if parkedUntil != 0 {
		next(parkedUntil)
		wake(parkedUntil)
	}
	if !there {
		d.Next, err = quiet()
	}
	return d, err
}
