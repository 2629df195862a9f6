package calendar

import (
	"encoding/json"
	"fmt"
	"math"
	"strconv"
	"strings"
)

// MaxSeconds bounds every duration: more covered time than this cannot pass
// before the year 9999, the last one an instant can be written in.
const MaxSeconds = 400_000_000_000

// Target is one promise's length, written as docs/rules.md, section 1 says: covered
// time ("45m", "4h", "2d"), business days ("3bd"), or "none". The zero value is
// a target of no time at all, due at its start.
type Target struct {
	// None is true where no promise is made; then the rest is zero.
	None bool
	// Business is true where Days counts covered dates instead of seconds.
	Business bool
	// Days is the number of business days.
	Days int
	// Seconds is covered time; a day written "1d" is 24 covered hours.
	Seconds int64
	// DayUnit remembers that covered days were written, for the warning that
	// asks whether business days were meant.
	DayUnit bool
}

// ParseTarget reads the grammar [Nd][Nh][Nm], Nbd or none. The error says what
// is wrong with the text.
func ParseTarget(s string) (Target, error) {
	switch {
	case s == "":
		return Target{}, fmt.Errorf("a target is missing: write it like 45m, 4h, 1h30m, 2d, 3bd or none")
	case s == "none":
		return Target{None: true}, nil
	case strings.HasSuffix(s, "bd"):
		n, err := parseCount(s, strings.TrimSuffix(s, "bd"), 1)
		if err != nil {
			return Target{}, err
		}
		if n > 4_000_000 {
			return Target{}, fmt.Errorf("target %s is out of range: no calendar reaches that far", clip(s))
		}
		return Target{Business: true, Days: int(n)}, nil
	}
	var t Target
	rest := s
	for _, u := range [...]struct {
		letter byte
		size   int64
	}{{'d', 86400}, {'h', 3600}, {'m', 60}} {
		i := 0
		for i < len(rest) && rest[i] >= '0' && rest[i] <= '9' {
			i++
		}
		if i == 0 || i == len(rest) || rest[i] != u.letter {
			continue
		}
		n, err := parseCount(s, rest[:i], u.size)
		if err != nil {
			return Target{}, err
		}
		t.Seconds += n * u.size
		t.DayUnit = t.DayUnit || u.letter == 'd'
		rest = rest[i+1:]
	}
	if rest != "" {
		return Target{}, fmt.Errorf("target %q is not understood: write it like 45m, 4h, 1h30m, 2d, 3bd or none", clip(s))
	}
	if t.Seconds > MaxSeconds {
		return Target{}, fmt.Errorf("target %s is out of range: it would end after the year 9999", clip(s))
	}
	return t, nil
}

func parseCount(whole, digits string, size int64) (int64, error) {
	for i := range len(digits) {
		if digits[i] < '0' || digits[i] > '9' {
			return 0, fmt.Errorf("target %q is not understood: write it like 45m, 4h, 1h30m, 2d, 3bd or none", clip(whole))
		}
	}
	if digits == "" {
		return 0, fmt.Errorf("target %q has no number", clip(whole))
	}
	n, err := strconv.ParseInt(digits, 10, 64)
	if err != nil || n > math.MaxInt64/size || n*size > MaxSeconds {
		return 0, fmt.Errorf("target %s is out of range: it would end after the year 9999", clip(whole))
	}
	return n, nil
}

// clip keeps an error readable when the text at fault is huge.
func clip(s string) string {
	if len(s) > 40 {
		return s[:37] + "..."
	}
	return s
}

// String writes the target in the grammar that ParseTarget reads.
func (t Target) String() string {
	switch {
	case t.None:
		return "none"
	case t.Business:
		return strconv.Itoa(t.Days) + "bd"
	}
	d, s := int64(0), t.Seconds
	if t.DayUnit {
		d, s = s/86400, s%86400
	}
	var b strings.Builder
	for _, p := range [...]struct {
		n    int64
		unit byte
	}{{d, 'd'}, {s / 3600, 'h'}, {s % 3600 / 60, 'm'}} {
		if p.n > 0 {
			fmt.Fprintf(&b, "%d%c", p.n, p.unit)
		}
	}
	if b.Len() == 0 {
		return "0m"
	}
	return b.String()
}

// MarshalJSON writes the target as its text.
func (t Target) MarshalJSON() ([]byte, error) { return json.Marshal(t.String()) }

// UnmarshalJSON reads the target from its text.
func (t *Target) UnmarshalJSON(b []byte) error {
	var s string
	if err := json.Unmarshal(b, &s); err != nil {
		return fmt.Errorf("a target is a text like 4h, 3bd or none")
	}
	p, err := ParseTarget(s)
	if err != nil {
		return err
	}
	*t = p
	return nil
}

// Warning asks about a target that is probably not what was meant in this
// calendar; empty when there is nothing to ask.
func (t Target) Warning(c *Calendar) string {
	if t.DayUnit && c != nil && !c.always {
		return fmt.Sprintf("%s counts %d covered hours in a calendar that is not round the clock: did you mean %dbd?", t,
			t.Seconds/3600, max(1, t.Seconds/86400))
	}
	return ""
}
