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
	if err := o.only("", "id", "op", "calendars", "terms", "on_change", "while_ours", "history", "as_of"); err != nil {
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
	if err := q.parseTerms(b, o); err != nil {
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
	return "", fmt.Errorf("%s%s: %.40q is not known; it is %s", where, key, s, strings.Join(known, ", "))
}

func change(o Object) (deadline.Change, error) {
	s, err := word(o, "", "on_change", "restart", "keep", "restart-if-raised")
	return deadline.Change(s), err
}

func whileOurs(o Object) (bool, error) {
	s, err := word(o, "", "while_ours", "pause", "run")
	return s == "run", err
}

func (q *Deadlines) parseTerms(b *Batch, o Object) error {
	raw, err := get[map[string]json.RawMessage](o, "", "calendars")
	if err != nil {
		return err
	}
	calendars := map[string]*calendar.Calendar{}
	for name, def := range raw {
		if calendars[name], err = b.compile(fmt.Sprintf("calendars.%.40s", name), def); err != nil {
			return err
		}
	}
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

// members are the keys that each event may have besides at and event.
var members = map[deadline.EventKind][]string{
	deadline.Filed: {"severity", "level"}, deadline.VendorMessage: {"automatic", "offers", "move"},
	deadline.Offered:    {"offers", "of"},
	deadline.OurMessage: {"move"}, deadline.Moved: {"to"}, deadline.Park: {"agreed"}, deadline.Unpark: nil,
	deadline.Severity: {"to"},
	deadline.Level:    {"to"}, deadline.FixAccepted: nil, deadline.FixRejected: nil, deadline.WorkaroundRejected: nil,
	deadline.Resolved: nil,
	deadline.Closed:   nil, deadline.Withdrawn: nil, deadline.Reopened: nil,
}

func parseEvent(where string, raw json.RawMessage) (e deadline.Event, err error) {
	o, err := parseObject(raw)
	if err != nil {
		return e, fmt.Errorf("%s%w", where, err)
	}
	name, err := get[string](o, where, "event")
	if err != nil {
		return e, err
	}
	e.Kind = deadline.EventKind(name)
	keys, ok := members[e.Kind]
	if !ok {
		return e, fmt.Errorf("%sevent: %.40q is not known", where, name)
	}
	if err := o.only(where, append([]string{"at", "event"}, keys...)...); err != nil {
		return e, err
	}
	if e.At, err = o.instant(where, "at"); err != nil {
		return e, err
	}
	return e, fill(&e, where, o)
}

// fill reads what is the event's own.
func fill(e *deadline.Event, where string, o Object) (err error) {
	switch e.Kind {
	case deadline.Filed:
		if e.Severity, err = o.rank(where, "severity"); err != nil {
			return err
		}
		if e.Level = e.Severity; o.has("level") {
			e.Level, err = o.rank(where, "level")
		}
		return err
	case deadline.Severity, deadline.Level:
		if !o.has("to") {
			return fmt.Errorf("%sto is missing", where)
		}
		if e.To, err = get[int](o, where, "to"); err != nil {
			return err
		}
		if e.To < 1 || e.Kind == deadline.Severity && e.To > 4 {
			return fmt.Errorf("%sto: %d is out of range; severity is 1 to 4, level from 1", where, e.To)
		}
		return nil
	case deadline.Moved:
		to, err := word(o, where, "to", "ours", "theirs")
		if err == nil && to == "" {
			err = fmt.Errorf("%sto is missing; it is ours or theirs", where)
		}
		e.Move = deadline.Side(to)
		return err
	case deadline.Park:
		e.Agreed, err = get[bool](o, where, "agreed")
		return err
	case deadline.VendorMessage, deadline.OurMessage, deadline.Offered:
		return fillMessage(e, where, o)
	}
	return nil
}

func fillMessage(e *deadline.Event, where string, o Object) (err error) {
	if e.Automatic, err = get[bool](o, where, "automatic"); err != nil {
		return err
	}
	offers, err := word(o, where, "offers", "workaround", "fix")
	if err != nil {
		return err
	}
	move, err := word(o, where, "move", "ours", "theirs")
	if err != nil {
		return err
	}
	e.Offers, e.Move = deadline.Offer(offers), deadline.Side(move)
	if e.Kind != deadline.Offered {
		return nil
	}
	if offers == "" {
		return fmt.Errorf("%soffers is missing; it is workaround or fix", where)
	}
	e.Of, err = o.instant(where, "of")
	return err
}
