package main

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"github.com/rickar/cal/v2"

	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/deadline"
)

// rules measures the core alone: what one question costs, beside the same one
// put to a general calendar library or to a shorter span.
// In one piece: what is measured side by side is read side by side.
func rules() error {
	oslo, err := time.LoadLocation("Europe/Oslo")
	if err != nil {
		return err
	}
	general := cal.NewBusinessCalendar()
	general.SetWorkHours(8*time.Hour, 16*time.Hour)
	hours := []string{"08:00-16:00"}
	def := calendar.Definition{Zone: "Europe/Oslo",
		Week: map[string][]string{"mon": hours, "tue": hours, "wed": hours, "thu": hours, "fri": hours}}
	for m := time.January; m <= time.December; m++ {
		general.AddHoliday(&cal.Holiday{Month: m, Day: 6 + int(m), Func: cal.CalcDayOfMonth})
		for y := 2020; y <= 2032; y++ {
			def.Closed = append(def.Closed, time.Date(y, m, 6+int(m), 0, 0, 0, 0, time.UTC).Format(time.DateOnly))
		}
	}
	ours, err := calendar.New(def)
	if err != nil {
		return err
	}
	r := rand.New(rand.NewPCG(1, 9))
	starts, wall := make([]int64, 1024), make([]time.Time, 1024)
	for i := range starts {
		wall[i] = time.Date(2026, 1, 1, 0, 0, r.IntN(360*86400), 0, oslo)
		starts[i] = wall[i].Unix()
		due, err := ours.Due(starts[i], 8*3600)
		if want := general.AddWorkHours(wall[i], 8*time.Hour).Unix(); err != nil || due != want {
			return fmt.Errorf("from %s we answer %s, the library %s, %v", wall[i], time.Unix(due, 0).In(oslo),
				time.Unix(want, 0).In(oslo), err)
		}
	}
	dueOurs := func(b *testing.B) {
		b.ReportAllocs()
		for i := range b.N {
			if _, err := ours.Due(starts[i&1023], 8*3600); err != nil {
				b.Fatal(err)
			}
		}
	}
	dueGeneral := func(b *testing.B) {
		for i := range b.N {
			general.AddWorkHours(wall[i&1023], 8*time.Hour)
		}
	}
	span := func(length int64) func(*testing.B) {
		return func(b *testing.B) {
			b.ReportAllocs()
			for i := range b.N {
				ours.Span(starts[i&1023]-5*365*86400, starts[i&1023]-5*365*86400+length)
			}
		}
	}
	usual, asOf, err := longCase(ours, 4)
	if err != nil {
		return err
	}
	restless, _, err := longCase(ours, 1)
	if err != nil {
		return err
	}
	replay := func(history []deadline.Event) func(*testing.B) {
		return func(b *testing.B) {
			for range b.N {
				deadline.Replay(history, asOf).Rows(asOf)
			}
		}
	}
	clocks := func(history []deadline.Event) int { return len(deadline.Replay(history, asOf).Clocks()) }
	t := byTurns(dueOurs, dueGeneral, span(10*7*86400), span(10*365*86400), replay(usual), replay(restless))
	fmt.Printf("due of 8 h, 12 holidays a year: %.0f ns, %d allocations; %.1f million a second on one core; %.0fx "+
		"the general library (%.0f ns)\n",
		t[0].ns, t[0].allocs, 1e3/t[0].ns, t[1].ns/t[0].ns, t[1].ns)
	fmt.Printf("span of ten years: %.0f ns, %d allocations; %.2fx ten weeks (%.0f ns)\n", t[3].ns, t[3].allocs,
		t[3].ns/t[2].ns, t[2].ns)
	fmt.Printf("replay of 200 events with six deadlines: %.0f us (%d clocks); "+
		"regraded all the time: %.0f us (%d clocks)\n", t[4].ns/1000, clocks(usual), t[5].ns/1000, clocks(restless))
	return nil
}

type cost struct {
	ns     float64
	allocs int64
}

// byTurns measures all of them again and again by turns and takes each one's median.
func byTurns(list ...func(*testing.B)) []cost {
	const rounds = 5
	all := make([][]float64, len(list))
	out := make([]cost, len(list))
	for range rounds {
		for i, fn := range list {
			b := testing.Benchmark(fn)
			all[i] = append(all[i], float64(b.T.Nanoseconds())/float64(b.N))
			out[i].allocs = b.AllocsPerOp()
		}
	}
	for i := range list {
		slices.Sort(all[i])
		out[i].ns = all[i][rounds/2]
	}
	return out
}

// longCase is a case of 200 events, none of which is meaningless: asked and
// answered, parked, fixes offered and rejected, and regraded in every so manyth round.
func longCase(hours *calendar.Calendar, regraded int) ([]deadline.Event, int64, error) {
	terms := &deadline.Terms{}
	line := calendar.Fixed(hours)
	for k, target := range map[deadline.Kind]string{deadline.FirstResponse: "4h", deadline.Update: "1bd",
		deadline.Workaround: "3bd", deadline.Resolution: "5bd", deadline.OurAnswer: "8h", deadline.Verification: "2bd"} {
		tg, err := calendar.ParseTarget(target)
		if err != nil {
			return nil, 0, err
		}
		for rank := 1; rank <= 4; rank++ {
			if err := terms.Add(k, rank, deadline.Term{Target: tg, Calendar: line}); err != nil {
				return nil, 0, err
			}
		}
	}
	at := time.Date(2026, 1, 5, 9, 0, 0, 0, time.UTC).Unix()
	h := []deadline.Event{{At: at, Kind: deadline.Filed, Severity: 2, Level: 2, Terms: terms}}
	round := []deadline.Event{{Kind: deadline.VendorMessage}, {Kind: deadline.OurMessage},
		{Kind: deadline.VendorMessage, Move: deadline.Theirs}, {Kind: deadline.Park, Agreed: true},
		{Kind: deadline.Unpark}, {Kind: deadline.Severity, To: 1}, {Kind: deadline.Level, To: 3},
		{Kind: deadline.VendorMessage, Offers: deadline.OfferWorkaround}, {Kind: deadline.WorkaroundRejected},
		{Kind: deadline.VendorMessage, Offers: deadline.OfferFix}, {Kind: deadline.FixRejected},
		{Kind: deadline.Severity, To: 2}, {Kind: deadline.Level, To: 2}}
	for len(h) < 200 {
		n := len(h) - 1
		e := round[n%len(round)]
		if regrade := e.Kind == deadline.Severity || e.Kind == deadline.Level; regrade && n/len(round)%regraded != 0 {
			e = deadline.Event{Kind: deadline.OurMessage}
		}
		at += 5 * 3600
		e.At = at
		h = append(h, e)
	}
	return h, at, nil
}
