package calendar

import (
	"errors"
	"math/rand/v2"
	"strings"
	"testing"
	"time"
)

func at(t testing.TB, s string) int64 {
	t.Helper()
	v, err := time.Parse(time.RFC3339, s)
	if err != nil {
		t.Fatal(err)
	}
	return v.Unix()
}

func office(t testing.TB) *Calendar {
	t.Helper()
	w := []string{"08:00-16:00"}
	return compile(t, Definition{Zone: "Europe/Oslo",
		Week:   map[string][]string{"mon": w, "tue": w, "wed": w, "thu": w, "fri": w},
		Closed: []string{"2026-12-25"}, Extra: map[string][]string{"2026-12-24": {"08:00-12:00"}}})
}

func compile(t testing.TB, d Definition) *Calendar {
	t.Helper()
	c, err := New(d)
	if err != nil {
		t.Fatal(err)
	}
	return c
}

func TestWorkedExamples(t *testing.T) {
	c := office(t)
	for _, x := range []struct{ from, target, want string }{
		{"2026-12-23T14:30:00+01:00", "4h", "2026-12-24T09:30:00Z"},
		{"2026-12-23T14:30:00+01:00", "1bd", "2026-12-24T11:00:00Z"},
		{"2026-12-23T16:00:00+01:00", "1bd", "2026-12-28T15:00:00Z"},
		{"2026-12-26T10:00:00+01:00", "0m", "2026-12-26T09:00:00Z"},
		{"2026-12-22T08:00:00+01:00", "8h", "2026-12-22T15:00:00Z"},
		{"2026-12-22T09:00:00+01:00", "0bd", "2026-12-22T15:00:00Z"},
	} {
		tg, err := ParseTarget(x.target)
		if err != nil {
			t.Fatal(err)
		}
		due, err := c.DueTarget(at(t, x.from), tg)
		if err != nil || due != at(t, x.want) {
			t.Errorf("due(%s, %s) = %s, %v; want %s", x.from, x.target, time.Unix(due, 0).UTC().Format(time.RFC3339), err,
				x.want)
		}
	}
	if got := c.Span(at(t, "2026-12-23T14:30:00+01:00"), at(t, "2026-12-28T09:00:00+01:00")); got != 23400 {
		t.Errorf("span = %d, want 23400", got)
	}
	night := compile(t, Definition{Zone: "Europe/Oslo", Week: map[string][]string{"sat": {"22:00-06:00"}}})
	for _, x := range []struct {
		from, to string
		hours    int64
	}{{"2026-03-28T12:00:00Z", "2026-03-29T12:00:00Z", 7}, {"2026-10-24T12:00:00Z", "2026-10-25T12:00:00Z", 9}} {
		if got := night.Span(at(t, x.from), at(t, x.to)); got != x.hours*3600 {
			t.Errorf("night of %s covers %d s, want %d h", x.from, got, x.hours)
		}
	}
}

func TestBusinessDaysInTheTailOfANight(t *testing.T) {
	c := compile(t, Definition{Week: map[string][]string{"fri": {"22:00-06:00"}, "mon": {"08:00-16:00"}}})
	due, err := c.DueBusinessDays(at(t, "2026-11-21T02:00:00Z"), 0) // Saturday, still covered from Friday
	if err != nil || due != at(t, "2026-11-23T16:00:00Z") {
		t.Fatalf("0bd from Saturday 02:00 = %s, %v; want Monday's close", time.Unix(due, 0).UTC(), err)
	}
}

func TestSpanAndDueAgree(t *testing.T) {
	c := office(t)
	r := rand.New(rand.NewPCG(1, 2))
	for range 3000 {
		a := at(t, "2020-01-01T00:00:00Z") + r.Int64N(20*365*86400)
		d := r.Int64N(400 * 3600)
		due, err := c.Due(a, d)
		if err != nil {
			t.Fatal(err)
		}
		if got := c.Span(a, due); got != d {
			t.Fatalf("span(a, due(a, %d)) = %d", d, got)
		}
		if d > 0 && c.Span(a, due-1) != d-1 {
			t.Fatalf("due(%d, %d) = %d is not the earliest", a, d, due)
		}
		b := a + r.Int64N(400*86400)
		m := a + (b-a)/2
		if c.Span(a, b) != c.Span(a, m)+c.Span(m, b) || c.Span(b, a) != -c.Span(a, b) {
			t.Fatal("span does not add up")
		}
	}
}

