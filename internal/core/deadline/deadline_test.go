package deadline

import (
	"math/rand/v2"
	"reflect"
	"sync"
	"testing"
	"time"

	"roundhouse.example/internal/core/calendar"
)

func at(t testing.TB, s string) int64 {
	t.Helper()
	v, err := time.Parse(time.RFC3339, s)
	if err != nil {
		t.Fatal(err)
	}
	return v.Unix()
}

func mustCalendar(t testing.TB, d calendar.Definition) *calendar.Calendar {
	t.Helper()
	c, err := calendar.New(d)
	if err != nil {
		t.Fatal(err)
	}
	return c
}

func add(t testing.TB, terms *Terms, k Kind, rank int, target string, c *calendar.Calendar) {
	t.Helper()
	tg, err := calendar.ParseTarget(target)
	if err == nil {
		err = terms.Add(k, rank, Term{tg, calendar.Fixed(c)})
	}
	if err != nil {
		t.Fatal(err)
	}
}

func workedTerms(t testing.TB) *Terms {
	w := []string{"08:00-16:00"}
	office := mustCalendar(t,
		calendar.Definition{Zone: "Europe/Oslo", Week: map[string][]string{"mon": w, "tue": w, "wed": w, "thu": w, "fri": w}})
	always := mustCalendar(t, calendar.Definition{Always: true})
	terms := &Terms{}
	add(t, terms, FirstResponse, 2, "4h", office)
	add(t, terms, Update, 2, "1bd", office)
	add(t, terms, Resolution, 2, "3bd", office)
	add(t, terms, FirstResponse, 1, "1h", always)
	add(t, terms, Update, 1, "2h", always)
	add(t, terms, OurAnswer, 2, "8h", office)
	add(t, terms, OurAnswer, 1, "1h", always)
	return terms
}

func workedHistory(t testing.TB) []Event {
	return []Event{
		{At: at(t, "2026-11-19T13:00:00+01:00"), Kind: Filed, Severity: 2, Level: 2, Terms: workedTerms(t)},
		{At: at(t, "2026-11-19T13:00:20+01:00"), Kind: VendorMessage, Automatic: true},
		{At: at(t, "2026-11-20T09:30:00+01:00"), Kind: VendorMessage},
		{At: at(t, "2026-11-20T11:00:00+01:00"), Kind: OurMessage},
		{At: at(t, "2026-11-24T10:00:00+01:00"), Kind: Severity, To: 1},
		{At: at(t, "2026-11-24T10:00:00+01:00"), Kind: Level, To: 1},
		{At: at(t, "2026-11-24T11:00:00+01:00"), Kind: VendorMessage, Move: Theirs},
	}
}

type seen struct {
	kind            string
	rank            int
	due             string
	standing        Standing
	target, counted int64
}

func look(m *Machine, asOf int64) []seen {
	var out []seen
	for _, r := range m.Rows(asOf) {
		s := seen{r.Clock.Kind.String(), r.Clock.Rank, "", r.Standing, r.Clock.Seconds, r.Counted}
		if r.DueKnown {
			s.due = time.Unix(r.Due, 0).UTC().Format("02 15:04:05")
		}
		out = append(out, s)
	}
	return out
}

func same(t *testing.T, got, want []seen) {
	t.Helper()
	if !reflect.DeepEqual(got, want) {
		t.Errorf("got\n%+v\nwant\n%+v", got, want)
	}
}

func TestWorkedExample(t *testing.T) {
	asOf := at(t, "2026-11-24T12:45:00+01:00")
	m := Replay(workedHistory(t), asOf)
	same(t, look(m, asOf), []seen{
		{"first-response", 2, "20 08:00:00", StandsMetLate, 14400, 16200},
		{"resolution", 2, "25 08:30:00", StandsReplaced, 97200, 70200}, // counted up to its end, so as if it had gone on
		{"update", 2, "24 08:30:00", StandsMissed, 52200, 54000},
		{"our-answer", 2, "23 08:30:00", StandsMet, 28800, 5400},
		{"update", 1, "24 11:00:00", StandsMet, 7200, 3600},
		{"update", 1, "24 12:00:00", DueSoon, 7200, 6300},
	})
}

