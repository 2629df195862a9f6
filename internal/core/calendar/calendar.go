// Package calendar says when a clock counts: a vendor's support hours or our
// own desk's, by docs/rules.md, section 1.
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
	"math"
	"sync"
	"sync/atomic"
	"time"
)

// ErrNeverOpens is wrapped by Due where no window opens within ten years of
// the start or of the last close counted.
var ErrNeverOpens = errors.New("no window opens within ten years")

// ErrNone is returned for the due instant of a target of none.
var ErrNone = errors.New("there is no target, so nothing is due")

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
	parts  []part // by date; nearly always one
	always bool   // round the clock on every date

	near [lastNear - firstNear + 1]atomic.Pointer[year]
	mu   sync.Mutex
	far  map[int]*year
}

// part is one version: what counts on the dates from its first one on.
type part struct {
	from int32 // day number, in its own zone
	def  Definition
	plan plan
	loc  *time.Location
}

// New compiles a definition. Errors name the key at fault.
func New(def Definition) (*Calendar, error) {
	p, err := compilePart(def)
	if err != nil {
		return nil, err
	}
	return &Calendar{parts: []part{p}, always: def.Always, far: map[int]*year{}}, nil
}

func compilePart(def Definition) (part, error) {
	zone := def.Zone
	if zone == "" {
		zone = "UTC"
	}
	if zone == "Local" {
		return part{}, fmt.Errorf("zone: \"Local\" differs from machine to machine; name a zone like Europe/Oslo")
	}
	loc, err := time.LoadLocation(zone)
	if err != nil {
		return part{}, fmt.Errorf("zone: %q is not a known time zone; name one like Europe/Oslo", clip(zone))
	}
	p, err := def.plan()
	return part{from: math.MinInt32, def: def, plan: p, loc: loc}, err
}

// Definition is what the calendar was compiled from, of several versions the last.
func (c *Calendar) Definition() Definition { return c.last().def }

// Location is the calendar's zone, of several versions the last one's.
func (c *Calendar) Location() *time.Location { return c.last().loc }

func (c *Calendar) last() *part { return &c.parts[len(c.parts)-1] }

// partAt is the version whose dates t falls among.
func (c *Calendar) partAt(t int64) *part {
	for i := len(c.parts) - 1; i > 0; i-- {
		if c.parts[i].dayOf(t) >= c.parts[i].from {
			return &c.parts[i]
		}
	}
	return &c.parts[0]
}

// Span is the covered seconds in [a, b), negative when b is before a.
func (c *Calendar) Span(a, b int64) int64 {
	if b < a {
		return -c.Span(b, a)
	}
	if c.always {
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
		if n >= firstNear && n <= lastNear {
			if y := c.near[n-firstNear].Load(); y != nil {
				sum += y.all
				continue
			}
		}
		sum += c.year(n).all
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
	if c.always {
		return start + d, nil
	}
	lastClose := start
	first := yearOf(start)
	n, y := first, c.year(first)
	want := y.before(start) + d // covered seconds of this year at the answer
	for {
		if k := len(y.open); k > 0 && y.close[k-1] > lastClose {
			if n > first && beyond(y.firstAfter(lastClose), lastClose) {
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
		if y = c.year(n); beyond(y.start, lastClose) {
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
	day := c.partAt(start).dayOf(start)
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
			if beyond(y.start-2*86400, last) {
				return 0, c.neverOpens(last)
			}
		}
		if beyond(y.days[i].first, last) {
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

// EndOf is the last close of a date, written 2026-01-31, in the calendar's zone: 24:00 where no window belongs to it.
func (c *Calendar) EndOf(date string) (int64, error) {
	at, err := time.Parse(time.DateOnly, date)
	if err != nil {
		return 0, fmt.Errorf("%.40q is not a date: write it like 2026-01-31", date)
	}
	day := int32(floorDiv(at.Unix(), 86400))
	n := yearOfDay(day)
	if n < 1 || n > 9998 {
		return 0, ErrTooFar
	}
	y := c.year(n)
	if i := y.dayAt(day); i < len(y.days) && y.days[i].number == day {
		return y.days[i].last, nil
	}
	whole, err := New(Definition{Zone: c.Location().String(), Always: true})
	if err != nil {
		return 0, err
	}
	return whole.EndOf(date)
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
	if c.always {
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
	if c.always {
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
	segs := segments(c.Location(), a, b)
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

// beyond says whether t lies more than ten years after since; the exact date is
// only asked for where it matters.
func beyond(t, since int64) bool {
	return t > since+10*365*86400 && t > tenYears(since)
}

// dayOf is the number of the local date that t falls on.
func (p *part) dayOf(t int64) int32 { return int32(floorDiv(t+int64(offset(p.loc, t)), 86400)) }

func offset(loc *time.Location, t int64) int {
	_, off := time.Unix(t, 0).In(loc).Zone()
	return off
}

// A zone's rules beyond its table repeat with the calendar itself, every 400
// years; so years far away are copies of one of these, moved.
const (
	cycle                = 400
	cycleSeconds         = 146097 * 86400
	firstEarly, lastLate = 1400, lastNear + cycle
)

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
	template := n
	switch {
	case n > lastLate:
		template = lastNear + 1 + (n-lastNear-1)%cycle
	case n < firstEarly:
		template = firstEarly + ((n-firstEarly)%cycle+cycle)%cycle
	}
	if template != n && (c.special(n) || c.special(template)) {
		template = n
	}
	c.mu.Lock()
	y := c.far[template]
	if y == nil {
		y = c.index(template)
		c.far[template] = y
	}
	c.mu.Unlock()
	return y.moved((n - template) / cycle)
}

// special says whether a date near the year has windows of its own, or another version.
func (c *Calendar) special(n int) bool {
	first, next := yearStartDay(n)-3, yearStartDay(n+1)+3
	for i := range c.parts {
		p := &c.parts[i]
		if p.from >= first && p.from < next || i > 0 && p.from >= next {
			return true
		}
		if p.plan.years[n] {
			return true
		}
	}
	return false
}
