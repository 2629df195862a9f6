package deadline

import (
	"fmt"
	"math/rand/v2"
	"reflect"
	"slices"
	"testing"
	"time"

	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/calendar/walk"
)

// slowClock keeps, for every minute of its life, whether it counted.
type slowClock struct {
	kind           Kind
	rank           int
	hours          *walk.Calendar
	seconds, start int64
	counts         []bool
	end            int64
	outcome        string // empty while it lives
}

// slow is the second engine: it lives through a case minute by minute and asks
// the wall clock. It is written from the rules alone, for events on whole minutes.
type slow struct {
	terms           map[Kind]map[int]slowTerm
	how             Change
	runWhileOurs    bool
	state           string // "", live, ended, gone
	severity, level int
	move            Side
	parked, agreed  bool
	answered        bool
	fix, way        bool
	spoke           map[int64]bool
	all             []*slowClock
	live            map[Kind]*slowClock
	fixMet, wayMet  []*slowClock
	now             int64
}

type slowTerm struct {
	target calendar.Target
	hours  *walk.Calendar
}

func (s *slow) running(c *slowClock) bool {
	if c.kind.Ours() {
		return !s.parked
	}
	return !(s.parked && s.agreed) && (s.move == Theirs || s.runWhileOurs)
}

func (s *slow) open(k Kind, start int64, counts []bool) {
	rank := s.level
	if k.Ours() {
		rank = s.severity
	}
	term, ok := s.terms[k][rank]
	if !ok || term.target.None {
		return
	}
	c := &slowClock{kind: k, rank: rank, hours: term.hours, start: start, seconds: term.target.Seconds, counts: slices.Clone(counts)}
	if term.target.Business {
		c.seconds = term.hours.Span(start, term.hours.DueBusinessDays(start, term.target.Days))
	}
	s.all, s.live[k] = append(s.all, c), c
}

func (s *slow) close(k Kind, at int64, outcome string) *slowClock {
	c := s.live[k]
	if c == nil {
		return nil
	}
	delete(s.live, k)
	if n := max(0, int(at-c.start)/60); n < len(c.counts) {
		c.counts = c.counts[:n]
	}
	c.end, c.outcome = at, outcome
	if due, known := s.due(c); outcome != "met" && known && at > due {
		c.outcome = "missed"
	}
	return c
}

// due walks the counted minutes of the past, then on where counting goes on.
func (s *slow) due(c *slowClock) (int64, bool) {
	if c.seconds == 0 {
		return c.start, true
	}
	left := c.seconds
	for i, counted := range c.counts {
		if t := c.start + int64(i)*60; counted && c.hours.Covered(t) {
			if left -= 60; left == 0 {
				return t + 60, true
			}
		}
	}
	goesOn := c.outcome == "" && s.running(c)
	if c.outcome != "" {
		goesOn = len(c.counts) > 0 && c.counts[len(c.counts)-1]
	}
	if !goesOn {
		return 0, false
	}
	return c.hours.Due(c.start+int64(len(c.counts))*60, left), true
}

func (c *slowClock) counted() (sum int64) {
	for i, counted := range c.counts {
		if counted && c.hours.Covered(c.start+int64(i)*60) {
			sum += 60
		}
	}
	return sum
}

func (s *slow) turn(to Side) {
	if s.move == to {
		return
	}
	s.move = to
	if to == Theirs {
		s.close(OurAnswer, s.now, "met")
	} else if !s.fix {
		s.open(OurAnswer, s.now, nil)
	}
}

func (s *slow) offered(what Offer, said int64) {
	meet := func(k Kind) []*slowClock {
		c := s.live[k]
		if c == nil {
			return nil
		}
		at := s.now
		if c.start <= said {
			at = said
		}
		return []*slowClock{s.close(k, at, "met")}
	}
	if what == OfferWorkaround {
		s.way = true
		s.wayMet = append(s.wayMet, meet(Workaround)...)
		return
	}
	s.fix = true
	s.fixMet = append(meet(Workaround), meet(Resolution)...)
	s.close(OurAnswer, s.now, "met")
	s.open(Verification, s.now, nil)
}

func (s *slow) goOn(list []*slowClock) {
	for _, c := range list {
		for int64(len(c.counts))*60 < s.now-c.start {
			c.counts = append(c.counts, false)
		}
		c.end, c.outcome, s.live[c.kind] = 0, "", c
	}
}

