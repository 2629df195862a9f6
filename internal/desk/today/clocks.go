package today

import (
	"roundhouse.example/internal/core/attention"
	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/deadline"
	casesdb "roundhouse.example/internal/store/cases"
)

// clockAsked is a live clock of a case, as its cache says: instants are seconds of the Unix era.
type clockAsked struct {
	kind                       deadline.Kind
	target, counted, countedAt int64
	due                        int64
	dueKnown, counting         bool
	calendar                   int64
}

func clockOf(k *casesdb.Deadline) clockAsked {
	c := clockAsked{target: k.TargetSeconds, counted: k.CountedSeconds, countedAt: k.CountedAt.Unix(),
		counting: k.Counting, calendar: k.CalendarID}
	c.kind, _ = deadline.ParseKind(k.Kind)
	if k.DueAt != nil {
		c.due, c.dueKnown = k.DueAt.Unix(), true
	}
	return c
}

// at reads a clock at an instant not before it was written: between two entries nothing changes but the time.
func (k *clockAsked) at(now int64, hours *calendar.Lineage) attention.Clock {
	c := attention.Clock{Kind: k.kind, Target: k.target, Counted: k.counted, Due: k.due, DueKnown: k.dueKnown}
	cal := hours.At(now)
	switch {
	case c.DueKnown && now > c.Due:
		c.Standing, c.Over = deadline.Late, cal.Span(c.Due, now)
		return c
	case !k.counting:
		c.Standing = deadline.Paused
		return c
	}
	if now > k.countedAt {
		c.Counted += cal.Span(k.countedAt, now)
	}
	c.Standing = deadline.Running
	if 4*(c.Target-c.Counted) <= c.Target {
		c.Standing = deadline.DueSoon
	}
	return c
}
