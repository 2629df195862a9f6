// Package attention orders what needs doing: at most one line for each live
// case, its most pressing reason and the step that answers it; rules.md section 5.
package attention

import (
	"fmt"
	"sort"

	"roundhouse.example/internal/core/deadline"
)

// Step is what answers a line.
type Step string

// The steps offered.
const (
	Answer  Step = "answer"
	Verify  Step = "verify"
	Chase   Step = "chase"
	Read    Step = "read"
	Decide  Step = "decide"
	Carry   Step = "carry" // take it to the vendor by hand
	LookAt  Step = "look"
	Return  Step = "return"
	Respond Step = "agree-or-dispute"
)

// Clock is a live deadline as far as pressure needs it.
type Clock struct {
	Kind     deadline.Kind
	Standing deadline.Standing
	Target   int64 // covered seconds
	Counted  int64
	Due      int64
	DueKnown bool
	// Over is the covered time since due, for a late one.
	Over int64
}

// Item is a dated item: a follow-up, a return from parking, the quiet limit.
type Item struct {
	What string
	Step Step
	Due  int64
	// Over is the covered time of our own calendar since due, Day one covered day of it.
	Over, Day int64
}

// Case is one live case at one instant.
type Case struct {
	Number   int64
	Severity int
	Clocks   []Clock
	Items    []Item
	// Undelivered says what of ours could not be delivered; empty when nothing.
	Undelivered string
	ByHand      bool // what is not delivered waits for a person to take it there
	Unread      bool
	// UnreadSince is the instant of the oldest unread message.
	UnreadSince  int64
	VendorClosed bool
	Parked       bool
	Now          int64
}

// Line is why a case stands on Today.
type Line struct {
	Number   int64
	Pressure float64
	Why      string
	Step     Step
	Standing deadline.Standing // of the clock that it is about; empty else
	Kind     string            // the deadline's name; empty else
	Due      int64
	HasDue   bool
}

var weights = [...]float64{1, 8, 4, 2, 1}

// Of is the most pressing line of a case; ok is false where nothing presses.
func Of(c Case) (Line, bool) {
	var best Line
	found := false
	consider := func(l Line, urgency float64) {
		l.Number, l.Pressure = c.Number, weights[c.Severity]*urgency
		if !found || Less(l, best) {
			best, found = l, true
		}
	}
	if c.Undelivered != "" {
		l := Line{Why: c.Undelivered, Step: Decide}
		if c.ByHand {
			l.Step = Carry
		}
		consider(l, 2)
	}
	if !c.Parked {
		for _, k := range c.Clocks {
			if l, urgency, ok := ofClock(k, c); ok {
				consider(l, urgency)
			}
		}
	}
	if c.Unread {
		l := Line{Why: "They wrote; nobody has read it", Step: Read}
		if c.VendorClosed {
			l = Line{Why: "They closed it: agree or dispute", Step: Respond}
		}
		consider(l, 0.5)
	} else if c.VendorClosed {
		consider(Line{Why: "They closed it: agree or dispute", Step: Respond}, 0.5)
	}
	for _, i := range c.Items {
		urgency := 0.25
		if i.Due <= c.Now {
			urgency = 1 + min(1, ratio(i.Over, i.Day))
		}
		consider(Line{Why: i.What, Step: i.Step, Due: i.Due, HasDue: true}, urgency)
	}
	return best, found
}

func ofClock(k Clock, c Case) (Line, float64, bool) {
	l := Line{Standing: k.Standing, Kind: k.Kind.String(), Due: k.Due, HasDue: k.DueKnown, Step: stepFor(k, c)}
	switch k.Standing {
	case deadline.Late:
		l.Why = fmt.Sprintf("%s late by %s", title(k.Kind), Span(k.Over))
		return l, 1 + min(1, ratio(k.Over, k.Target)), true
	case deadline.DueSoon, deadline.Running:
		l.Why = fmt.Sprintf("%s due", title(k.Kind))
		if k.Kind == deadline.Verification {
			l.Why = "Fix offered: try it, then accept or reject"
		}
		return l, min(1, ratio(k.Counted, k.Target)), true
	}
	return Line{}, 0, false // a paused clock asks for nothing
}

func stepFor(k Clock, c Case) Step {
	switch {
	case k.Kind == deadline.Verification:
		return Verify
	case c.VendorClosed && k.Kind.Ours():
		return Respond
	case k.Kind.Ours():
		return Answer
	case k.Standing == deadline.Late:
		return Chase
	}
	return LookAt
}

func ratio(a, b int64) float64 {
	if b <= 0 {
		return 1
	}
	return float64(a) / float64(b)
}

func title(k deadline.Kind) string {
	return [...]string{"First response", "Update", "Workaround", "Resolution", "Our answer", "Verification"}[k]
}

// Span writes covered seconds in the two largest units that say something.
func Span(s int64) string {
	switch {
	case s < 60:
		return fmt.Sprintf("%d s", s)
	case s < 3600:
		return fmt.Sprintf("%d min", s/60)
	case s%3600 < 60 || s >= 100*3600:
		return fmt.Sprintf("%d h", s/3600)
	}
	return fmt.Sprintf("%d h %d min", s/3600, s%3600/60)
}

// Less orders lines: highest pressure first, then the earlier due, then the number.
func Less(a, b Line) bool {
	switch {
	case a.Pressure != b.Pressure:
		return a.Pressure > b.Pressure
	case a.HasDue != b.HasDue:
		return a.HasDue
	case a.Due != b.Due:
		return a.Due < b.Due
	}
	return a.Number < b.Number
}

// Sort puts lines in order.
func Sort(lines []Line) {
	sort.SliceStable(lines, func(i, j int) bool { return Less(lines[i], lines[j]) })
}
