// Package calendar says when a clock counts: a vendor's support hours or our
// own desk's, by rules.md section 1.
//
//	c, err := calendar.New(calendar.Definition{Zone: "Europe/Oslo",
//		Week: map[string][]string{"mon": {"08:00-16:00"}}})
//	due, err := c.Due(start, 4*3600)
//
// Instants are seconds since 1970-01-01T00:00:00Z throughout; durations are real
// elapsed seconds, never wall-clock differences.
package calendar

import (
	"errors"
	"fmt"
	"sync"
	"sync/atomic"
	"time"
)

// ErrNeverOpens is wrapped by Due where no window opens within ten years of
// the start or of the last close counted.
var ErrNeverOpens = errors.New("no window opens within ten years")

// ErrNone is returned for the due instant of a target of none.
var ErrNone = errors.New("no promise is made, so there is nothing due")

// ErrTooFar is returned where an answer would lie outside the years 0 to 9999.
var ErrTooFar = errors.New("the answer lies beyond the year 9999")

const (
	firstNear, lastNear = 1960, 2103 // years kept in a plain array
	minInstant          = -62167219200
	maxInstant          = 253402300799
)

// Calendar answers questions about one coverage calendar. It indexes a year
// when it is first asked about and is safe for concurrent use.
type Calendar struct {
	def  Definition
	plan plan
	loc  *time.Location

	near [lastNear - firstNear + 1]atomic.Pointer[year]
	mu   sync.Mutex
	far  map[int]*year
}

// New compiles a definition. Errors name the key at fault.
func New(def Definition) (*Calendar, error) {
	zone := def.Zone
	if zone == "" {
		zone = "UTC"
	}
	if zone == "Local" {
		return nil, fmt.Errorf("zone: \"Local\" is not a zone of its own; name one like Europe/Oslo")
	}
	loc, err := time.LoadLocation(zone)
	if err != nil {
		return nil, fmt.Errorf("zone: %q is not a known time zone; name one like Europe/Oslo", clip(zone))
	}
	p, err := def.plan()
	if err != nil {
		return nil, err
	}
	return &Calendar{def: def, plan: p, loc: loc, far: map[int]*year{}}, nil
}

// Definition is what the calendar was compiled from.
func (c *Calendar) Definition() Definition { return c.def }

// Location is the calendar's zone.
func (c *Calendar) Location() *time.Location { return c.loc }

// Span is the covered seconds in [a, b), negative when b is before a.
func (c *Calendar) Span(a, b int64) int64 {
	if b < a {
		return -c.Span(b, a)
	}
	if c.def.Always {
		return b - a
	}
	ya, yb := yearOf(a), yearOf(b)
	if ya == yb {
		y := c.year(ya)
		return y.before(b) - y.before(a)
	}
	y := c.year(ya)
	sum := y.total() - y.before(a)
	for n := ya + 1; n < yb; n++ {
		sum += c.year(n).total()
	}
	return sum + c.year(yb).before(b)
}

// Due is the earliest instant t >= start at which the covered time since start
// is d seconds.
func (c *Calendar) Due(start, d int64) (int64, error) {
	if d <= 0 {
		return start, nil
	}
	if d > maxInstant-start {
		return 0, ErrTooFar
	}
	if c.def.Always {
		return start + d, nil
	}
	lastClose := start
	first := yearOf(start)
	n, y := first, c.year(first)
	want := y.before(start) + d // covered seconds of this year at the answer
	for {
		if k := len(y.open); k > 0 && y.close[k-1] > lastClose {
			if n > first && y.firstAfter(lastClose) > tenYears(lastClose) {
				return 0, c.neverOpens(lastClose)
			}
			if y.total() >= want {
				i := y.reach(want)
				return y.close[i] - (y.sum[i+1] - want), nil
			}
			lastClose = y.close[k-1]
		}
		want -= y.total()
		if n++; n > 9999 {
			return 0, ErrTooFar
		}
		if y = c.year(n); y.start > tenYears(lastClose) {
			return 0, c.neverOpens(lastClose)
		}
	}
}

// DueTarget is Due for a target of any form. None is ErrNone.
func (c *Calendar) DueTarget(start int64, t Target) (int64, error) {
	switch {
	case t.None:
		return 0, ErrNone
	case t.Business:
		return c.DueBusinessDays(start, t.Days)
	}
	return c.Due(start, t.Seconds)
}

