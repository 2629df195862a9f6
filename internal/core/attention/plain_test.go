package attention

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"roundhouse.example/internal/core/dated"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/escalation"
)

// reason is one that docs/rules.md, section 5, names, as a plain reading of it has them: all are listed, then the one
// that comes first stands.
type reason struct {
	pressure float64
	hasDue   bool
	due      int64
	what     string
}

func plainly(c Case) []reason {
	var all []reason
	weight := map[int]float64{1: 8, 2: 4, 3: 2, 4: 1}[c.Severity]
	add := func(urgency float64, due int64, hasDue bool, what string) {
		all = append(all, reason{weight * urgency, hasDue, due, what})
	}
	share := func(a, b int64) float64 {
		if b <= 0 {
			return 1
		}
		return float64(a) / float64(b)
	}
	for _, k := range c.Clocks {
		late, theirs := k.Standing == deadline.Late, k.Kind != deadline.OurAnswer && k.Kind != deadline.Verification
		switch {
		case c.Parked && !(late && theirs):
		case late:
			add(1+min(1, share(k.Over, k.Target)), k.Due, k.DueKnown, "clock")
		case k.Standing == deadline.Running || k.Standing == deadline.DueSoon:
			add(min(1, share(k.Counted, k.Target)), k.Due, k.DueKnown, "clock")
		}
	}
	if c.Undelivered != "" {
		add(2, 0, false, "undelivered")
	}
	if c.VendorClosed && !c.Parked {
		add(0.5, 0, false, "closed")
	}
	if c.Unread && (c.Parked || !c.VendorClosed) {
		add(0.5, 0, false, "unread")
	}
	if c.Unnumbered && !c.Parked {
		add(0.25, 0, false, "no reference")
	}
	if c.Advice.Rung > 0 && !c.Parked {
		r := reason{weight, false, 0, "advice"}
		behind := func(over, whole, due int64, known bool) {
			r = reason{weight * max(1, 1+min(1, share(over, whole))), known, due, "advice"}
		}
		most := int64(-1)
		for _, k := range c.Clocks {
			theirs := k.Kind != deadline.OurAnswer && k.Kind != deadline.Verification
			if c.Advice.Because == escalation.Late && k.Standing == deadline.Late && theirs && k.Over > most {
				most = k.Over
				behind(k.Over, k.Target, k.Due, k.DueKnown)
			}
		}
		for _, i := range c.Items {
			if c.Advice.Because == escalation.Unanswered && i.Kind == dated.Escalation {
				behind(i.Over, i.Day, i.Due, true)
			}
		}
		all = append(all, r)
	}
	for _, i := range c.Items {
		if i.Standing == deadline.Late || i.Standing == "" && i.Due <= c.Now {
			add(1+min(1, share(i.Over, i.Day)), i.Due, true, "item")
		} else {
			add(0.25, i.Due, true, "item")
		}
	}
	return all
}

// before says whether one reason comes before another: the higher pressure, then the earlier due.
func (r reason) before(o reason) bool {
	if r.pressure != o.pressure {
		return r.pressure > o.pressure
	}
	if r.hasDue != o.hasDue {
		return r.hasDue
	}
	return r.due < o.due
}

