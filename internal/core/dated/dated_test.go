package dated

import (
	"fmt"
	"math/rand/v2"
	"reflect"
	"strings"
	"testing"

	"roundhouse.example/internal/core/deadline"
)

const day = 86400

// events reads a short hand: "0 file; 10 dated a promise theirs 50; 60 kept a".
func events(t *testing.T, text string) (out []deadline.Event) {
	t.Helper()
	for part := range strings.SplitSeq(text, ";") {
		f := strings.Fields(part)
		var e deadline.Event
		if _, err := fmt.Sscan(f[0], &e.At); err != nil {
			t.Fatalf("%q: %v", part, err)
		}
		switch e.Kind = deadline.EventKind(f[1]); e.Kind {
		case "file":
			e.Kind, e.Severity, e.Level = deadline.Filed, 2, 2
			if len(f) > 2 {
				e.ClosesAfter = int64(len(f[2])) * day
			}
		case deadline.ItemDated:
			e.Item = &deadline.Item{Name: f[2], Kind: deadline.ItemKind(f[3]), Owed: deadline.Side(f[4])}
			_, _ = fmt.Sscan(f[5], &e.Item.Due)
		case deadline.ItemKept, deadline.ItemDropped:
			e.Item = &deadline.Item{Name: f[2]}
		case deadline.ItemMoved:
			e.Item = &deadline.Item{Name: f[2]}
			_, _ = fmt.Sscan(f[3], &e.Item.Due)
		case deadline.Raised:
			e.Item = &deadline.Item{Rung: int(f[2][0] - '0'), Awaits: len(f) > 3}
			if e.Item.Awaits {
				_, _ = fmt.Sscan(f[3], &e.Item.Due)
			}
		case deadline.VendorMessage:
			e.Automatic = len(f) > 2 && f[2] == "automatic"
			if len(f) > 2 && !e.Automatic {
				e.Offers = deadline.Offer(f[2])
			}
		case deadline.Level:
			e.To, e.Told = 1, true
		}
		out = append(out, e)
	}
	return out
}

// told are the items at an instant, in short.
func told(items *Machine, at int64) string {
	var out []string
	for i := range items.Items() {
		x := &items.Items()[i]
		s := fmt.Sprintf("%s %s %d-%d", x.Name, x.Standing(at), x.Set, x.Due)
		if x.Outcome != deadline.Live {
			s += fmt.Sprintf(" ended %d", x.End)
		}
		out = append(out, s)
	}
	return strings.Join(out, ", ")
}