func TestErrorsSayWhere(t *testing.T) {
	for _, x := range []struct{ json, say string }{
		{`{"zone":"Europe/Atlantis"}`, "Europe/Atlantis"},
		{`{"always":true,"week":{"mon":["08:00-16:00"]}}`, "always"},
		{`{"week":{"mon":["8-16"]}}`, "week.mon[0]"},
		{`{"week":{"mon":["24:00-01:00"]}}`, "week.mon[0]"},
		{`{"week":{"moon":["08:00-16:00"]}}`, "moon"},
		{`{"closed":["2026-02-30"]}`, "closed[0]"},
		{`{"extra":{"2026-13-01":[]}}`, "2026-13-01"},
		{`{"hours":[]}`, "hours"},
	} {
		d, err := ParseJSON([]byte(x.json))
		if err == nil {
			_, err = New(d)
		}
		if err == nil || !strings.Contains(err.Error(), x.say) {
			t.Errorf("%s: %v; want an error with %q", x.json, err, x.say)
		}
	}
	never := compile(t, Definition{Extra: map[string][]string{"2040-01-01": {"08:00-09:00"}}})
	if _, err := never.Due(at(t, "2026-01-01T00:00:00Z"), 60); !errors.Is(err, ErrNeverOpens) {
		t.Errorf("due of a calendar that opens in 14 years: %v", err)
	}
	if due, err := never.Due(at(t, "2031-01-01T00:00:00Z"), 3600); err != nil || due != at(t, "2040-01-01T09:00:00Z") {
		t.Errorf("due of a calendar that opens in 9 years: %d %v", due, err)
	}
	if _, err := never.DueBusinessDays(at(t, "2026-01-01T00:00:00Z"), 1); !errors.Is(err, ErrNeverOpens) {
		t.Errorf("business days of a calendar that opens in 14 years: %v", err)
	}
}

func TestTargets(t *testing.T) {
	for _, s := range []string{"45m", "4h", "1h30m", "2d", "3bd", "none", "90m", "0m", "1d2h3m"} {
		tg, err := ParseTarget(s)
		if err != nil {
			t.Errorf("%s: %v", s, err)
			continue
		}
		if again, err := ParseTarget(tg.String()); err != nil || again.Seconds != tg.Seconds || again.Days != tg.Days ||
			again.None != tg.None {
			t.Errorf("%s came back as %s", s, tg)
		}
	}
	for _, s := range []string{"", "4", "h", "4s", "1m2h", "1h1h", "-4h", "4 h", "1bd2h", "bd", "1000000000000d",
		"99999999999999999999h", "½h"} {
		if tg, err := ParseTarget(s); err == nil {
			t.Errorf("%q was read as %+v", s, tg)
		}
	}
	two, _ := ParseTarget("2d")
	if two.Warning(office(t)) == "" || two.Warning(compile(t, Definition{Always: true})) != "" {
		t.Error("2d warns in office hours, and only there")
	}
}

func FuzzTarget(f *testing.F) {
	f.Add("1h30m")
	f.Fuzz(func(t *testing.T, s string) {
		if tg, err := ParseTarget(s); err == nil && tg.Seconds < 0 {
			t.Fatal(s)
		}
	})
}

func FuzzCalendar(f *testing.F) {
	f.Add(`{"zone":"Europe/Oslo","week":{"mon":["08:00-16:00"]}}`)
	f.Fuzz(func(t *testing.T, s string) {
		d, err := ParseJSON([]byte(s))
		if err != nil {
			return
		}
		c, err := New(d)
		if err != nil {
			return
		}
		if due, err := c.Due(0, 3600); err == nil && c.Span(0, due) != 3600 {
			t.Fatalf("%s: due %d", s, due)
		}
	})
}

func BenchmarkDueEightHours(b *testing.B) {
	c := office(b)
	from := at(b, "2026-12-23T14:30:00Z")
	b.ReportAllocs()
	for b.Loop() {
		if _, err := c.Due(from, 8*3600); err != nil {
			b.Fatal(err)
		}
	}
}

// A date ends with the last of its own windows, wherever that closes; one without windows at 24:00.
func TestEndOf(t *testing.T) {
	t.Parallel()
	mustNew := func(t *testing.T, d Definition) *Calendar {
		c, err := New(d)
		if err != nil {
			t.Fatal(err)
		}
		return c
	}
	office := mustNew(t, Definition{Zone: "Europe/Oslo", Week: map[string][]string{"mon": {"08:00-12:00", "12:30-16:00"},
		"fri": {"20:00-24:00", "08:00-12:00"}, "sat": {"22:00-06:00"}}, Closed: []string{"2026-12-25"}})
	for _, x := range []struct {
		c          *Calendar
		date, want string
	}{
		{office, "2026-11-30", "2026-11-30T15:00:00Z"}, {office, "2026-12-01", "2026-12-01T23:00:00Z"},
		{office, "2026-12-04", "2026-12-04T23:00:00Z"}, {office, "2026-12-05", "2026-12-06T05:00:00Z"},
		{office, "2026-12-06", "2026-12-06T23:00:00Z"}, {office, "2026-12-25", "2026-12-25T23:00:00Z"},
		{office, "2026-10-24", "2026-10-25T05:00:00Z"}, {office, "2026-12-31", "2026-12-31T23:00:00Z"},
		{mustNew(t, Definition{Always: true}), "2026-12-31", "2027-01-01T00:00:00Z"},
		{mustNew(t, Definition{Always: true, Zone: "America/New_York"}), "2026-11-01", "2026-11-02T05:00:00Z"},
	} {
		got, err := x.c.EndOf(x.date)
		if s := time.Unix(got, 0).UTC().Format(time.RFC3339); err != nil || s != x.want {
			t.Errorf("%s ends %s, %v, not %s", x.date, s, err, x.want)
		}
	}
	for _, date := range []string{"", "2026-02-30", "2026-1-1", "tomorrow", "10000-01-01", "0000-01-01"} {
		if at, err := office.EndOf(date); err == nil {
			t.Errorf("%q ends at %d", date, at)
		}
	}
}
