package rota

import (
	"math/rand/v2"
	"testing"
	"time"
)

func at(s string) time.Time {
	t, err := time.Parse("2006-01-02 15:04", s)
	if err != nil {
		panic(err)
	}
	return t
}

var week = []Period{
	{at("2026-12-07 08:00"), at("2026-12-14 08:00"), "Emil Dahl", "+44 1632 960 011"},
	{at("2026-11-30 08:00"), at("2026-12-05 08:00"), "Solveig Brandt", "+44 1632 960 012"},
	{at("2026-12-05 08:00"), at("2026-12-06 08:00"), "Ragna Lie", "+44 1632 960 010"},
}

func TestWhoIsOn(t *testing.T) {
	for _, c := range []struct{ at, who string }{
		{"2026-11-30 07:59", ""}, {"2026-11-30 08:00", "Solveig Brandt"}, {"2026-12-05 07:59", "Solveig Brandt"},
		{"2026-12-05 08:00", "Ragna Lie"}, {"2026-12-06 08:00", ""}, {"2026-12-07 08:00", "Emil Dahl"},
		{"2026-12-14 08:00", ""},
	} {
		who := ""
		if on := On(week, at(c.at)); on != nil {
			who = on.Name
		}
		if who != c.who {
			t.Errorf("%s: %q, want %q", c.at, who, c.who)
		}
	}
}

func TestGaps(t *testing.T) {
	for _, c := range []struct {
		from, until string
		gaps        []Gap
	}{
		{"2026-12-01 00:00", "2026-12-20 00:00", []Gap{{at("2026-12-06 08:00"), at("2026-12-07 08:00")},
			{at("2026-12-14 08:00"), at("2026-12-20 00:00")}}},
		{"2026-11-29 00:00", "2026-12-01 00:00", []Gap{{at("2026-11-29 00:00"), at("2026-11-30 08:00")}}},
		{"2026-12-08 00:00", "2026-12-14 08:00", nil},
		{"2026-12-06 12:00", "2026-12-06 13:00", []Gap{{at("2026-12-06 12:00"), at("2026-12-06 13:00")}}},
	} {
		got := Gaps(week, at(c.from), at(c.until))
		if len(got) != len(c.gaps) {
			t.Errorf("%s to %s: %v, want %v", c.from, c.until, got, c.gaps)
			continue
		}
		for i := range got {
			if got[i] != c.gaps[i] {
				t.Errorf("%s to %s: %v, want %v", c.from, c.until, got[i], c.gaps[i])
			}
		}
	}
}

// Whatever the periods, somebody is on at an instant exactly where no gap holds it.
func TestGapsAreWhereNobodyIs(t *testing.T) {
	start := at("2026-12-01 00:00")
	for seed := range uint64(300) {
		r := rand.New(rand.NewPCG(seed, 7))
		var periods []Period
		for range r.IntN(8) {
			from := start.Add(time.Duration(r.IntN(200)) * time.Hour)
			periods = append(periods, Period{From: from, Until: from.Add(time.Duration(1+r.IntN(60)) * time.Hour), Name: "A"})
		}
		gaps := Gaps(periods, start, start.Add(240*time.Hour))
		for h := range 240 {
			now, in := start.Add(time.Duration(h)*time.Hour), false
			for _, g := range gaps {
				in = in || !g.From.After(now) && g.Until.After(now)
			}
			if in == (On(periods, now) != nil) {
				t.Fatalf("seed %d, hour %d: on %v, gaps %v", seed, h, On(periods, now), gaps)
			}
		}
	}
}

func TestContact(t *testing.T) {
	for _, c := range []struct{ at, want string }{
		{"2026-12-06 09:00", ""},
		{"2026-12-08 09:00", "Emil Dahl, +44 1632 960 011"},
		{"2026-12-04 09:00", "Solveig Brandt, +44 1632 960 012 (until Sat 5 Dec 08:00 UTC), then Ragna Lie, " +
			"+44 1632 960 010 (until Sun 6 Dec 08:00 UTC)"},
	} {
		if got := Contact(week, at(c.at), 72*time.Hour); got != c.want {
			t.Errorf("%s: %q, want %q", c.at, got, c.want)
		}
	}
}

// A handover stays at its time of day when the clocks change.
func TestShiftsKeepTheTimeOfDay(t *testing.T) {
	oslo, err := time.LoadLocation("Europe/Oslo")
	if err != nil {
		t.Fatal(err)
	}
	shifts := Shifts(time.Date(2026, 10, 19, 8, 0, 0, 0, oslo), 7, 3)
	for i, want := range []string{"2026-10-19 06:00", "2026-10-26 07:00", "2026-11-02 07:00"} {
		if got := shifts[i].From.UTC(); !got.Equal(at(want)) || i > 0 && !shifts[i-1].Until.Equal(shifts[i].From) {
			t.Errorf("shift %d begins %s, want %s", i, got, want)
		}
	}
}

func TestCallable(t *testing.T) {
	for s, want := range map[string]bool{
		"Emil Dahl, +44 1632 960 011": true, "Duty phone (01632) 960-011": true, "112": false, "": false,
		"Emil Dahl": false, "extension 4711": false, "1632.960.011": true, "room 12, building 34": false,
		"+44 1632 960 011 44 1632 960 011": false,
	} {
		if Callable(s) != want {
			t.Errorf("%q: %v", s, !want)
		}
	}
}