func TestItems(t *testing.T) {
	t.Parallel()
	for _, x := range []struct {
		history string
		at      int64
		want    string
	}{
		{"0 file; 10 dated a promise theirs 50", 39, "a running 10-50"},
		{"0 file; 10 dated a promise theirs 50", 40, "a due-soon 10-50"},
		{"0 file; 10 dated a promise theirs 50", 50, "a due-soon 10-50"},
		{"0 file; 10 dated a promise theirs 50", 51, "a late 10-50"},
		{"0 file; 10 dated a promise theirs 5", 10, "a late 10-5"},
		{"0 file; 10 dated a promise theirs 50; 50 kept a", 60, "a met 10-50 ended 50"},
		{"0 file; 10 dated a promise theirs 50; 51 kept a", 60, "a met-late 10-50 ended 51"},
		{"0 file; 10 dated a promise theirs 50; 50 dropped a", 60, "a void 10-50 ended 50"},
		{"0 file; 10 dated a promise theirs 50; 51 dropped a", 60, "a missed 10-50 ended 51"},
		{"0 file; 10 dated a promise theirs 50; 50 moved a 90", 60, "a replaced 10-50 ended 50, a running 50-90"},
		{"0 file; 10 dated a promise theirs 50; 55 moved a 90", 60, "a missed 10-50 ended 55, a running 55-90"},
		// Before filing and after the end nothing is dated; a live item is left as it is; one that ended may come again.
		{"0 dated a ask ours 50; 5 file; 9 raised 1 50", 10, "rung-1 running 9-50"},
		{"0 file; 1 withdrawn; 2 dated a ask ours 50; 3 kept a", 10, ""},
		{"0 file; 1 dated a ask ours 50; 2 dated a part theirs 90", 10, "a running 1-50"},
		{"0 file; 1 dated a ask ours 50; 2 kept a; 3 dated a ask ours 90", 10, "a met 1-50 ended 2, a running 3-90"},
		{"0 file; 1 kept a; 2 moved a 9; 3 dropped a", 10, ""},
		// A rung with no answer by a date opens nothing; one with opens an escalation, once.
		{"0 file; 1 raised 2", 10, ""},
		{"0 file; 1 raised 2 50; 2 raised 2 90; 3 kept rung-2", 10, "rung-2 met 1-50 ended 3"},
		// The end of the case ends all but a follow-up and a part that goes back.
		{"0 file; 1 dated a follow-up ours 50; 1 dated b part-return theirs 50; 1 dated c visit theirs 50; 1 dated d " +
			"check-in ours 5; 9 closed", 10, "a running 1-50, b running 1-50, c void 1-50 ended 9, d missed 1-5 ended 9"},
		{"0 file; 1 dated a follow-up ours 50; 9 closed; 51 moved a 90; 60 kept a", 70,
			"a missed 1-50 ended 51, a met 51-90 ended 60"},
		// Any word of the vendor's keeps a receipt; parking stops nothing.
		{"0 file; 1 dated a receipt theirs 50; 2 park; 9 vendor-message automatic", 10, "a met 1-50 ended 9"},
		{"0 file; 1 dated a receipt ours 5; 2 park; 9 vendor-message", 10, "a met-late 1-5 ended 9"},
		{"0 file; 1 dated a ask theirs 50; 9 vendor-message", 10, "a running 1-50"},
		// What the business needs is there once a fix is accepted or the case is resolved, not where it is only closed.
		{"0 file; 1 dated a needed-by theirs 50; 9 resolved", 10, "a met 1-50 ended 9"},
		{"0 file; 1 dated a needed-by theirs 5; 7 vendor-message fix; 9 fix-accepted", 10, "a met-late 1-5 ended 9"},
		{"0 file; 1 dated a needed-by theirs 50; 9 fix-accepted", 10, "a running 1-50"},
		{"0 file; 1 dated a needed-by theirs 50; 9 closed", 10, "a void 1-50 ended 9"},
	} {
		h := events(t, x.history)
		_, items := Replay(h, x.at)
		if got := told(items, x.at); got != x.want {
			t.Errorf("%s\n at %d: %s\n want: %s", x.history, x.at, got, x.want)
		}
	}
}

// The vendor closes a case that waits on us, two days after our last word or after the move turned to us.
func TestTheVendorsClosing(t *testing.T) {
	t.Parallel()
	for _, x := range []struct{ history, want string }{
		{"0 file; 9 vendor-message", ""},
		{"0 file xx", ""},
		{"0 file xx; 9 vendor-message", "closing running 9-172809"},
		{"0 file xx; 9 vendor-message; 20 vendor-message", "closing running 9-172809"},
		{"0 file xx; 9 vendor-message; 20 our-message", "closing met 9-172809 ended 20"},
		{"0 file xx; 9 vendor-message fix; 20 our-message",
			"closing met 9-172809 ended 20, closing running 20-172820"},
		{"0 file xx; 9 vendor-message; 20 level", "closing met 9-172809 ended 20, closing running 20-172820"},
		{"0 file xx; 9 vendor-message fix; 20 fix-rejected", "closing void 9-172809 ended 20"},
		{"0 file xx; 9 vendor-message; 20 closed", "closing void 9-172809 ended 20"},
		{"0 file xx; 9 vendor-message; 20 closed; 30 reopened; 40 vendor-message", "closing void 9-172809 ended 20"},
	} {
		_, items := Replay(events(t, x.history), 100)
		if got := told(items, 100); got != x.want {
			t.Errorf("%s\n got: %s\nwant: %s", x.history, got, x.want)
		}
	}
}

