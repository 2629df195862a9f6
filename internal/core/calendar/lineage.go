package calendar

import (
	"fmt"
	"time"
)

// Edition is one version of a calendar: a definition, the date from which it
// counts, and the instant since which it is known.
type Edition struct {
	// From is a local date of the definition's zone, 2026-12-25; the first edition's is not read.
	From  string
	Known int64
	Definition
}

// Lineage is a calendar through its versions, by docs/rules.md, section 4: a version
// counts from its date on, never backwards, and never for a clock that had
// ended before it was known.
type Lineage struct {
	// ID and Name are the caller's own.
	ID   int64
	Name string

	known     []int64
	calendars []*Calendar // as known since the instant of the same index, all earlier editions included
}

// Fixed is a calendar of one version.
func Fixed(c *Calendar) *Lineage { return &Lineage{known: []int64{0}, calendars: []*Calendar{c}} }

// NewLineage compiles editions in the order in which they became known. One
// that would count from a date not after those before it, or from one that had
// begun when it became known, is an error.
func NewLineage(id int64, name string, editions []Edition) (*Lineage, error) {
	l := &Lineage{ID: id, Name: name}
	var parts []part
	for i, e := range editions {
		p, err := compilePart(e.Definition)
		if err != nil {
			return nil, err
		}
		if i > 0 {
			if p.from, err = parseDate("from", e.From); err != nil {
				return nil, err
			}
			if before := parts[i-1]; p.from <= before.from {
				return nil, fmt.Errorf("from: %s is not after %s, when the version before it starts", e.From,
					dateOf(before.from))
			}
			if first := p.dayOf(e.Known) + 1; p.from < first {
				return nil, fmt.Errorf("from: %s has already begun; the earliest date for a new version is %s", e.From,
					dateOf(first))
			}
		}
		parts = append(parts, p)
		c := &Calendar{parts: parts[:len(parts):len(parts)], always: true, far: map[int]*year{}}
		for _, p := range parts {
			c.always = c.always && p.def.Always
		}
		l.known, l.calendars = append(l.known, e.Known), append(l.calendars, c)
	}
	if len(parts) == 0 {
		return nil, fmt.Errorf("calendar %s has no version", name)
	}
	return l, nil
}

func dateOf(day int32) string { return time.Unix(int64(day)*86400, 0).UTC().Format(time.DateOnly) }

// At is the calendar with the versions that were known at an instant; before
// the first was, the first.
func (l *Lineage) At(known int64) *Calendar {
	i := len(l.known) - 1
	for i > 0 && l.known[i] > known {
		i--
	}
	return l.calendars[i]
}

// Latest is the calendar with all versions there are.
func (l *Lineage) Latest() *Calendar { return l.calendars[len(l.calendars)-1] }
