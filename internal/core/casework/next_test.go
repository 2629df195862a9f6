package casework

import (
	"math/rand/v2"
	"testing"

	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/dated"
	"roundhouse.example/internal/core/deadline"
)

func promises(t *testing.T, some bool) *deadline.Terms {
	t.Helper()
	c, err := calendar.New(calendar.Definition{Zone: "Pacific/Apia",
		Week: map[string][]string{"mon": {"08:00-16:00"}, "thu": {"22:00-06:00"}}})
	if err != nil {
		t.Fatal(err)
	}
	terms := &deadline.Terms{}
	for k := deadline.FirstResponse; k <= deadline.Verification && some; k++ {
		if err := terms.Add(k, 2,
			deadline.Term{Target: calendar.Target{Seconds: 7200}, Calendar: calendar.Fixed(c)}); err != nil {
			t.Fatal(err)
		}
	}
	return terms
}

// Whatever happens to a case, with terms or without: while it is live it asks
// for attention at some instant; one that is not live does only while a follow-up or the return of a part goes on.
func TestNoLiveCaseIsWithoutANextDate(t *testing.T) {
	kinds := []deadline.EventKind{deadline.VendorMessage, deadline.OurMessage, deadline.Moved, deadline.Park,
		deadline.Unpark, deadline.Severity, deadline.Level,
		deadline.FixAccepted, deadline.FixRejected, deadline.WorkaroundRejected, deadline.Offered, deadline.Resolved,
		deadline.Closed, deadline.Reopened, deadline.Reopened, deadline.ItemDated, deadline.ItemDated, deadline.ItemKept,
		deadline.ItemMoved, deadline.ItemDropped, deadline.Raised}
	names := []string{"a", "b", dated.Rung(1), dated.Rung(2)}
	r := rand.New(rand.NewPCG(5, 5))
	asked, goesOn := 0, 0
	for n := range 3000 {
		at := int64(1_790_000_000)
		h := []deadline.Event{{At: at, Kind: deadline.Filed, Severity: 2, Level: 2, Terms: promises(t, n%4 > 0)}}
		for range 30 {
			at += r.Int64N(30000)
			h = append(h, deadline.Event{At: at, Kind: kinds[r.IntN(len(kinds))], To: 1 + r.IntN(3), Agreed: r.IntN(2) == 0,
				Of: h[r.IntN(len(h))].At,
				Item: &deadline.Item{Name: names[r.IntN(4)], Kind: dated.Kinds[r.IntN(len(dated.Kinds))],
					Due:  at + r.Int64N(90000) - 20000,
					Rung: 1 + r.IntN(2)},
				Move:   []deadline.Side{deadline.Ours, deadline.Theirs}[r.IntN(2)],
				Offers: []deadline.Offer{deadline.OfferFix, deadline.OfferWorkaround}[r.IntN(2)]})
			x := Replay(h, at, false)
			m, items := x.Clocks, x.Items
			until := int64(0)
			if parked, _ := m.Parked(); parked && r.IntN(2) == 0 {
				until = at + 86400
			}
			d, err := Next(m, items, at, until, func() (int64, error) { asked++; return at + 7200, nil })
			if err != nil {
				t.Fatal(err)
			}
			live := m.Phase() == deadline.LivePhase
			first, some := items.Next()
			for i := range items.Items() {
				if x := &items.Items()[i]; x.Outcome == deadline.Live && !live && !dated.GoesOn(x.Kind) {
					t.Fatalf("a %s outlives its case: %+v", x.Kind, h)
				}
			}
			if !live && some {
				goesOn++
			}
			if (live || some) != (d.Next != 0) || some && d.Next > first || d.Wake != 0 && (d.Wake < at || !live && !some) ||
				until != 0 && (d.Next > until || d.Wake > until) {
				t.Fatalf("live %v, parked until %d: %+v after %+v", live, until, d, h)
			}
			// Between now and the instant named nothing changes its standing.
			if d.Wake > at+1 {
				for i := range items.Items() {
					x := &items.Items()[i]
					if a, b := x.Standing(at), x.Standing(d.Wake-1); x.Outcome == deadline.Live && a != b {
						t.Fatalf("the %s turns from %s to %s before %d", x.Kind, a, b, d.Wake)
					}
				}
				for i := range m.Clocks() {
					c := &m.Clocks()[i]
					if a, b := c.Standing(at), c.Standing(d.Wake-1); c.Outcome == deadline.Live && a != b {
						t.Fatalf("%s turns from %s to %s before %d", c.Kind, a, b, d.Wake)
					}
				}
			}
		}
	}
	if asked == 0 || goesOn == 0 {
		t.Errorf("the quiet limit was asked for %d times, %d histories go on after their end", asked, goesOn)
	}
}