func always(t testing.TB, targets map[Kind]string) *Terms {
	c := mustCalendar(t, calendar.Definition{Always: true})
	terms := &Terms{}
	for k := FirstResponse; k < kinds; k++ {
		if s := targets[k]; s != "" {
			for rank := 1; rank <= 4; rank++ {
				add(t, terms, k, rank, s, c)
			}
		}
	}
	return terms
}

func standings(m *Machine, asOf int64) map[string]Standing {
	out := map[string]Standing{}
	for _, r := range m.Rows(asOf) {
		out[r.Clock.Kind.String()] = r.Standing
	}
	return out
}

func TestARejectedFixGoesOnWithoutTheTimeBetween(t *testing.T) {
	h := []Event{
		{At: 0, Kind: Filed, Severity: 2, Level: 2,
			Terms: always(t, map[Kind]string{Resolution: "2h", Workaround: "1h", OurAnswer: "1h", Verification: "1h"})},
		{At: 600, Kind: VendorMessage, Offers: OfferWorkaround, Move: Theirs},
		{At: 1200, Kind: VendorMessage, Offers: OfferFix, Move: Theirs},
		{At: 1300, Kind: WorkaroundRejected},
		{At: 4800, Kind: FixRejected},
	}
	m := Replay(h, 1300)
	if side, _ := m.Move(); side != Ours || !m.FixOffered() {
		t.Fatalf("after a fix offered the move is %s", side)
	}
	m = Replay(h, 5000)
	same(t, look(m, 5000), []seen{
		{"workaround", 2, "01 02:10:00", Running, 3600, 600 + 200},
		{"resolution", 2, "01 03:00:00", Running, 7200, 1200 + 200},
		{"verification", 2, "01 01:20:00", StandsMet, 3600, 3600},
	})
	if side, since := m.Move(); side != Theirs || since != 4800 {
		t.Errorf("move %s since %d", side, since)
	}
}

func TestAnOfferMarkedLater(t *testing.T) {
	h := []Event{
		{At: 0, Kind: Filed, Severity: 2, Level: 2,
			Terms: always(t, map[Kind]string{Resolution: "1h", OurAnswer: "1h", Verification: "1h"})},
		{At: 3600, Kind: VendorMessage, Move: Theirs},
		{At: 7200, Kind: Offered, Offers: OfferFix, Of: 3600},
	}
	if got := standings(Replay(h, 7100), 7100)["resolution"]; got != Late {
		t.Errorf("before the mark resolution is %s", got)
	}
	m := Replay(h, 8000)
	same(t, look(m, 8000), []seen{
		{"resolution", 2, "01 01:00:00", StandsMet, 3600, 3600},
		{"verification", 2, "01 03:00:00", Running, 3600, 800},
	})
}

func TestParkingAndChangesOfRank(t *testing.T) {
	terms := always(t, map[Kind]string{FirstResponse: "1h", OurAnswer: "1h"})
	h := []Event{
		{At: 0, Kind: Filed, Severity: 3, Level: 3, Terms: terms},
		{At: 600, Kind: Park},                // ours only: theirs goes on
		{At: 1200, Kind: Park, Agreed: true}, // now both stop
		{At: 1800, Kind: Unpark},
		{At: 2400, Kind: Level, To: 4}, // keep: less severe
		{At: 2700, Kind: Level, To: 2}, // restart: more severe
		{At: 6300, Kind: Withdrawn},
		{At: 6400, Kind: Reopened},
	}
	m := Replay(h, 7000)
	same(t, look(m, 7000), []seen{
		{"first-response", 3, "01 01:10:00", StandsReplaced, 3600, 1800},
		{"first-response", 4, "01 01:10:00", StandsReplaced, 3600, 2100},
		{"first-response", 2, "01 01:45:00", StandsVoid, 3600, 3600},
	})
	if m.Phase() != Gone {
		t.Error("a withdrawn case came back")
	}
}