// plain says how the items of a history stand, one item at a time and from nothing but the text of the rules.
func plain(h []deadline.Event, asOf int64) (out []string) {
	liveAt := func(n int) (before, after bool) { // around the nth event
		m := deadline.New()
		for _, e := range h[:n] {
			m.Apply(e)
		}
		before = m.Phase() == deadline.LivePhase
		m.Apply(h[n])
		return before, m.Phase() == deadline.LivePhase
	}
	type life struct {
		at   int
		text string
	}
	var lives []life
	for start, opened := range h {
		if opened.At > asOf || opened.Item == nil {
			continue
		}
		name, kind, due := opened.Item.Name, opened.Item.Kind, opened.Item.Due
		_, live := liveAt(start)
		switch opened.Kind {
		case deadline.ItemDated:
			if !live {
				continue
			}
		case deadline.Raised:
			if !live || !opened.Item.Awaits {
				continue
			}
			name, kind = fmt.Sprint("rung-", opened.Item.Rung), Escalation
		case deadline.ItemMoved:
			from, ok := running(h, start, name, liveAt)
			if !ok {
				continue
			}
			kind = from
		default:
			continue
		}
		if _, already := running(h, start, name, liveAt); already && opened.Kind != deadline.ItemMoved {
			continue
		}
		end, how := int64(0), ""
		for n := start + 1; n < len(h) && how == "" && h[n].At <= asOf; n++ {
			how = ends(h, n, name, kind, liveAt)
			end = h[n].At
		}
		late := end > due
		standing := map[string]string{"kept": "met", "moved": "replaced", "dropped": "void"}[how]
		switch {
		case how == "kept" && late:
			standing = "met-late"
		case how != "" && how != "kept" && late:
			standing = "missed"
		case how == "" && asOf > due:
			standing = "late"
		case how == "" && 4*(due-asOf) <= due-opened.At:
			standing = "due-soon"
		case how == "":
			standing = "running"
		}
		text := fmt.Sprintf("%s %s %d-%d", name, standing, opened.At, due)
		if how != "" {
			text += fmt.Sprintf(" ended %d", end)
		}
		lives = append(lives, life{start, text})
	}
	for _, l := range lives {
		out = append(out, l.text)
	}
	return out
}

// running says whether an item of a name is live just before the nth event, and its kind.
func running(h []deadline.Event, n int, name string, liveAt func(int) (bool, bool)) (kind deadline.ItemKind, ok bool) {
	for i := range n {
		e := h[i]
		_, live := liveAt(i)
		switch {
		case ok:
			if how := ends(h, i, name, kind, liveAt); how == "kept" || how == "dropped" {
				ok = false
			}
		case e.Kind == deadline.ItemDated && e.Item.Name == name && live:
			kind, ok = e.Item.Kind, true
		case e.Kind == deadline.Raised && e.Item.Awaits && fmt.Sprint("rung-", e.Item.Rung) == name && live:
			kind, ok = Escalation, true
		}
	}
	return kind, ok
}

// ends says how the nth event ends a live item; empty where it does not.
func ends(h []deadline.Event, n int, name string, kind deadline.ItemKind, liveAt func(int) (bool, bool)) string {
	e := h[n]
	before, after := liveAt(n)
	over := before && !after
	own := e.Item != nil && e.Item.Name == name
	switch {
	case own && e.Kind == deadline.ItemKept, kind == Receipt && e.Kind == deadline.VendorMessage,
		over && kind == NeededBy && (e.Kind == deadline.FixAccepted || e.Kind == deadline.Resolved):
		return "kept"
	case own && e.Kind == deadline.ItemMoved:
		return "moved"
	case own && e.Kind == deadline.ItemDropped, over && kind != FollowUp && kind != PartReturn:
		return "dropped"
	}
	return ""
}