func (s *slow) ranks(kinds []Kind, milder bool) {
	open := map[Kind]bool{FirstResponse: !s.answered, Update: s.answered, Workaround: !s.way && !s.fix, Resolution: !s.fix,
		OurAnswer: s.move == Ours && !s.fix, Verification: s.fix}
	for _, k := range kinds {
		old := s.close(k, s.now, "replaced")
		switch {
		case old != nil && (s.how == Keep || s.how == ByDirection && milder):
			s.open(k, old.start, old.counts)
		case old != nil || open[k]:
			s.open(k, s.now, nil)
		}
	}
}

func (s *slow) begin() {
	s.state, s.move = "live", ""
	s.parked, s.agreed, s.answered, s.fix, s.way = false, false, false, false, false
	s.fixMet, s.wayMet = nil, nil
	s.turn(Theirs)
	for _, k := range []Kind{FirstResponse, Workaround, Resolution} {
		s.open(k, s.now, nil)
	}
}

func (s *slow) event(e Event) {
	if s.state == "" && e.Kind == Filed {
		s.severity, s.level = e.Severity, e.Level
		s.begin()
		return
	}
	if s.state == "ended" && e.Kind == Reopened {
		s.begin()
		return
	}
	if s.state != "live" {
		return
	}
	switch e.Kind {
	case VendorMessage:
		if e.Automatic {
			return
		}
		s.spoke[e.At] = true
		s.parked, s.agreed = false, false
		s.close(FirstResponse, s.now, "met")
		s.close(Update, s.now, "met")
		s.answered = true
		s.open(Update, s.now, nil)
		to := Ours
		if e.Move != "" {
			to = e.Move
		}
		if e.Offers != "" && !s.fix {
			if s.offered(e.Offers, s.now); e.Offers == OfferFix {
				to = Ours
			}
		}
		s.turn(to)
	case Offered:
		if s.spoke[e.Of] && !s.fix {
			if s.offered(e.Offers, e.Of); e.Offers == OfferFix {
				s.turn(Ours)
			}
		}
	case OurMessage:
		switch {
		case e.Move != "":
			s.turn(e.Move)
		case s.fix:
			s.turn(Ours)
		default:
			s.turn(Theirs)
		}
	case Moved:
		s.turn(e.Move)
	case Park:
		s.parked, s.agreed = true, e.Agreed
	case Unpark:
		s.parked, s.agreed = false, false
	case Severity:
		if was := s.severity; was != e.To {
			s.severity = e.To
			s.ranks([]Kind{OurAnswer, Verification}, e.To > was)
		}
	case Level:
		if was := s.level; was != e.To {
			s.level = e.To
			s.ranks([]Kind{FirstResponse, Update, Workaround, Resolution}, e.To > was)
		}
	case FixRejected:
		if s.fix {
			s.close(Verification, s.now, "met")
			s.fix = false
			s.goOn(s.fixMet)
			s.fixMet = nil
			s.turn(Theirs)
		}
	case WorkaroundRejected:
		if !s.way {
			return
		}
		s.way = false
		if s.fix {
			s.fixMet = append(s.fixMet, s.wayMet...)
		} else {
			s.goOn(s.wayMet)
			s.turn(Theirs)
		}
		s.wayMet = nil
	case FixAccepted, Resolved, Closed, Withdrawn:
		if e.Kind == FixAccepted {
			if !s.fix {
				return
			}
			s.close(Verification, s.now, "met")
		}
		for k := range kinds {
			s.close(k, s.now, "void")
		}
		s.state, s.move = "ended", ""
		if e.Kind == Withdrawn {
			s.state = "gone"
		}
	}
}

// live through a history up to an instant.
func (s *slow) through(history []Event, asOf int64) []seen {
	s.spoke, s.live = map[int64]bool{}, map[Kind]*slowClock{}
	next := 0
	for s.now = history[0].At; ; s.now += 60 {
		for next < len(history) && history[next].At == s.now && s.now <= asOf {
			s.event(history[next])
			next++
		}
		if s.now >= asOf {
			break
		}
		for _, c := range s.live {
			c.counts = append(c.counts, s.running(c))
		}
	}
	type placed struct {
		seen
		c *slowClock
	}
	var rows []placed
	for _, c := range s.all {
		r := seen{kind: c.kind.String(), rank: c.rank, target: c.seconds, counted: c.counted()}
		due, known := s.due(c)
		if known {
			r.due = time.Unix(due, 0).UTC().Format("02 15:04:05")
		}
		switch {
		case c.outcome == "met" && known && c.end > due:
			r.standing = "met-late"
		case c.outcome != "":
			r.standing = Standing(c.outcome)
		case known && s.now > due:
			r.standing = Late
		case !s.running(c):
			r.standing = Paused
		case 4*(r.target-r.counted) <= r.target:
			r.standing = DueSoon
		default:
			r.standing = Running
		}
		rows = append(rows, placed{r, c})
	}
	slices.SortStableFunc(rows, func(a, b placed) int {
		switch {
		case a.c.start != b.c.start:
			return int(a.c.start - b.c.start)
		case a.c.kind != b.c.kind:
			return int(a.c.kind - b.c.kind)
		case a.c.outcome == "" || b.c.outcome == "":
			return map[bool]int{true: 1, false: 0}[a.c.outcome == ""] - map[bool]int{true: 1, false: 0}[b.c.outcome == ""]
		}
		return int(a.c.end - b.c.end)
	})
	var out []seen
	for _, r := range rows {
		out = append(out, r.seen)
	}
	return out
}

