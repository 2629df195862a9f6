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

func Span(s int64) string {
	switch {
	case s < 60:
		return fmt.Sprintf("%d s", s)
	case s < 3600:
		return fmt.Sprintf("%d min", s/60)
	case s%3600 < 60:
		return fmt.Sprintf("%d h", s/3600)
	}
	return fmt.Sprintf("%d h %d min", s/3600, s%3600/60)
}

func Capital(s string) string { return strings.ToUpper(s[:1]) + s[1:] }

// most bounds what reckon reads: no calendar and no case needs as much.
const Most = 16 << 20

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

func Number(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	return fmt.Sprintf("%d %ss", n, what)
}

// when reads an instant: RFC 3339 with its zone, a local date and time, or a
// length from now such as 90m or 2d.
func When(s string, now time.Time) (*time.Time, error) {
	if s == "" {
		return nil, nil
	}
	for _, layout := range []string{time.RFC3339, "2006-01-02 15:04", "2006-01-02T15:04", time.DateOnly} {
		if t, err := time.ParseInLocation(layout, s, time.Local); err == nil {
			return &t, nil
		}
	}
	if days, ok := strings.CutSuffix(s, "d"); ok {
		var n int
		if _, err := fmt.Sscanf(days, "%d", &n); err == nil {
			t := now.AddDate(0, 0, n)
			return &t, nil
		}
	}
	if d, err := time.ParseDuration(s); err == nil {
		t := now.Add(d)
		return &t, nil
	}
	return nil, Usagef("%q is not an instant: write 2026-12-01T08:00:00Z, 2026-12-01 08:00 (here), or a length from now such as 90m or 2d", s)
}

func Deref[T any](p *T) T {
	if p == nil {
		var zero T
		return zero
	}
	return *p
}

func Some[T comparable](v T) *T {
	var zero T
	if v == zero {
		return nil
	}
	return &v
}

// named are columns by name alone.
func Columns(names ...string) (cols []out.Column) {
	for _, n := range names {
		cols = append(cols, out.Column{Name: n})
	}
	return cols
}

// raw is a value as programs read it: instants in RFC 3339 and UTC, words as the API says them.
func Raw[T any](p *T) string {
	if p == nil {
		return ""
	}
	if t, ok := any(*p).(time.Time); ok {
		return t.UTC().Format(time.RFC3339)
	}
	return fmt.Sprint(*p)
}

func Itoa(n int) string { return strconv.Itoa(n) }