func TestExactlyAtDueIsInTime(t *testing.T) {
	h := []Event{{At: 0, Kind: Filed, Severity: 1, Level: 1, Terms: always(t, map[Kind]string{FirstResponse: "1h"})}}
	m := Replay(h, 0)
	if s := m.Rows(3600)[0].Standing; s != DueSoon {
		t.Errorf("at its due it is %s", s)
	}
	if s := m.Rows(3601)[0].Standing; s != Late {
		t.Errorf("a second later it is %s", s)
	}
}

// randomHistory makes any events in any order, most of them meaningless, on
// multiples of a grid from start on.
func randomHistory(r *rand.Rand, terms *Terms, n int, start, grid int64) []Event {
	kinds := []EventKind{VendorMessage, VendorMessage, VendorMessage, OurMessage, OurMessage, Offered, Offered, Moved,
		Park, Unpark, Severity, Level, FixAccepted, FixRejected, FixRejected, WorkaroundRejected, WorkaroundRejected,
		Resolved, Closed, Reopened, Reopened}
	sides := []Side{"", Ours, Theirs}
	offers := []Offer{"", "", OfferWorkaround, OfferFix}
	h := []Event{{At: start - start%grid, Kind: Filed, Severity: 1 + r.IntN(4), Level: 1 + r.IntN(4), Terms: terms}}
	var said []int64
	for at := h[0].At; len(h) < n; {
		at += r.Int64N(3) * r.Int64N(20000/grid) * grid
		e := Event{At: at, Kind: kinds[r.IntN(len(kinds))], To: 1 + r.IntN(4), Move: sides[r.IntN(3)], Agreed: r.IntN(2) == 0}
		switch e.Kind {
		case VendorMessage:
			e.Automatic, e.Offers = r.IntN(5) == 0, offers[r.IntN(4)]
			said = append(said, at)
		case Offered:
			e.Offers = offers[2+r.IntN(2)]
			if len(said) > 0 {
				e.Of = said[len(said)-1-r.IntN(min(3, len(said)))]
			}
		case Moved:
			e.Move = sides[1+r.IntN(2)]
		}
		h = append(h, e)
	}
	return h
}

// richTerms promise everything at some ranks, in unlike calendars.
func richTerms(t testing.TB) *Terms {
	terms := workedTerms(t)
	night := mustCalendar(t,
		calendar.Definition{Zone: "Asia/Kathmandu",
			Week: map[string][]string{"mon": {"22:00-06:00"}, "wed": {"09:00-17:00"}}})
	for k, s := range map[Kind]string{Workaround: "5h", Verification: "1bd"} {
		for rank := 1; rank <= 4; rank++ {
			add(t, terms, k, rank, s, night)
		}
	}
	return terms
}

// eachHistory gives a property many random histories.
func eachHistory(t *testing.T, n int, property func(h []Event)) {
	terms := richTerms(t)
	r := rand.New(rand.NewPCG(3, 5))
	for range n {
		property(randomHistory(r, terms, 60, 1_790_000_000, 1))
	}
}

func TestReplayAtEveryPrefixIsTheSameAsStepByStep(t *testing.T) {
	eachHistory(t, 80, func(h []Event) {
		step := New()
		for i, e := range h {
			step.Apply(e)
			if i+1 < len(h) && h[i+1].At == e.At {
				continue
			}
			whole := Replay(h, e.At)
			if got, want := look(step, e.At), look(whole, e.At); !reflect.DeepEqual(got, want) {
				t.Fatalf("event %d: step by step\n%v\nreplayed\n%v", i, got, want)
			}
			for _, row := range step.Rows(e.At) {
				if c := row.Clock; row.Counted < 0 || c.Outcome != Live && c.End < c.Start {
					t.Fatalf("event %d: clock %+v", i, c)
				}
			}
		}
		if side, _ := step.Move(); (step.Phase() == LivePhase) != (side != "") {
			t.Fatalf("phase %d with move %q", step.Phase(), side)
		}
	})
}

