package calendar_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/calendar/walk"
)

// oddities are zones with a date near which something happens to their clocks.
var oddities = []struct{ zone, day string }{
	{"Europe/Oslo", "2026-03-26"},         // a gap
	{"Europe/Oslo", "2026-10-23"},         // a doubled hour
	{"Australia/Lord_Howe", "2026-04-02"}, // half an hour back, in the south
	{"Australia/Lord_Howe", "2026-10-02"}, // half an hour forward
	{"Asia/Kathmandu", "2026-01-01"},      // 45 minutes
	{"Asia/Kathmandu", "1985-12-30"},      // and the day it came to be
	{"Pacific/Chatham", "2026-09-25"},     // 45 minutes, and a gap
	{"Pacific/Apia", "2011-12-28"},        // a date that was skipped
	{"Pacific/Kwajalein", "1993-08-19"},   // another
	{"America/Sao_Paulo", "2018-11-02"},   // a gap at midnight
	{"America/Sao_Paulo", "2018-02-15"},   // midnight twice
	{"America/St_Johns", "2006-10-27"},    // a change at 00:01
	{"Africa/Casablanca", "2026-02-13"},   // twice a year for a month
	{"Antarctica/Troll", "2026-03-27"},    // two hours at once
	{"America/New_York", "2032-10-30"},
	{"Asia/Kolkata", "2052-12-29"},     // the end of a leap year beyond the table
	{"Australia/Sydney", "2104-12-29"}, // and further, in southern summer
	{"Europe/Oslo", "2400-12-29"},
	{"America/New_York", "2904-03-11"}, // a year that is a copy of another
	{"Europe/Oslo", "1960-12-29"},
}

func randomDefinition(r *rand.Rand, zone string, base time.Time) calendar.Definition {
	if r.IntN(12) == 0 {
		return calendar.Definition{Zone: zone, Always: true}
	}
	text := func() string {
		o, c := r.IntN(1440), r.IntN(1441)
		switch r.IntN(6) {
		case 0:
			o = 0
		case 1:
			c = 1440
		case 2: // inside the small hours, where clocks change
			o, c = r.IntN(180), r.IntN(240)
		}
		return fmt.Sprintf("%02d:%02d-%02d:%02d", o/60, o%60, c/60, c%60)
	}
	d := calendar.Definition{Zone: zone, Week: map[string][]string{}, Extra: map[string][]string{}}
	for _, wd := range []string{"sun", "mon", "tue", "wed", "thu", "fri", "sat"} {
		for range r.IntN(3) {
			d.Week[wd] = append(d.Week[wd], text())
		}
	}
	d.Week["tue"] = append(d.Week["tue"], text()) // so that it opens at all
	d.Closed = []string{base.AddDate(0, 0, r.IntN(6)).Format(time.DateOnly)}
	d.Extra[base.AddDate(0, 0, r.IntN(6)).Format(time.DateOnly)] = []string{"01:30-03:15"}
	d.Extra[base.AddDate(0, 0, r.IntN(6)).Format(time.DateOnly)] = []string{}
	return d
}

func TestAgainstAMinuteWalk(t *testing.T) {
	for i, x := range oddities {
		t.Run(strings.ReplaceAll(x.zone, "/", "-")+"-"+x.day, func(t *testing.T) {
			t.Parallel()
			r := rand.New(rand.NewPCG(7, uint64(i)))
			base, err := time.Parse(time.DateOnly, x.day)
			if err != nil {
				t.Fatal(err)
			}
			for range 8 {
				d := randomDefinition(r, x.zone, base)
				c, err := calendar.New(d)
				if err != nil {
					t.Fatal(err)
				}
				w, err := walk.New(d)
				if err != nil {
					t.Fatal(err)
				}
				a := base.Unix()
				b := a + 5*86400
				if got, want := c.Span(a, b), w.Span(a, b); got != want {
					t.Fatalf("%+v\nspan = %d, walked %d", d, got, want)
				}
				for range 4 {
					start := a + int64(r.IntN(4*1440))*60
					n := int64(r.IntN(900)) * 60
					if got, err := c.Due(start, n); err != nil || got != w.Due(start, n) {
						t.Fatalf("%+v\ndue(%d, %d) = %d, %v; walked %d", d, start, n, got, err, w.Due(start, n))
					}
					days := r.IntN(5)
					if got, err := c.DueBusinessDays(start, days); err != nil || got != w.DueBusinessDays(start, days) {
						t.Fatalf("%+v\ndue(%d, %dbd) = %d, %v; walked %d", d, start, days, got, err, w.DueBusinessDays(start, days))
					}
				}
			}
		})
	}
}

