package calendar

import (
	"errors"
	"fmt"
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
			t.Errorf("due(%s, %s) = %s, %v; want %s", x.from, x.target, time.Unix(due, 0).UTC().Format(time.RFC3339), err, x.want)
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

// walker is what a person does by hand: walk minute by minute and ask the wall
// clock of the zone. It shares nothing with the index but the definition.
type walker struct {
	def Definition
	loc *time.Location
}

func (w walker) windowsOf(date time.Time) []string {
	key := date.Format(time.DateOnly)
	if x, ok := w.def.Extra[key]; ok {
		return x
	}
	for _, c := range w.def.Closed {
		if c == key {
			return nil
		}
	}
	if w.def.Always {
		return []string{"00:00-24:00"}
	}
	return w.def.Week[strings.ToLower(date.Weekday().String()[:3])]
}

// instant finds a wall time by trying every minute around it.
func (w walker) instant(date time.Time, minutes int, late bool) int64 {
	wall := date.Add(time.Duration(minutes) * time.Minute).Format("2006-01-02 15:04")
	mid := date.Add(time.Duration(minutes) * time.Minute).Unix()
	var hits []int64
	after := int64(0)
	for t := mid - 15*3600; t <= mid+15*3600; t += 60 {
		got := time.Unix(t, 0).In(w.loc).Format("2006-01-02 15:04")
		if got == wall {
			hits = append(hits, t)
		}
		if after == 0 && got > wall {
			after = t
		}
	}
	switch {
	case len(hits) == 0:
		return after
	case late:
		return hits[len(hits)-1]
	}
	return hits[0]
}

// covered marks the covered minutes of [a, b).
func (w walker) covered(a, b int64) map[int64]bool {
	m := map[int64]bool{}
	first := time.Unix(a, 0).In(w.loc).AddDate(0, 0, -3)
	d := time.Date(first.Year(), first.Month(), first.Day(), 0, 0, 0, 0, time.UTC)
	for ; d.Unix() < b+3*86400; d = d.AddDate(0, 0, 1) {
		for _, s := range w.windowsOf(d) {
			var h1, m1, h2, m2 int
			fmt.Sscanf(s, "%d:%d-%d:%d", &h1, &m1, &h2, &m2)
			o, c := h1*60+m1, h2*60+m2
			if c <= o {
				c += 1440
			}
			open, close := w.instant(d, o, false), w.instant(d, c, true)
			for t := open; t < close; t += 60 {
				if t >= a && t < b {
					m[t] = true
				}
			}
		}
	}
	return m
}

func TestAgainstAMinuteWalk(t *testing.T) {
	zones := map[string]string{ // a stretch of days in which something odd happens there
		"Europe/Oslo": "2026-03-27", "Australia/Lord_Howe": "2026-04-03", "Asia/Kathmandu": "2026-01-01",
		"Pacific/Apia": "2011-12-28", "America/Sao_Paulo": "2018-11-02", "America/St_Johns": "2006-10-27",
		"Pacific/Chatham": "2026-09-25", "Africa/Casablanca": "2026-02-13", "Asia/Kolkata": "2052-12-29", "America/New_York": "2032-10-30",
	}
	r := rand.New(rand.NewPCG(7, 11))
	for zone, day := range zones {
		t.Run(strings.ReplaceAll(zone, "/", "-"), func(t *testing.T) {
			for range 6 {
				d := Definition{Zone: zone, Week: map[string][]string{}}
				for _, wd := range weekdays {
					for range r.IntN(3) {
						o, c := r.IntN(1440), r.IntN(1441)
						d.Week[wd] = append(d.Week[wd], fmt.Sprintf("%02d:%02d-%02d:%02d", o/60, o%60, c/60, c%60))
					}
				}
				base := at(t, day+"T00:00:00Z")
				d.Closed = []string{time.Unix(base, 0).UTC().AddDate(0, 0, r.IntN(6)).Format(time.DateOnly)}
				d.Extra = map[string][]string{time.Unix(base, 0).UTC().AddDate(0, 0, r.IntN(6)).Format(time.DateOnly): {"01:30-03:15"}}
				c := compile(t, d)
				w := walker{d, c.loc}
				a, b := base, base+5*86400
				minutes := w.covered(a, b)
				if got := c.Span(a, b); got != int64(len(minutes))*60 {
					t.Fatalf("%+v\nspan = %d, walked %d", d, got, len(minutes)*60)
				}
				start := a + int64(r.IntN(3*1440))*60
				want := int64(r.IntN(600)+1) * 60
				left := want
				for m := start; m < b; m += 60 {
					if minutes[m] {
						left -= 60
					}
					if left == 0 {
						due, err := c.Due(start, want)
						if err != nil || due != m+60 {
							t.Fatalf("%+v\ndue(%d, %d) = %d, %v; walked %d", d, start, want, due, err, m+60)
						}
						break
					}
				}
			}
		})
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
		if again, err := ParseTarget(tg.String()); err != nil || again.Seconds != tg.Seconds || again.Days != tg.Days || again.None != tg.None {
			t.Errorf("%s came back as %s", s, tg)
		}
	}
	for _, s := range []string{"", "4", "h", "4s", "1m2h", "1h1h", "-4h", "4 h", "1bd2h", "bd", "1000000000000d", "99999999999999999999h", "½h"} {
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
