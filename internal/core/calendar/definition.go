package calendar

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"sort"
	"strings"
	"time"

	"github.com/goccy/go-yaml"
)

// Definition is a coverage calendar as people write it; docs/rules.md, section 1.
// Always means round the clock, and then Week, Closed and Extra stay empty.
type Definition struct {
	Name   string              `json:"name,omitempty" yaml:"name,omitempty"`
	Zone   string              `json:"zone,omitempty" yaml:"zone,omitempty"`
	Always bool                `json:"always,omitempty" yaml:"always,omitempty"`
	Week   map[string][]string `json:"week,omitempty" yaml:"week,omitempty"`
	Closed []string            `json:"closed,omitempty" yaml:"closed,omitempty"`
	Extra  map[string][]string `json:"extra,omitempty" yaml:"extra,omitempty"`
}

// ParseJSON reads a definition from JSON, strictly: an unknown key is an error.
func ParseJSON(b []byte) (Definition, error) {
	var d Definition
	// The library takes keys in any case; here "Zone" is as unknown as "zoom".
	var keys map[string]json.RawMessage
	if err := json.Unmarshal(b, &keys); err != nil {
		return d, fmt.Errorf("a calendar is an object with zone, week, closed, extra, or always: %s",
			strings.TrimPrefix(err.Error(), "json: "))
	}
	for _, k := range slices.Sorted(maps.Keys(keys)) {
		switch k {
		case "name", "zone", "always", "week", "closed", "extra":
		default:
			return d, fmt.Errorf("%.60q is not a key of a calendar; use name, zone, always, week, closed, extra", k)
		}
	}
	if err := json.Unmarshal(b, &d); err != nil {
		var wrong *json.UnmarshalTypeError
		if errors.As(err, &wrong) {
			return d, fmt.Errorf("%s: a %s is the wrong kind of value here", wrong.Field, wrong.Value)
		}
		return d, err
	}
	return d, nil
}

// ParseYAML reads a definition from YAML, strictly; errors name line and column.
func ParseYAML(b []byte) (Definition, error) {
	var d Definition
	if len(b) > 1<<20 {
		return d, fmt.Errorf("calendar: %d bytes are more than a calendar can need (1 MiB)", len(b))
	}
	if err := yaml.NewDecoder(bytes.NewReader(b), yaml.Strict(), yaml.DisallowUnknownField()).Decode(&d); err != nil {
		return d, fmt.Errorf("calendar: %s", strings.TrimSpace(yaml.FormatError(err, false, false)))
	}
	return d, nil
}

var weekdays = [...]string{"sun", "mon", "tue", "wed", "thu", "fri", "sat"}

// window is wall time of one date: open and close in seconds after its
// midnight; close may pass 86,400.
type window struct{ open, close int32 }

type plan struct {
	week  [7][]window
	other map[int32][]window // by day number; a closed date has no windows
	years map[int]bool       // those that such a date lies in, or within three days of
}

func (p *plan) setOther(day int32, ws []window) {
	p.other[day] = ws
	p.years[yearOfDay(day-3)], p.years[yearOfDay(day+3)] = true, true
}

func (d Definition) plan() (plan, error) {
	p := plan{other: map[int32][]window{}, years: map[int]bool{}}
	if d.Always {
		if len(d.Week) > 0 || len(d.Closed) > 0 || len(d.Extra) > 0 {
			return p, fmt.Errorf("always: a calendar that is round the clock has no week, closed or extra")
		}
		for i := range p.week {
			p.week[i] = []window{{0, 86400}}
		}
		return p, nil
	}
	for _, name := range sorted(d.Week) {
		day := -1
		for i, w := range weekdays {
			if w == name {
				day = i
			}
		}
		if day < 0 {
			return p, fmt.Errorf("week: %q is not a weekday; use mon, tue, wed, thu, fri, sat, sun", clip(name))
		}
		ws, err := parseWindows("week."+name, d.Week[name])
		if err != nil {
			return p, err
		}
		p.week[day] = ws
	}
	for i, s := range d.Closed {
		n, err := parseDate(fmt.Sprintf("closed[%d]", i), s)
		if err != nil {
			return p, err
		}
		p.setOther(n, nil)
	}
	for _, s := range sorted(d.Extra) {
		n, err := parseDate("extra", s)
		if err != nil {
			return p, err
		}
		ws, err := parseWindows("extra."+s, d.Extra[s])
		if err != nil {
			return p, err
		}
		p.setOther(n, ws)
	}
	return p, nil
}

func sorted(m map[string][]string) []string {
	keys := make([]string, 0, len(m))
	for k := range m {
		keys = append(keys, k)
	}
	sort.Strings(keys)
	return keys
}

func parseWindows(where string, list []string) ([]window, error) {
	var ws []window
	for i, s := range list {
		open, close, ok := strings.Cut(s, "-")
		a, okA := parseClock(open)
		b, okB := parseClock(close)
		if !ok || !okA || !okB || a == 86400 {
			return nil, fmt.Errorf("%s[%d]: window %q is malformed; write it like 08:00-16:00 "+
				"(24:00 can only be an end)", where, i, clip(s))
		}
		if b <= a {
			b += 86400
		}
		ws = append(ws, window{a, b})
	}
	return ws, nil
}

func parseClock(s string) (int32, bool) {
	if len(s) != 5 || s[2] != ':' {
		return 0, false
	}
	for _, i := range [...]int{0, 1, 3, 4} {
		if s[i] < '0' || s[i] > '9' {
			return 0, false
		}
	}
	h, m := int32(s[0]-'0')*10+int32(s[1]-'0'), int32(s[3]-'0')*10+int32(s[4]-'0')
	if m > 59 || h > 24 || h == 24 && m > 0 {
		return 0, false
	}
	return h*3600 + m*60, true
}

func parseDate(where, s string) (int32, error) {
	t, err := time.Parse(time.DateOnly, s)
	if err != nil {
		return 0, fmt.Errorf("%s: %q is not a date that exists; write it like 2026-12-25", where, clip(s))
	}
	return int32(floorDiv(t.Unix(), 86400)), nil
}

func floorDiv(a, b int64) int64 {
	q := a / b
	if a%b < 0 {
		q--
	}
	return q
}
