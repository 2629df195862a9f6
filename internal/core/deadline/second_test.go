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
	{"Europe/Oslo", "2026-10-22"}, {"Europe/Oslo", "2026-03-26"}, {"Australia/Lord_Howe", "2026-04-02"},
	{"Pacific/Chatham", "2026-09-24"},
	{"Asia/Kathmandu", "2026-05-01"}, {"Pacific/Apia", "2011-12-27"}, {"America/Sao_Paulo", "2018-11-01"},
	{"America/Sao_Paulo", "2018-02-14"},
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
				{Zone: x.zone, Week: map[string][]string{"mon": {"08:00-16:00"}, "tue": {"08:00-12:00", "11:00-17:30"},
					"thu": {"22:00-06:00"}, "fri": {"08:00-16:00"}, "sat": {"22:00-02:30"}, "sun": {"00:00-03:00"}}},
				{Zone: x.zone, Week: map[string][]string{"sat": {"01:15-02:45"}, "sun": {"01:15-02:45"}, "wed": {"00:00-24:00"}},
					Closed: []string{x.day}},
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
				how := []Change{Restart, Keep, RestartIfRaised}[r.IntN(3)]
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
