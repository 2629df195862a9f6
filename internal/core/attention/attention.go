// Package attention orders what needs doing: at most one line for each live
// case, its most pressing reason and the step that answers it; docs/rules.md, section 5.
//
// It is asked for every live case of a desk at once, so that a line is made without
// any words; Why says them for the few that are shown.
package attention

import (
	"cmp"
	"fmt"
	"slices"

	"roundhouse.example/internal/core/dated"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/escalation"
	"roundhouse.example/internal/core/words"
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
	Send    Step = "send" // a person sends it to the vendor
	LookAt  Step = "look"
	Resume  Step = "resume"
	Respond Step = "agree-or-dispute"
	Keep    Step = "keep" // what was to happen has happened
	Call    Step = "call" // the call that was to come is written down
	Confirm Step = "receipt"
	Number  Step = "reference"
	Raise   Step = "escalate" // to the next rung of the vendor's ladder
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

// Item is a dated item: a promise, a follow-up, a return from parking, the quiet limit.
type Item struct {
	Name string // of a dated item of the record
	// Kind and Owed are those of a dated item of the record; empty for the other dates of a case.
	Kind deadline.ItemKind
	Owed deadline.Side
	What string // what is to happen
	Step Step   // of the other dates
	Due  int64
	// Standing is that of a dated item of the record; empty for the other dates of a case.
	Standing deadline.Standing
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
	ToSend      bool // what is not delivered waits for a person to take it there
	Unread      bool
	// UnreadSince is the instant of the oldest unread message.
	UnreadSince  int64
	VendorClosed bool
	// Unnumbered says that the vendor has not given its reference yet.
	Unnumbered bool
	Parked     bool
	// Advice is whom to escalate to, and Raised the highest rung raised so far; 0 for none.
	Advice escalation.Advice
	Raised int
	Now    int64
}

// Line is why a case stands on Today.
type Line struct {
	Number   int64
	Pressure float64
	Step     Step
	Standing deadline.Standing // of the clock or dated item that it is about; empty else
	Kind     deadline.Kind     // of that clock
	Over     int64             // covered seconds that it is late
	Due      int64
	HasDue   bool
	// Item is the kind of the dated item that it is about, and Name its name on its case; empty else.
	Item deadline.ItemKind
	Name string
	// Rung is the one to escalate to, from 1; 0 where the line is about something else.
	Rung int
	// To is who that is, where the caller knows.
	To string

	said string // the reason, where it is not a clock
}

// whom is the reason of an advice to escalate.
func (l Line) whom() string {
	return "Escalate to " + cmp.Or(l.To, fmt.Sprintf("rung %d", l.Rung)) + ": " + l.said + l.by()
}

// by is by how much it is late, in words; empty for less than a minute.
func (l Line) by() string {
	if l.Over < 60 {
		return ""
	}
	return " by " + words.Span(l.Over)
}

// OfClock says whether the line is about a deadline.
func (l Line) OfClock() bool { return l.said == "" }

// Why is the reason in words.
func (l Line) Why() string {
	switch {
	case l.Rung > 0:
		return l.whom()
	case l.Item == dated.Receipt && l.Standing == deadline.Late && l.by() == "":
		return "No receipt yet: did it arrive?"
	case l.Item == dated.Receipt && l.Standing == deadline.Late:
		return "No receipt, late" + l.by() + ": did it arrive?"
	case l.Item == dated.Closing && l.Standing == deadline.Late:
		return "The vendor may have closed it by now: it has not heard from us"
	case l.Item == dated.Closing:
		return l.said
	case l.Item != "" && l.Standing == deadline.Late:
		return fmt.Sprintf("%s late%s: %s", words.Dated.Of(string(l.Item)), l.by(), l.said)
	case l.Item != "":
		return words.Dated.Of(string(l.Item)) + ": " + l.said
	case !l.OfClock():
		return l.said
	case l.Standing == deadline.Late:
		return title(l.Kind) + " late" + l.by()
	case l.Kind == deadline.Verification:
		return "Fix offered: verify it, then accept or reject"
	}
	return title(l.Kind) + " due"
}

var weights = [...]float64{1, 8, 4, 2, 1}

// Of is the most pressing line of a case; ok is false where nothing presses.
func Of(c Case) (best Line, ok bool) {
	if c.Advice.Rung > 0 && !c.Parked { // first: it answers the clock or item behind it, which is as urgent
		l, urgency := advised(&c)
		l.Number, l.Pressure = c.Number, weights[c.Severity]*urgency
		best, ok = l, true
	}
	consider := func(l Line, urgency float64) {
		l.Number, l.Pressure = c.Number, weights[c.Severity]*urgency
		if !ok || Compare(l, best) < 0 {
			best, ok = l, true
		}
	}
	if c.Undelivered != "" {
		l := Line{said: c.Undelivered, Step: Decide}
		if c.ToSend {
			l.Step = Send
		}
		consider(l, 2)
	}
	verifying := false
	for i := range c.Clocks {
		k := &c.Clocks[i]
		verifying = verifying || k.Kind == deadline.Verification
		// While a case is parked only late clocks of the vendor ask for anything.
		if c.Parked && (k.Standing != deadline.Late || k.Kind.Ours()) {
			continue
		}
		if urgency, asks := urgencyOf(k); asks {
			consider(Line{Standing: k.Standing, Kind: k.Kind, Over: k.Over, Due: k.Due, HasDue: k.DueKnown,
				Step: stepFor(k, c.VendorClosed)}, urgency)
		}
	}
	switch {
	case c.VendorClosed && !c.Parked:
		consider(Line{said: "Vendor closed it: agree or dispute", Step: Respond}, 0.5)
	case c.Unread:
		consider(Line{said: "Unread message from the vendor", Step: Read}, 0.5)
	}
	if c.Unnumbered && !c.Parked {
		consider(Line{said: "The vendor has given no reference yet", Step: Number}, 0.25)
	}
	for n := range c.Items {
		i := &c.Items[n]
		late := i.Standing == deadline.Late || i.Standing == "" && i.Due <= c.Now
		urgency, step := 0.25, i.Step
		if late {
			urgency = 1 + min(1, ratio(i.Over, i.Day))
		}
		if i.Kind != "" {
			step = StepFor(i.Kind, i.Owed, late, verifying)
		}
		consider(Line{said: i.What, Step: step, Standing: i.Standing, Due: i.Due, HasDue: true, Item: i.Kind, Name: i.Name,
			Over: i.Over},
			urgency)
	}
	return best, ok
}

// advised is the line of an advice to escalate: as urgent as what it rests on, the vendor's latest clock or the answer
// that has not come, and at least as something that is late.
func advised(c *Case) (l Line, urgency float64) {
	l, urgency = Line{said: escalated[c.Advice.Because], Step: Raise, Rung: c.Advice.Rung}, 1
	switch c.Advice.Because {
	case escalation.Late:
		var latest *Clock
		for i := range c.Clocks {
			k := &c.Clocks[i]
			if k.Standing == deadline.Late && !k.Kind.Ours() && (latest == nil || k.Over > latest.Over) {
				latest = k
			}
		}
		if latest != nil {
			l.Due, l.HasDue, l.Over, l.Standing = latest.Due, latest.DueKnown, latest.Over, deadline.Late
			urgency, _ = urgencyOf(latest)
		}
	case escalation.Unanswered:
		for i := range c.Items {
			if x := &c.Items[i]; x.Kind == dated.Escalation && x.Name == dated.Rung(c.Raised) {
				l.Due, l.HasDue, l.Over, l.Standing = x.Due, true, x.Over, deadline.Late
				urgency = 1 + min(1, ratio(x.Over, x.Day))
			}
		}
	}
	return l, max(1, urgency)
}

var escalated = map[escalation.Reason]string{
	escalation.Unanswered:    "the last answer is late",
	escalation.Late:          "the vendor is late",
	escalation.FixesRejected: "its fixes did not work",
	escalation.Reopened:      "it had to be reopened",
	escalation.OpenLong:      "it has been open for a long time",
}

// StepFor is what answers a dated item; verifying says that a fix is under verification.
func StepFor(kind deadline.ItemKind, owed deadline.Side, late, verifying bool) Step {
	switch {
	case kind == dated.Receipt && late:
		return Confirm
	case kind == dated.Callback && (late || owed == deadline.Ours):
		return Call
	case kind == dated.Closing && verifying:
		return Verify
	case kind == dated.Closing, kind == dated.Ask && owed == deadline.Ours:
		return Answer
	case kind == dated.CheckIn && !late:
		return LookAt
	case owed == deadline.Ours:
		return Keep
	case late:
		return Chase
	}
	return LookAt
}

// urgencyOf is how urgent a clock is; a paused one asks for nothing.
func urgencyOf(k *Clock) (urgency float64, asks bool) {
	switch k.Standing {
	case deadline.Late:
		return 1 + min(1, ratio(k.Over, k.Target)), true
	case deadline.DueSoon, deadline.Running:
		return min(1, ratio(k.Counted, k.Target)), true
	}
	return 0, false
}

func stepFor(k *Clock, vendorClosed bool) Step {
	switch {
	case k.Kind == deadline.Verification:
		return Verify
	case vendorClosed && k.Kind.Ours():
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

func title(k deadline.Kind) string { return words.Deadlines.Of(k.String()) }

// Compare orders lines: highest pressure first, then the earlier due, then the
// number. It is negative where a comes before b.
func Compare(a, b Line) int {
	switch {
	case a.Pressure > b.Pressure:
		return -1
	case a.Pressure < b.Pressure:
		return 1
	case a.HasDue != b.HasDue:
		if a.HasDue {
			return -1
		}
		return 1
	case a.Due != b.Due:
		return int(max(-1, min(1, a.Due-b.Due)))
	}
	return int(max(-1, min(1, a.Number-b.Number)))
}

// Sort puts lines in order.
func Sort(lines []Line) { slices.SortFunc(lines, Compare) }
