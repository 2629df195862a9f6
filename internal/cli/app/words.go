package app

import (
	"fmt"
	"io"
	"os"
	"strconv"
	"strings"
	"time"

	"roundhouse.example/internal/cli/out"
)

// Capital is a text with its first letter large.
func Capital(s string) string { return strings.ToUpper(s[:1]) + s[1:] }

// Most bounds what reckon reads: no calendar and no case needs as much.
const Most = 16 << 20

// ReadBounded reads a file, or with "-" standard input, up to a bound.
func ReadBounded(name string) ([]byte, error) {
	f, err := os.Open(name)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	b, err := io.ReadAll(io.LimitReader(f, Most+1))
	if err == nil && len(b) > Most {
		err = fmt.Errorf("%s is longer than %d MiB", name, Most>>20)
	}
	return b, err
}

// Number is a number of things in words: 1 case, 2 cases.
func Number(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	return fmt.Sprintf("%d %ss", n, what)
}

// when reads an instant: RFC 3339 with its zone, a date and time in a zone, or a length from now such as 90m, 2d or
// 20m ago.
func when(s string, now time.Time, zone *time.Location) (*time.Time, error) {
	for _, layout := range []string{time.RFC3339, "2006-01-02 15:04", "2006-01-02T15:04", time.DateOnly} {
		if t, err := time.ParseInLocation(layout, s, zone); err == nil {
			return &t, nil
		}
	}
	length, past := strings.CutSuffix(s, " ago")
	sign := map[bool]int{false: 1, true: -1}[past]
	if days, ok := strings.CutSuffix(length, "d"); ok {
		if n, err := strconv.Atoi(days); err == nil {
			t := now.In(zone).AddDate(0, 0, sign*n)
			return &t, nil
		}
	}
	if d, err := time.ParseDuration(length); err == nil {
		t := now.Add(time.Duration(sign) * d)
		return &t, nil
	}
	return nil, Usagef("%q is not a time: write 2026-12-01T08:00:00Z, 2026-12-01 08:00 (in %s), a length from now such "+
		"as 90m or 2d, or one before it, such as 20m ago", s, zone)
}

// Deref is what a pointer points to; the zero value where it points to nothing.
func Deref[T any](p *T) T {
	if p == nil {
		var zero T
		return zero
	}
	return *p
}

// Match is the If-Match of a version that was read.
func Match(version int64) *string { return new(fmt.Sprintf(`"v%d"`, version)) }

// Some is a pointer to a value, or nil to the zero value.
func Some[T comparable](v T) *T {
	var zero T
	if v == zero {
		return nil
	}
	return &v
}

// Columns are columns by name alone.
func Columns(names ...string) (cols []out.Column) {
	for _, n := range names {
		cols = append(cols, out.Column{Name: n})
	}
	return cols
}

// Raw is a value as programs read it: instants in RFC 3339 and UTC, words as the API says them.
func Raw[T any](p *T) string {
	if p == nil {
		return ""
	}
	if t, ok := any(*p).(time.Time); ok {
		return t.UTC().Format(time.RFC3339)
	}
	return fmt.Sprint(*p)
}

// Itoa is a number as text.
func Itoa(n int) string { return strconv.Itoa(n) }