// Random histories, at any instant: the machine and the plain reading of the rules say the same.
func TestAgainstAPlainReading(t *testing.T) {
	t.Parallel()
	kinds := []deadline.EventKind{deadline.ItemDated, deadline.ItemDated, deadline.ItemDated, deadline.ItemKept,
		deadline.ItemMoved, deadline.ItemDropped, deadline.Raised, deadline.VendorMessage, deadline.OurMessage, deadline.Park,
		deadline.FixAccepted, deadline.FixRejected, deadline.Resolved, deadline.Closed, deadline.Reopened, deadline.Reopened}
	names := []string{"a", "b", "c", "rung-1"}
	r := rand.New(rand.NewPCG(8, 9))
	ended := map[string]int{}
	for range 4000 {
		at := int64(1000)
		h := []deadline.Event{{At: at, Kind: deadline.Filed, Severity: 2, Level: 2}}
		for range r.IntN(25) {
			at += r.Int64N(3) * r.Int64N(40)
			h = append(h, deadline.Event{At: at, Kind: kinds[r.IntN(len(kinds))], Automatic: r.IntN(3) == 0,
				Offers: []deadline.Offer{"", deadline.OfferFix}[r.IntN(2)], Item: &deadline.Item{Name: names[r.IntN(4)],
					Kind: Kinds[r.IntN(len(Kinds))], Due: at + r.Int64N(120) - 20, Rung: 1 + r.IntN(2), Awaits: r.IntN(2) == 0}})
		}
		asOf := h[r.IntN(len(h))].At + r.Int64N(60)
		_, items := Replay(h, asOf)
		got, want := told(items, asOf), strings.Join(plain(h, asOf), ", ")
		if got != want {
			t.Fatalf("as of %d\nmachine %s\nplain   %s\nof %+v", asOf, got, want, h)
		}
		for i := range items.Items() {
			ended[string(items.Items()[i].Standing(asOf))]++
		}
	}
	if len(ended) != 8 { // all but paused
		t.Errorf("too dull: %v", ended)
	}
}

// A history that is replayed step by step says at each step what it says replayed as of then, and between now and the
// instant that Wake names nothing changes by itself.
func TestStepByStep(t *testing.T) {
	t.Parallel()
	r := rand.New(rand.NewPCG(2, 9))
	for range 500 {
		at := int64(0)
		h := []deadline.Event{{Kind: deadline.Filed, Severity: 2, Level: 2, ClosesAfter: 300}}
		clocks, items := deadline.New(), new(Machine)
		items.Apply(clocks, h[0])
		for range 20 {
			at += 1 + r.Int64N(60)
			e := deadline.Event{At: at, Kind: []deadline.EventKind{deadline.ItemDated, deadline.ItemKept, deadline.VendorMessage,
				deadline.OurMessage, deadline.Resolved, deadline.Reopened}[r.IntN(6)], Item: &deadline.Item{
				Name: string(rune('a' + r.IntN(3))), Kind: Kinds[r.IntN(len(Kinds))], Due: at + r.Int64N(100)}}
			h = append(h, e)
			items.Apply(clocks, e)
			if _, whole := Replay(h, at); !reflect.DeepEqual(whole.Items(), items.Items()) {
				t.Fatalf("step by step %+v\nreplayed %+v", items.Items(), whole.Items())
			}
			wake, ok := items.Wake(at)
			if !ok {
				wake = at + 1000
			}
			if told(items, at) != told(items, wake-1) || ok && told(items, at) == told(items, wake) {
				t.Fatalf("at %d it wakes at %d:\n%s\n%s\n%s", at, wake, told(items, at), told(items, wake-1), told(items, wake))
			}
		}
	}
}