var slowPlaces = []struct{ zone, day string }{
	{"Europe/Oslo", "2026-10-22"}, {"Europe/Oslo", "2026-03-26"}, {"Australia/Lord_Howe", "2026-04-02"}, {"Pacific/Chatham", "2026-09-24"},
	{"Asia/Kathmandu", "2026-05-01"}, {"Pacific/Apia", "2011-12-27"}, {"America/Sao_Paulo", "2018-11-01"}, {"America/Sao_Paulo", "2018-02-14"},
	{"Asia/Kolkata", "2052-12-28"}, {"America/New_York", "2104-12-28"},
}

// Random histories under random terms in zones where something happens to the
// clocks: the engine and the minute-by-minute one say the same at any instant.
func TestAgainstASecondEngine(t *testing.T) {
	targets := []string{"none", "0m", "10m", "45m", "2h", "8h", "1d", "0bd", "1bd", "3bd"}
	for i, x := range slowPlaces {
		t.Run(fmt.Sprint(x.zone, x.day), func(t *testing.T) {
			t.Parallel()
			r := rand.New(rand.NewPCG(uint64(i), 17))
			base := at(t, x.day+"T00:00:00Z")
			definitions := []calendar.Definition{{Always: true}, {Zone: x.zone, Always: true},
				{Zone: x.zone, Week: map[string][]string{"mon": {"08:00-16:00"}, "tue": {"08:00-12:00", "11:00-17:30"}, "thu": {"22:00-06:00"}, "fri": {"08:00-16:00"}, "sat": {"22:00-02:30"}, "sun": {"00:00-03:00"}}},
				{Zone: x.zone, Week: map[string][]string{"sat": {"01:15-02:45"}, "sun": {"01:15-02:45"}, "wed": {"00:00-24:00"}}, Closed: []string{x.day}},
			}
			var fast []*calendar.Lineage
			var slowly []*walk.Calendar
			for _, d := range definitions {
				fast = append(fast, calendar.Fixed(mustCalendar(t, d)))
				w, err := walk.New(d)
				if err != nil {
					t.Fatal(err)
				}
				slowly = append(slowly, w)
			}
			for range 25 {
				how := []Change{Restart, Keep, ByDirection}[r.IntN(3)]
				terms := &Terms{OnChange: how, OurOnChange: how, RunWhileOurs: r.IntN(3) == 0}
				table := map[Kind]map[int]slowTerm{}
				for k := range kinds {
					table[k] = map[int]slowTerm{}
					for rank := 1; rank <= 4; rank++ {
						tg, err := calendar.ParseTarget(targets[r.IntN(len(targets))])
						if err != nil {
							t.Fatal(err)
						}
						n := r.IntN(len(fast))
						table[k][rank] = slowTerm{tg, slowly[n]}
						if err := terms.Add(k, rank, Term{tg, fast[n]}); err != nil {
							t.Fatal(err)
						}
					}
				}
				h := randomHistory(r, terms, 25, base+int64(r.IntN(1440))*60, 60)
				for range 6 {
					asOf := h[0].At + r.Int64N((h[len(h)-1].At-h[0].At)/60+600)*60
					if r.IntN(2) == 0 {
						asOf = h[r.IntN(len(h))].At
					}
					s := &slow{terms: table, how: how, runWhileOurs: terms.RunWhileOurs}
					m := Replay(h, asOf)
					if m.Err() != nil {
						t.Fatal(m.Err())
					}
					if got, want := look(m, asOf), s.through(h, asOf); !reflect.DeepEqual(got, want) {
						for i := range max(len(got), len(want)) {
							if i >= len(got) || i >= len(want) || got[i] != want[i] {
								t.Errorf("row %d", i)
							}
						}
						t.Fatalf("as of %s, %s\nengine %+v\nslow   %+v\nhistory %+v", time.Unix(asOf, 0).UTC(), how, got, want, h)
					}
				}
			}
		})
	}
}
