// Package walk answers the questions of a coverage calendar as a person with a
// wall clock would: minute by minute. It is deliberately slow and shares nothing
// with package calendar but the definition; tests hold the one against the other.
package walk

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"roundhouse.example/internal/core/calendar"
)

// Calendar walks one definition. Its zone must have offsets of whole minutes in
// the years walked. Not safe for concurrent use.
type Calendar struct {
	def   calendar.Definition
	loc   *time.Location
	dates map[string][][2]int64 // a date's windows as instants
	days  map[int64]*[1440]bool // covered minutes by UTC day
}

// New takes a definition that calendar.New takes.
func New(def calendar.Definition) (*Calendar, error) {
	zone := def.Zone
	if zone == "" {
		zone = "UTC"
	}
	loc, err := time.LoadLocation(zone)
	return &Calendar{def: def, loc: loc, dates: map[string][][2]int64{}, days: map[int64]*[1440]bool{}}, err
}

func (c *Calendar) texts(date time.Time) []string {
	key := date.Format(time.DateOnly)
	if own, ok := c.def.Extra[key]; ok {
		return own
	}
	if slices.Contains(c.def.Closed, key) {
		return nil
	}
	if c.def.Always {
		return []string{"00:00-24:00"}
	}
	return c.def.Week[strings.ToLower(date.Weekday().String()[:3])]
}

// windows of a local date, given as midnight UTC of the same name.
func (c *Calendar) windows(date time.Time) [][2]int64 {
	key := date.Format(time.DateOnly)
	if ws, ok := c.dates[key]; ok {
		return ws
	}
	ws := [][2]int64{}
	for _, s := range c.texts(date) {
		var h1, m1, h2, m2 int
		fmt.Sscanf(s, "%d:%d-%d:%d", &h1, &m1, &h2, &m2)
		open, close := h1*60+m1, h2*60+m2
		if close <= open {
			close += 1440
		}
		if w := [2]int64{c.instant(date, open, false), c.instant(date, close, true)}; w[0] < w[1] {
			ws = append(ws, w)
		}
	}
	c.dates[key] = ws
	return ws
}

// instant tries every minute around until the zone's wall clock shows the one
// wanted; where it never does, the first minute at which it shows a later one.
func (c *Calendar) instant(date time.Time, minutes int, late bool) int64 {
	want := date.Add(time.Duration(minutes) * time.Minute)
	var hits []int64
	after := int64(0)
	// Zones lie up to 14 hours from UTC, and a date can be skipped.
	for t := want.Unix() - 15*3600; t <= want.Unix()+39*3600; t += 60 {
		now := time.Unix(t, 0).In(c.loc)
		y, m, d := now.Date()
		shown := time.Date(y, m, d, now.Hour(), now.Minute(), 0, 0, time.UTC)
		if shown.Equal(want) {
			hits = append(hits, t)
		}
		if after == 0 && shown.After(want) {
			after = t
		}
		if len(hits) > 0 && t > hits[0]+4*3600 {
			break
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

func (c *Calendar) date(t int64) time.Time {
	y, m, d := time.Unix(t, 0).In(c.loc).Date()
	return time.Date(y, m, d, 0, 0, 0, 0, time.UTC)
}

// Covered says whether the minute that begins at t is covered.
func (c *Calendar) Covered(t int64) bool {
	day := (t - (t%86400+86400)%86400) / 86400
	bits := c.days[day]
	if bits == nil {
		bits = &[1440]bool{}
		for d := c.date(day*86400).AddDate(0, 0, -2); !d.After(c.date(day*86400+86399).AddDate(0, 0, 1)); d = d.AddDate(0, 0,
			1) {
			for _, w := range c.windows(d) {
				for m := max(w[0], day*86400); m < min(w[1], day*86400+86400); m += 60 {
					bits[(m-day*86400)/60] = true
				}
			}
		}
		c.days[day] = bits
	}
	return bits[(t-day*86400)/60]
}

// Span is the covered seconds in [a, b), both on whole minutes, a first.
func (c *Calendar) Span(a, b int64) (sum int64) {
	for t := a; t < b; t += 60 {
		if c.Covered(t) {
			sum += 60
		}
	}
	return sum
}

// Due walks on from start until a number of seconds is covered.
func (c *Calendar) Due(start, seconds int64) int64 {
	t := start
	for left := seconds; left > 0; t += 60 {
		if c.Covered(t) {
			left -= 60
		}
	}
	return t
}

// DueBusinessDays walks over dates: the last close of the nth covered one after
// the first that start can still be served on.
func (c *Calendar) DueBusinessDays(start int64, n int) int64 {
	d := c.date(start)
	if last, ok := c.lastClose(d); ok && start >= last {
		d = d.AddDate(0, 0, 1)
	}
	for {
		last, ok := c.lastClose(d)
		if ok {
			if n == 0 {
				return last
			}
			n--
		}
		d = d.AddDate(0, 0, 1)
	}
}

func (c *Calendar) lastClose(date time.Time) (last int64, ok bool) {
	for _, w := range c.windows(date) {
		if !ok || w[1] > last {
			last, ok = w[1], true
		}
	}
	return last, ok
}