// The walk asks the same clock as the calendar; what that clock says far ahead
// is held against what the zone's rule says.
func TestTheClockAtEndsOfLeapYearsFarAhead(t *testing.T) {
	for _, x := range []struct {
		zone, at string
		hours    float64
	}{
		{"Australia/Sydney", "2104-12-31T12:00:00Z", 11}, {"Australia/Sydney", "2104-07-01T12:00:00Z", 10},
		{"Europe/Oslo", "2400-12-31T23:30:00Z", 1}, {"America/New_York", "2904-12-31T12:00:00Z", -5},
		{"Asia/Kolkata", "2052-12-31T12:00:00Z", 5.5},
	} {
		at, err := time.Parse(time.RFC3339, x.at)
		if err != nil {
			t.Fatal(err)
		}
		c, err := calendar.New(calendar.Definition{Zone: x.zone,
			Extra: map[string][]string{at.Format(time.DateOnly): {"00:00-24:00"},
				at.AddDate(0, 0, 1).Format(time.DateOnly): {"00:00-24:00"}}})
		if err != nil {
			t.Fatal(err)
		}
		want := at.Truncate(24*time.Hour).Unix() - int64(x.hours*3600)
		if ws := c.Windows(at.Unix()-3*86400, at.Unix()+3*86400, 2); len(ws) != 1 || ws[0].Open != want {
			t.Errorf("%s: midnight in %s is %v, want %d", x.at, x.zone, ws, want)
		}
	}
}

// A year far away is a copy of another; one that has dates of its own is not.
func TestYearsFarAwayAreWhatTheyWouldBe(t *testing.T) {
	def := calendar.Definition{Zone: "Europe/Oslo",
		Week: map[string][]string{"mon": {"08:00-16:00"}, "sat": {"22:00-06:00"}}}
	plain, err := calendar.New(def)
	if err != nil {
		t.Fatal(err)
	}
	def.Extra = map[string][]string{"4000-06-14": {"08:00-09:00"}, "1401-03-01": {}}
	own, err := calendar.New(def)
	if err != nil {
		t.Fatal(err)
	}
	year := func(n int) (a, b int64) {
		return time.Date(n, 1, 1, 0, 0, 0, 0, time.UTC).Unix(), time.Date(n+1, 1, 1, 0, 0, 0, 0, time.UTC).Unix()
	}
	for n, more := range map[int]int64{4000: 3600, 3600: 0, 4400: 0, 5001: 0, 1401: 0, 1001: 0, 601: 0, 9998: 0, 1: 0} {
		a, b := year(n)
		if got, want := own.Span(a, b), plain.Span(a, b)+more; got != want {
			t.Errorf("the year %d covers %d s, want %d", n, got, want)
		}
		if ws := plain.Windows(a+40*86400, b, 1); len(ws) != 1 || ws[0].Open < a {
			t.Errorf("the year %d: %v", n, ws)
		}
	}
	from := time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC).Unix()
	due, err := plain.Due(from, 5_000_000*3600)
	if err != nil || plain.Span(from, due) != 5_000_000*3600 || plain.Span(from, due-1) != 5_000_000*3600-1 {
		t.Errorf("millennia: %s, %v", time.Unix(due, 0).UTC(), err)
	}
}

func lineage(t *testing.T, editions ...calendar.Edition) *calendar.Lineage {
	t.Helper()
	l, err := calendar.NewLineage(1, "desk", editions)
	if err != nil {
		t.Fatal(err)
	}
	return l
}

func TestANewVersionCountsFromItsDateOn(t *testing.T) {
	unix := func(s string) int64 {
		at, err := time.Parse(time.RFC3339, s)
		if err != nil {
			t.Fatal(err)
		}
		return at.Unix()
	}
	early := calendar.Edition{Definition: calendar.Definition{Zone: "Europe/Oslo",
		Week: map[string][]string{"mon": {"08:00-16:00"}, "tue": {"22:00-06:00"}, "wed": {"08:00-16:00"}}}}
	late := calendar.Edition{From: "2026-11-25", Known: unix("2026-11-23T12:00:00Z"),
		Definition: calendar.Definition{Zone: "Asia/Kolkata",
			Week: map[string][]string{"wed": {"10:00-12:00"}, "thu": {"10:00-12:00"}}}}
	l := lineage(t, early, late)
	before, after := l.At(late.Known-1), l.At(late.Known)
	// Until its date, and for the tail of the night before it, nothing changes.
	a, b := unix("2026-11-01T00:00:00Z"), unix("2026-11-25T04:30:00Z")
	if before.Span(a, b) != after.Span(a, b) {
		t.Error("the new version counts backwards")
	}
	// Wednesday: the tail of Tuesday's night 00:00-06:00 in Oslo, then 10:00-12:00 in Kolkata, half an hour of it
	// inside that.
	if got := after.Span(unix("2026-11-24T23:00:00Z"), unix("2026-11-25T23:00:00Z")); got != (7*60+30)*60 {
		t.Errorf("the first date of the new version covers %d s", got)
	}
	due, err := after.DueBusinessDays(unix("2026-11-23T09:00:00Z"), 3)
	if err != nil || due != unix("2026-11-26T06:30:00Z") { // Monday, then Tuesday, Wednesday, Thursday
		t.Errorf("3bd across versions: %s, %v", time.Unix(due, 0).UTC(), err)
	}
	for _, x := range []struct {
		from, say string
	}{{"2026-11-23", "has already begun"}, {"2026-11-22", "has already begun"}, {"2026-13-01", "not a date"}} {
		bad := late
		bad.From = x.from
		if _, err := calendar.NewLineage(1, "desk", []calendar.Edition{early, bad}); err == nil ||
			!strings.Contains(err.Error(), x.say) {
			t.Errorf("from %s: %v", x.from, err)
		}
	}
	if _, err := calendar.NewLineage(1, "desk", []calendar.Edition{early, late, late}); err == nil ||
		!strings.Contains(err.Error(), "is not after") {
		t.Errorf("twice the same date: %v", err)
	}
}