func TestEventsAfterAsOfChangeNothing(t *testing.T) {
	eachHistory(t, 60, func(h []Event) {
		for i := 5; i < len(h); i += 11 {
			asOf := h[i].At
			var until []Event
			for _, e := range h {
				if e.At <= asOf {
					until = append(until, e)
				}
			}
			if got, want := look(Replay(h, asOf), asOf), look(Replay(until, asOf), asOf); !reflect.DeepEqual(got, want) {
				t.Fatalf("as of %d with what came after\n%v\nwithout\n%v", asOf, got, want)
			}
		}
	})
}

// What else is there does not matter: the same calendars asked by others at the
// same time, further promises that no clock was made from, cases beside it.
func TestReplayIsTheSameWhateverElseIsStored(t *testing.T) {
	shared := richTerms(t)
	r := rand.New(rand.NewPCG(8, 1))
	for range 20 {
		h := randomHistory(r, shared, 60, 1_790_000_000, 1)
		last := h[len(h)-1].At
		var beside sync.WaitGroup
		for range 4 {
			other := randomHistory(r, shared, 60, 1_600_000_000+r.Int64N(1e9), 1)
			beside.Go(func() { Replay(other, other[59].At).Rows(other[59].At) })
		}
		got := look(Replay(h, last), last)
		beside.Wait()
		alone := richTerms(t)
		for k := range kinds {
			add(t, alone, k, 9, "7m", mustCalendar(t, calendar.Definition{Zone: "Pacific/Apia", Always: true}))
		}
		h[0].Terms = alone
		if want := look(Replay(h, last), last); !reflect.DeepEqual(got, want) {
			t.Fatalf("beside others\n%v\nalone\n%v", got, want)
		}
	}
}

// Once late, a clock is late for good; but for one that an offer marked later
// shows to have been met in time.
func TestNoHistoryErasesALateness(t *testing.T) {
	eachHistory(t, 120, func(h []Event) {
		m := New()
		late := map[int]bool{}
		for i, e := range h {
			// How it stands just before the event counts too.
			rows := m.Rows(e.At)
			m.Apply(e)
			for _, row := range append(rows, m.Rows(e.At)...) {
				c := row.Clock
				isLate := row.Standing == Late || row.Standing == StandsMetLate || row.Standing == StandsMissed
				if late[row.Index] && !isLate && !(e.Kind == Offered && c.Outcome == Met && c.End == e.Of) {
					t.Fatalf("event %d, %s, erased a lateness: %+v", i, e.Kind, c)
				}
				late[row.Index] = isLate
			}
		}
	})
}

func BenchmarkReplay200Events(b *testing.B) {
	h := randomHistory(rand.New(rand.NewPCG(1, 1)), richTerms(b), 200, 1_790_000_000, 1)
	last := h[len(h)-1].At
	b.ReportAllocs()
	for b.Loop() {
		Replay(h, last).Rows(last)
	}
}

// A step that the vendor is told of is a message of ours, unless the case cannot take it.
func TestTheLastWord(t *testing.T) {
	t.Parallel()
	m := New()
	for _, e := range []Event{{At: 10, Kind: Level, To: 1, Told: true}, {At: 20, Kind: Filed, Severity: 2, Level: 2},
		{At: 30, Kind: Level, To: 1}, {At: 40, Kind: VendorMessage, Automatic: true}} {
		m.Apply(e)
	}
	if m.LastWord() != 20 {
		t.Errorf("the last word was at %d, not when it was filed", m.LastWord())
	}
	m.Apply(Event{At: 50, Kind: Level, To: 3, Told: true})
	if m.LastWord() != 50 {
		t.Errorf("the last word was at %d, not when the vendor was told", m.LastWord())
	}
}