// Seconds turns a target into covered seconds for a clock that starts at start:
// business days become the covered time until they are due.
func (c *Calendar) Seconds(start int64, t Target) (int64, error) {
	if t.None {
		return 0, ErrNone
	}
	if !t.Business {
		return t.Seconds, nil
	}
	due, err := c.DueBusinessDays(start, t.Days)
	if err != nil {
		return 0, err
	}
	return c.Span(start, due), nil
}

// DueBusinessDays is the last close of the nth covered date after D0, the
// covered date that start falls on or the next one.
func (c *Calendar) DueBusinessDays(start int64, n int) (int64, error) {
	day := c.localDay(start)
	yn := yearOfDay(day)
	y := c.year(yn)
	i := y.dayAt(day)
	if i < len(y.days) && y.days[i].number == day && start >= y.days[i].last {
		i++
	}
	last := start
	for n >= 0 {
		for i >= len(y.days) {
			yn++
			if yn > 9999 {
				return 0, ErrTooFar
			}
			y, i = c.year(yn), 0
			if y.start > tenYears(last)+2*86400 {
				return 0, c.neverOpens(last)
			}
		}
		if y.days[i].first > tenYears(last) {
			return 0, c.neverOpens(last)
		}
		if k := len(y.days) - i; n >= k { // the whole rest of the year is passed over
			last = y.days[len(y.days)-1].last
			n -= k
			i = len(y.days)
			continue
		}
		i += n
		last = y.days[i].last
		n = -1
	}
	if last > maxInstant {
		return 0, ErrTooFar
	}
	return last, nil
}

// Window is one covered stretch, [Open, Close).
type Window struct{ Open, Close int64 }

// Windows lists the covered stretches that meet [a, b), clipped to it, at most
// limit of them; overlapping and touching ones are one.
func (c *Calendar) Windows(a, b int64, limit int) []Window {
	var out []Window
	if b <= a {
		return nil
	}
	if c.def.Always {
		return []Window{{a, b}}
	}
	for n := yearOf(a); n <= yearOf(b); n++ {
		y := c.year(n)
		for i := range y.open {
			w := Window{max(a, y.open[i]), min(b, y.close[i])}
			if w.Open >= w.Close {
				continue
			}
			if k := len(out); k > 0 && out[k-1].Close == w.Open {
				out[k-1].Close = w.Close
				continue
			}
			if len(out) == limit {
				return out
			}
			out = append(out, w)
		}
	}
	return out
}

// Open says whether t is covered, and the next instant at which that changes;
// ok is false where it does not change within ten years.
func (c *Calendar) Open(t int64) (open bool, until int64, ok bool) {
	if c.def.Always {
		return true, 0, false
	}
	ws := c.Windows(t, tenYears(t), 1)
	switch {
	case len(ws) == 0:
		return false, 0, false
	case ws[0].Open == t:
		return true, ws[0].Close, true
	}
	return false, ws[0].Open, true
}

// Transition is one change of clocks in the calendar's zone.
type Transition struct {
	At            int64
	Before, After int // seconds east of UTC
}

// Transitions lists the changes of clocks in (a, b].
func (c *Calendar) Transitions(a, b int64) []Transition {
	var out []Transition
	segs := c.segments(a, b)
	for i := 1; i < len(segs); i++ {
		if segs[i].start > a && segs[i].start <= b {
			out = append(out, Transition{segs[i].start, segs[i-1].offset, segs[i].offset})
		}
	}
	return out
}

func (c *Calendar) neverOpens(since int64) error {
	return fmt.Errorf("%w of %s", ErrNeverOpens, time.Unix(since, 0).UTC().Format(time.RFC3339))
}

func tenYears(t int64) int64 { return time.Unix(t, 0).UTC().AddDate(10, 0, 0).Unix() }

func (c *Calendar) localDay(t int64) int32 {
	return int32(floorDiv(t+int64(c.offset(t)), 86400))
}

func (c *Calendar) offset(t int64) int {
	_, off := time.Unix(t, 0).In(c.loc).Zone()
	return off
}

func (c *Calendar) year(n int) *year {
	if n >= firstNear && n <= lastNear {
		slot := &c.near[n-firstNear]
		if y := slot.Load(); y != nil {
			return y
		}
		y := c.index(n)
		slot.Store(y)
		return y
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	y := c.far[n]
	if y == nil {
		y = c.index(n)
		c.far[n] = y
	}
	return y
}