// The line of a case is what a plain reading of the rules gives, for cases at random.
func TestTheLineIsWhatThePlainReadingSays(t *testing.T) {
	rng := rand.New(rand.NewPCG(5, 11))
	standings := []deadline.Standing{deadline.Late, deadline.DueSoon, deadline.Running, deadline.Paused}
	seen := map[string]int{}
	for n := range 40_000 {
		c := Case{Number: int64(n), Severity: 1 + rng.IntN(4), Now: 1000, Unread: rng.IntN(3) == 0,
			VendorClosed: rng.IntN(5) == 0, Parked: rng.IntN(4) == 0, Unnumbered: rng.IntN(4) == 0}
		if rng.IntN(8) == 0 {
			c.Undelivered = "It could not be sent"
		}
		for range rng.IntN(4) {
			k := Clock{Kind: deadline.Kind(rng.IntN(6)), Standing: standings[rng.IntN(4)], Target: int64(rng.IntN(3)) * 3600,
				Counted: int64(rng.IntN(4)) * 1800, Due: int64(rng.IntN(5)) * 500, DueKnown: rng.IntN(5) > 0,
				Over: int64(rng.IntN(5)) * 1800}
			c.Clocks = append(c.Clocks, k)
		}
		for range rng.IntN(4) {
			i := Item{Kind: dated.Kinds[rng.IntN(len(dated.Kinds))], Owed: deadline.Theirs, What: "x", Name: "1",
				Standing: standings[rng.IntN(3)], Due: int64(rng.IntN(5)) * 500, Over: int64(rng.IntN(5)) * 7200, Day: 28800}
			if rng.IntN(4) == 0 {
				i.Kind, i.Standing, i.Step = "", "", Resume
			}
			c.Items = append(c.Items, i)
		}
		if rng.IntN(4) == 0 {
			because := []escalation.Reason{escalation.Late, escalation.Unanswered, escalation.FixesRejected}[rng.IntN(3)]
			if c.Advice = (escalation.Advice{Rung: 2, Because: because}); because == escalation.Unanswered {
				c.Raised = 1
				c.Items = slices.DeleteFunc(c.Items, func(i Item) bool { return i.Kind == dated.Escalation })
				c.Items = append(c.Items, Item{Kind: dated.Escalation, Owed: deadline.Theirs, What: "x", Name: "rung-1",
					Standing: deadline.Late, Due: 500, Over: int64(rng.IntN(5)) * 7200, Day: 28800})
			}
		}
		var want *reason
		for _, r := range plainly(c) {
			if want == nil || r.before(*want) {
				want = &r
			}
		}
		got, ok := Of(c)
		if ok != (want != nil) {
			t.Fatalf("%+v: a line %v, want %+v", c, ok, want)
		}
		if !ok {
			continue
		}
		seen[want.what]++
		if got.Pressure != want.pressure || got.HasDue != want.hasDue || want.hasDue && got.Due != want.due ||
			got.Why() == "" || got.Step == "" {
			t.Fatalf("%+v:\n%+v (%s)\nwant %+v", c, got, got.Why(), want)
		}
	}
	if fmt.Sprint(len(seen)) != "7" {
		t.Errorf("not every reason stood once: %v", seen)
	}
}

// Each kind of date has the step that answers it.
func TestTheStepOfADate(t *testing.T) {
	for _, x := range []struct {
		kind            deadline.ItemKind
		owed            deadline.Side
		late, verifying bool
		want            Step
	}{
		{dated.Promise, deadline.Theirs, false, false, LookAt}, {dated.Promise, deadline.Theirs, true, false, Chase},
		{dated.Ask, deadline.Ours, false, false, Answer}, {dated.Ask, deadline.Theirs, true, false, Chase},
		{dated.Callback, deadline.Theirs, false, false, LookAt}, {dated.Callback, deadline.Theirs, true, false, Call},
		{dated.Callback, deadline.Ours, false, false, Call}, {dated.FollowUp, deadline.Ours, false, false, Keep},
		{dated.CheckIn, deadline.Ours, false, false, LookAt}, {dated.CheckIn, deadline.Ours, true, false, Keep},
		{dated.PartReturn, deadline.Ours, true, false, Keep}, {dated.Consent, deadline.Ours, false, false, Keep},
		{dated.Receipt, deadline.Theirs, true, false, Confirm}, {dated.Receipt, deadline.Theirs, false, false, LookAt},
		{dated.Closing, deadline.Ours, false, false, Answer}, {dated.Closing, deadline.Ours, true, true, Verify},
		{dated.Visit, deadline.Theirs, true, false, Chase},
	} {
		if got := StepFor(x.kind, x.owed, x.late, x.verifying); got != x.want {
			t.Errorf("%s, owed %s, late %v: %s, want %s", x.kind, x.owed, x.late, got, x.want)
		}
	}
}
