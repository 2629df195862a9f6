package reckon

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/deadline"
)

// parseDeadlines reads the question about a case's deadlines: calendars, terms,
// history, as_of.
func (b *Batch) parseDeadlines(o Object) (*Deadlines, error) {
	if err := o.only("", "id", "op", "calendars", "terms", "on_change", "while_ours", "history", "as_of",
		"quiet", "ladder"); err != nil {
		return nil, err
	}
	q := &Deadlines{Terms: &deadline.Terms{}}
	var err error
	if q.Terms.OnChange, err = change(o); err != nil {
		return nil, err
	}
	q.Terms.OurOnChange = q.Terms.OnChange
	if q.Terms.RunWhileOurs, err = whileOurs(o); err != nil {
		return nil, err
	}
	calendars, err := b.calendarsOf(o)
	if err != nil {
		return nil, err
	}
	if err := q.parseTerms(o, calendars); err != nil {
		return nil, err
	}
	if err := q.parseQuiet(o, calendars); err != nil {
		return nil, err
	}
	if err := q.parseLadder(o); err != nil {
		return nil, err
	}
	if q.AsOf, err = o.instant("", "as_of"); err != nil {
		return nil, err
	}
	list, err := get[[]json.RawMessage](o, "", "history")
	if err != nil {
		return nil, err
	}
	for i, raw := range list {
		where := fmt.Sprintf("history[%d]: ", i)
		e, err := parseEvent(where, raw)
		if err == nil {
			err = q.withinLadder(where, e)
		}
		if err != nil {
			return nil, err
		}
		if i > 0 && e.At < q.History[i-1].At {
			return nil, fmt.Errorf("%sit happened at %s, before the event listed ahead of it; list the history in order of time",
				where, Text(e.At))
		}
		if e.Kind == deadline.Filed {
			e.Terms = q.Terms
		}
		q.dated = q.dated || e.Item != nil
		q.History = append(q.History, e)
	}
	return q, nil
}

// ParseDeadlinesFile reads a question about a case's deadlines that is a file of its own.
func ParseDeadlinesFile(file []byte) (*Deadlines, error) {
	o, err := parseObject(file)
	if err != nil {
		return nil, err
	}
	return new(Batch).parseDeadlines(o)
}

func word(o Object, where, key string, known ...string) (string, error) {
	s, err := get[string](o, where, key)
	if err != nil || s == "" && !o.has(key) || slices.Contains(known, s) {
		return s, err
	}
	return "", fmt.Errorf("%s%s: %.40q is not known; use %s", where, key, s, strings.Join(known, ", "))
}

func change(o Object) (deadline.Change, error) {
	s, err := word(o, "", "on_change", "restart", "keep", "restart-if-raised")
	return deadline.Change(s), err
}

func whileOurs(o Object) (bool, error) {
	s, err := word(o, "", "while_ours", "pause", "run")
	return s == "run", err
}

func (b *Batch) calendarsOf(o Object) (map[string]*calendar.Calendar, error) {
	raw, err := get[map[string]json.RawMessage](o, "", "calendars")
	if err != nil {
		return nil, err
	}
	calendars := map[string]*calendar.Calendar{}
	for name, def := range raw {
		if calendars[name], err = b.compile(fmt.Sprintf("calendars.%.40s", name), def); err != nil {
			return nil, err
		}
	}
	return calendars, nil
}

func (q *Deadlines) parseTerms(o Object, calendars map[string]*calendar.Calendar) error {
	terms, err := get[[]json.RawMessage](o, "", "terms")
	if err != nil {
		return err
	}
	for i, raw := range terms {
		where := fmt.Sprintf("terms[%d]: ", i)
		if err := q.parseTerm(where, raw, calendars); err != nil {
			return err
		}
	}
	return nil
}

func (q *Deadlines) parseTerm(where string, raw json.RawMessage, calendars map[string]*calendar.Calendar) error {
	t, err := parseObject(raw)
	if err != nil {
		return fmt.Errorf("%s%w", where, err)
	}
	if err := t.only(where, "deadline", "level", "severity", "target", "calendar"); err != nil {
		return err
	}
	name, err := get[string](t, where, "deadline")
	if err != nil {
		return err
	}
	kind, err := deadline.ParseKind(name)
	if err != nil {
		return fmt.Errorf("%s%w", where, err)
	}
	key, other := "level", "severity"
	if kind.Ours() {
		key, other = other, key
	}
	if t.has(other) {
		return fmt.Errorf("%s%s goes by %s, not by %s", where, kind, key, other)
	}
	rank, err := t.rank(where, key)
	if err != nil {
		return err
	}
	text, err := get[string](t, where, "target")
	if err != nil {
		return err
	}
	target, err := calendar.ParseTarget(text)
	if err != nil {
		return fmt.Errorf("%s%w", where, err)
	}
	cname, err := get[string](t, where, "calendar")
	if err != nil {
		return err
	}
	c := calendars[cname]
	if c == nil && !(target.None && !t.has("calendar")) {
		return fmt.Errorf("%scalendar: there is none called %.40q", where, cname)
	}
	if w := target.Warning(c); w != "" {
		q.Warnings = append(q.Warnings, where+w)
	}
	if err := q.Terms.Add(kind, rank, deadline.Term{Target: target, Calendar: calendar.Fixed(c)}); err != nil {
		return fmt.Errorf("%s%w", where, err)
	}
	return nil
}

// rank reads a severity, 1 to 4, or a level, from 1.
func (o Object) rank(where, key string) (int, error) {
	if !o.has(key) {
		return 0, fmt.Errorf("%s%s is missing", where, key)
	}
	n, err := get[int](o, where, key)
	if err != nil {
		return 0, err
	}
	if n < 1 || key == "severity" && n > 4 {
		return 0, fmt.Errorf("%s%s: %d is out of range; severity is 1 to 4, level from 1", where, key, n)
	}
	return n, nil
}
