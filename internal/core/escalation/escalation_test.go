package escalation_test

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/dated"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/escalation"
)

const hour = 3600

// office is open 08:00-16:00 UTC on weekdays; instants here count from Monday 2026-11-30T00:00:00Z.
const monday = 1_795_996_800

func terms(t testing.TB) *deadline.Terms {
	t.Helper()
	office, err := calendar.New(calendar.Definition{Zone: "UTC", Week: map[string][]string{"mon": {"08:00-16:00"},
		"tue": {"08:00-16:00"}, "wed": {"08:00-16:00"}, "thu": {"08:00-16:00"}, "fri": {"08:00-16:00"}}})
	if err != nil {
		t.Fatal(err)
	}
	always, err := calendar.New(calendar.Definition{Always: true})
	if err != nil {
		t.Fatal(err)
	}
	out := &deadline.Terms{}
	add := func(k deadline.Kind, rank int, target string, c *calendar.Calendar) {
		x, err := calendar.ParseTarget(target)
		if err == nil {
			err = out.Add(k, rank, deadline.Term{Target: x, Calendar: calendar.Fixed(c)})
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	add(deadline.FirstResponse, 1, "1h", always)
	add(deadline.Update, 1, "2h", always)
	add(deadline.FirstResponse, 2, "4h", office)
	add(deadline.Update, 2, "1bd", office)
	add(deadline.Resolution, 2, "3bd", office)
	for s := 1; s <= 4; s++ {
		add(deadline.OurAnswer, s, "1h", always)
	}
	return out
}

func of(x int64) *int64 { return &x }

// ladder has two rungs that lateness calls for, one for rejected fixes and reopenings, one for age, and one that only a
// person raises.
var ladder = escalation.Ladder{{LateBy: of(2 * hour)}, {FixesRejected: 2, Reopened: 1},
	{LateBy: of(0), OpenLonger: of(48 * hour), Severity: 2}, {}}

// at makes an event some seconds after Monday's beginning.
func at(after int64, kind deadline.EventKind) deadline.Event {
	return deadline.Event{At: monday + after, Kind: kind}
}

func filed(after int64, severity, level int, terms *deadline.Terms) deadline.Event {
	e := at(after, deadline.Filed)
	e.Severity, e.Level, e.Terms = severity, level, terms
	return e
}

func raised(after int64, rung int, due int64) deadline.Event {
	e := at(after, deadline.Raised)
	e.Item = &deadline.Item{Rung: rung, Awaits: due != 0, Due: monday + due}
	return e
}

func item(after int64, kind deadline.EventKind, name string, due int64) deadline.Event {
	e := at(after, kind)
	e.Item = &deadline.Item{Name: name, Due: monday + due}
	return e
}

// Whom to escalate to, and from which second on.
func TestAdvice(t *testing.T) {
	t.Parallel()
	terms := terms(t)
	one := filed(8*hour, 1, 1, terms) // first response at 09:00, late from then on; rung 1 from 11:00
	fix := func(after int64) []deadline.Event {
		m, r := at(after, deadline.VendorMessage), at(after+60, deadline.FixRejected)
		m.Offers = deadline.OfferFix
		return []deadline.Event{m, r}
	}
	history := func(parts ...any) (out []deadline.Event) {
		for _, p := range parts {
			switch p := p.(type) {
			case deadline.Event:
				out = append(out, p)
			case []deadline.Event:
				out = append(out, p...)
			}
		}
		return out
	}
	for _, x := range []struct {
		what    string
		history []deadline.Event
		at      int64
		want    int
	}{
		{"nothing is late, the case is young", history(one), 9 * hour, 0},
		{"late is enough for the third rung, not yet for the first", history(one), 9*hour + 1, 3},
		{"a second before two hours", history(one), 11*hour - 1, 3},
		{"two hours beyond the target: the lowest that holds", history(one), 11 * hour, 1},
		{"before it is filed", nil, 9 * hour, 0},
		{"after its end", history(one, at(12*hour, deadline.Withdrawn)), 13 * hour, 0},
		{"the first raised: the next that holds above it", history(one, raised(11*hour, 1, 13*hour)), 12 * hour, 3},
		{"its answer is late: the one right above, whatever its condition", history(one, raised(11*hour, 1, 13*hour)),
			13*hour + 1, 2},
		{"at the very end of its time it is not late", history(one, raised(11*hour, 1, 13*hour)), 13 * hour, 3},
		{"answered: by conditions again", history(one, raised(11*hour, 1, 13*hour),
			item(14*hour, deadline.ItemKept, "rung-1", 0)), 15 * hour, 3},
		{"moved: its new time counts", history(one, raised(11*hour, 1, 13*hour),
			item(14*hour, deadline.ItemMoved, "rung-1", 20*hour)), 15 * hour, 3},
		{"raised without an answer to wait for", history(one, raised(11*hour, 3, 0)), 90 * hour, 0},
		{"an answer of a lower rung plays no part", history(one, raised(11*hour, 1, 12*hour), raised(12*hour, 3, 90*hour)),
			20 * hour, 0},
		{"above the last there is none", history(one, raised(11*hour, 4, 12*hour)), 20 * hour, 0},
		{"a rung that the ladder has no longer", history(one, raised(11*hour, 7, 12*hour)), 20 * hour, 0},
		{"raised before it is filed counts for nothing", history(raised(7*hour, 4, 0), one), 11 * hour, 1},
		{"open for two days at severity 2, never late", history(filed(8*hour, 2, 4, terms)), 56 * hour, 3},
		{"a second less", history(filed(8*hour, 2, 4, terms)), 56*hour - 1, 0},
		{"at severity 3 age does not matter", history(filed(8*hour, 3, 4, terms)), 200 * hour, 0},
		{"two fixes rejected", history(filed(8*hour, 3, 4, terms), fix(9*hour), fix(10*hour)), 12 * hour, 2},
		{"one fix rejected", history(filed(8*hour, 3, 4, terms), fix(9*hour)), 12 * hour, 0},
		{"a rejection without a fix counts for nothing", history(filed(8*hour, 3, 4, terms), fix(9*hour),
			at(11*hour, deadline.FixRejected)), 12 * hour, 0},
		{"reopened; fixes and rungs count anew", history(filed(8*hour, 3, 4, terms), fix(9*hour), raised(9*hour, 3, 0),
			at(10*hour, deadline.Resolved), at(11*hour, deadline.Reopened), fix(12*hour)), 13 * hour, 2},
		{"parked by agreement, late all the same", history(one, deadline.Event{At: monday + 12*hour, Kind: deadline.Park,
			Agreed: true}), 50 * hour, 1},
	} {
		clocks, items, m := escalation.Replay(x.history, monday+x.at)
		if got := m.Advice(ladder, clocks, items, monday+x.at).Rung; got != x.want {
			t.Errorf("%s: rung %d, not %d", x.what, got, x.want)
		}
	}
}

// Why a rung is due is said, in the order of its conditions.
func TestWhyARungIsDue(t *testing.T) {
	t.Parallel()
	one := filed(8*hour, 1, 1, terms(t))
	for at, want := range map[int64]escalation.Advice{8 * hour: {}, 9*hour + 1: {Rung: 3, Because: escalation.Late},
		11 * hour: {Rung: 1, Because: escalation.Late}} {
		clocks, items, m := escalation.Replay([]deadline.Event{one}, monday+at)
		if got := m.Advice(ladder, clocks, items, monday+at); got != want {
			t.Errorf("at %d: %+v, not %+v", at, got, want)
		}
	}
	history := []deadline.Event{one, raised(11*hour, 1, 12*hour)}
	clocks, items, m := escalation.Replay(history, monday+20*hour)
	if got := m.Advice(ladder, clocks, items, monday+20*hour); got.Because != escalation.Unanswered || m.Highest() != 1 {
		t.Errorf("unanswered: %+v", got)
	}
	for because, l := range map[escalation.Reason]escalation.Ladder{
		escalation.OpenLong: {{OpenLonger: of(hour), Severity: 1}},
		escalation.Reopened: {{Reopened: 1, OpenLonger: of(hour), Severity: 4}}} {
		history := []deadline.Event{one, at(9*hour, deadline.Resolved), at(10*hour, deadline.Reopened)}
		clocks, items, m := escalation.Replay(history, monday+12*hour)
		if got := m.Advice(l, clocks, items, monday+12*hour); got.Because != because {
			t.Errorf("%s: %+v", because, got)
		}
	}
}

// plainly is the same by another reading of the rules, event by event, from the rows of clocks and items.
func plainly(history []deadline.Event, l escalation.Ladder, now int64) int {
	clocks, items := dated.Replay(history, now)
	live, severity, since, fixes, reopenings, highest, offered := false, 0, int64(0), 0, 0, 0, false
	for i, e := range history {
		if e.At > now {
			break
		}
		so, _ := dated.Replay(history[:i], now)
		offered = so.FixOffered()
		switch e.Kind {
		case deadline.Filed:
			if so.Phase() == deadline.NotFiled {
				live, severity, since = true, e.Severity, e.At
			}
		case deadline.Severity:
			if live {
				severity = e.To
			}
		case deadline.Reopened:
			if so.Phase() == deadline.Ended {
				live, since, fixes, highest = true, e.At, 0, 0
				reopenings++
			}
		case deadline.FixRejected:
			if live && offered {
				fixes++
			}
		case deadline.Raised:
			if live && e.Item.Rung > highest {
				highest = e.Item.Rung
			}
		case deadline.Resolved, deadline.Closed, deadline.Withdrawn:
			live = false
		case deadline.FixAccepted:
			live = live && !offered
		}
	}
	if !live {
		return 0
	}
	for _, i := range items.Items() {
		if i.Name == fmt.Sprintf("rung-%d", highest) && i.Standing(now) == deadline.Late {
			if highest >= len(l) {
				return 0
			}
			return highest + 1
		}
	}
	for n, r := range l {
		if n < highest {
			continue
		}
		holds := r.FixesRejected > 0 && fixes >= r.FixesRejected || r.Reopened > 0 && reopenings >= r.Reopened ||
			r.OpenLonger != nil && severity <= r.Severity && now-since >= *r.OpenLonger
		for _, c := range clocks.Rows(now) {
			theirs := c.Clock.Kind != deadline.OurAnswer && c.Clock.Kind != deadline.Verification
			if r.LateBy != nil && theirs && c.Standing == deadline.Late && c.Counted-c.Clock.Seconds >= *r.LateBy {
				holds = true
			}
		}
		if holds {
			return n + 1
		}
	}
	return 0
}

// random is a history of a case that has much happen to it.
func random(r *rand.Rand, terms *deadline.Terms) []deadline.Event {
	now := monday + r.Int64N(100*hour)
	out := []deadline.Event{{At: now, Kind: deadline.Filed, Severity: 1 + r.IntN(4), Level: 1 + r.IntN(3), Terms: terms}}
	for range r.IntN(14) {
		if now += r.Int64N(20 * hour); r.IntN(5) == 0 {
			now -= now % hour
		}
		e := deadline.Event{At: max(now, out[len(out)-1].At)}
		e.Kind = []deadline.EventKind{deadline.VendorMessage, deadline.OurMessage, deadline.FixRejected, deadline.Resolved,
			deadline.Reopened, deadline.Raised, deadline.Raised, deadline.ItemKept, deadline.ItemMoved, deadline.ItemDropped,
			deadline.Severity, deadline.Level, deadline.Park, deadline.Unpark, deadline.FixAccepted}[r.IntN(15)]
		switch e.Kind {
		case deadline.VendorMessage:
			e.Offers = []deadline.Offer{"", deadline.OfferFix, deadline.OfferFix, deadline.OfferWorkaround}[r.IntN(4)]
			e.Move = []deadline.Side{"", deadline.Theirs}[r.IntN(2)]
		case deadline.Severity:
			e.To = 1 + r.IntN(4)
		case deadline.Level:
			e.To = 1 + r.IntN(3)
		case deadline.Park:
			e.Agreed = r.IntN(2) == 0
		case deadline.Raised:
			e.Item = &deadline.Item{Rung: 1 + r.IntN(5), Awaits: r.IntN(3) > 0, Due: now + r.Int64N(20*hour) - hour}
		case deadline.ItemKept, deadline.ItemMoved, deadline.ItemDropped:
			e.Item = &deadline.Item{Name: dated.Rung(1 + r.IntN(4)), Due: now + r.Int64N(20*hour)}
		}
		out = append(out, e)
	}
	return out
}

// Both readings agree on histories at random, and between two instants that the machine names the advice stays what it
// is.
func TestAdviceIsWhatThePlainReadingSays(t *testing.T) {
	t.Parallel()
	terms := terms(t)
	r := rand.New(rand.NewPCG(16, 1))
	seen := map[int]int{}
	for range 6_000 {
		history := random(r, terms)
		now := history[len(history)-1].At + r.Int64N(60*hour)
		l := ladder[:r.IntN(len(ladder)+1)]
		clocks, items, m := escalation.Replay(history, now)
		got := m.Advice(l, clocks, items, now).Rung
		if want := plainly(history, l, now); got != want {
			t.Fatalf("rung %d, not %d, at %d of %+v with %d rungs", got, want, now, history, len(l))
		}
		seen[got]++
		wake, ok := m.Wake(l, clocks, items, now)
		if !ok {
			wake = now + 400*hour
		}
		for _, later := range []int64{wake - 1, now + 1, now + r.Int64N(max(1, wake-now))} {
			if later = min(later, wake-1); later < now {
				continue
			}
			if changed := m.Advice(l, clocks, items, later).Rung; changed != got {
				t.Fatalf("rung %d at %d, %d at %d, and the next change is said to be at %d (%v): %+v", got, now, changed, later,
					wake, ok, history)
			}
		}
	}
	for rung := range 5 {
		if seen[rung] < 20 {
			t.Errorf("rung %d was advised %d times only: the histories show little", rung, seen[rung])
		}
	}
}
