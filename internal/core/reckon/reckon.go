// Package reckon answers the questions of docs/rules.md, section 7, one JSON object
// at a time: due, span, severity, deadlines. Unknown keys and words are errors.
package reckon

import (
	"bytes"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/escalation"
	"roundhouse.example/internal/core/severity"
)

// Batch answers lines and remembers the calendars that it compiled for the ones
// before. The zero value is ready; it is for one goroutine at a time.
type Batch struct{ calendars map[string]*calendar.Calendar }

// Line answers one line of a batch; ok is false where the answer is an error.
func (b *Batch) Line(line []byte) (answer []byte, ok bool) {
	id := json.RawMessage("null")
	v, err := func() (any, error) {
		o, err := parseObject(line)
		if err != nil {
			return nil, err
		}
		if raw, there := o["id"]; there {
			id = raw
		}
		return b.answer(o, id)
	}()
	if err != nil {
		v, ok = struct {
			ID    json.RawMessage `json:"id"`
			Error string          `json:"error"`
		}{id, err.Error()}, false
	} else {
		ok = true
	}
	var out bytes.Buffer
	enc := json.NewEncoder(&out)
	enc.SetEscapeHTML(false)
	if err := enc.Encode(v); err != nil {
		return []byte(`{"id":null,"error":"the answer cannot be written"}`), false
	}
	return bytes.TrimRight(out.Bytes(), "\n"), ok
}

// TooLong is the answer to a line that is longer than a batch takes.
func TooLong(number, most int) []byte {
	b, _ := json.Marshal(map[string]any{"id": nil,
		"error": fmt.Sprintf("line %d is longer than %d MiB and was skipped", number, most>>20)})
	return b
}

// Object is a JSON object's members as they were written.
type Object map[string]json.RawMessage

func parseObject(b []byte) (Object, error) {
	var o Object
	if err := json.Unmarshal(b, &o); err != nil {
		return nil, fmt.Errorf("not a JSON object: %s", plain(err))
	}
	if o == nil {
		return nil, fmt.Errorf("not a JSON object: null")
	}
	return o, nil
}

func plain(err error) string {
	switch e := err.(type) {
	case *json.SyntaxError:
		return fmt.Sprintf("%s at byte %d", e.Error(), e.Offset)
	case *json.UnmarshalTypeError:
		return fmt.Sprintf("a %s is the wrong kind of value here", e.Value)
	}
	return err.Error()
}

// only refuses members that are not known.
func (o Object) only(where string, known ...string) error {
	var unknown []string
	for k := range o {
		if !slices.Contains(known, k) {
			unknown = append(unknown, k)
		}
	}
	if len(unknown) == 0 {
		return nil
	}
	slices.Sort(unknown)
	return fmt.Errorf("%s%.60q is not a known key here", where, unknown[0])
}

// has says whether a member is there and not null.
func (o Object) has(key string) bool { return o[key] != nil && string(o[key]) != "null" }

func get[T any](o Object, where, key string) (v T, err error) {
	if !o.has(key) {
		return v, nil
	}
	if err := json.Unmarshal(o[key], &v); err != nil {
		return v, fmt.Errorf("%s%s: %s", where, key, plain(err))
	}
	return v, nil
}

func (o Object) instant(where, key string) (int64, error) {
	s, err := get[string](o, where, key)
	if err != nil {
		return 0, err
	}
	if s == "" {
		return 0, fmt.Errorf("%s%s is missing", where, key)
	}
	at, err := Instant(s)
	if err != nil {
		return 0, fmt.Errorf("%s%s: %w", where, key, err)
	}
	return at, nil
}

// Instant reads an RFC 3339 instant, which carries an offset or Z; fractions of
// a second are cut down.
func Instant(s string) (int64, error) {
	var t time.Time
	if err := t.UnmarshalText([]byte(s)); err != nil {
		return 0, fmt.Errorf("%.60q is not a time with its zone, like 2026-01-02T03:04:05Z", s)
	}
	return t.Unix(), nil
}

// Text writes an instant in UTC.
func Text(at int64) string { return time.Unix(at, 0).UTC().Format("2006-01-02T15:04:05Z") }

// answer answers one question; id is given back as it came.
func (b *Batch) answer(o Object, id json.RawMessage) (any, error) {
	op, err := get[string](o, "", "op")
	if err != nil {
		return nil, err
	}
	switch op {
	case "due":
		return b.due(o, id)
	case "span":
		return b.span(o, id)
	case "severity":
		return grade(o, id)
	case "deadlines":
		q, err := b.parseDeadlines(o)
		if err != nil {
			return nil, err
		}
		return q.answer(id)
	case "":
		return nil, fmt.Errorf("op is missing; use due, span, severity or deadlines")
	}
	return nil, fmt.Errorf("op: %.40q is not known; use due, span, severity or deadlines", op)
}

func (b *Batch) compile(where string, raw json.RawMessage) (*calendar.Calendar, error) {
	if raw == nil {
		return nil, fmt.Errorf("%s is missing", where)
	}
	if c := b.calendars[string(raw)]; c != nil {
		return c, nil
	}
	def, err := calendar.ParseJSON(raw)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", where, err)
	}
	c, err := calendar.New(def)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", where, err)
	}
	// A batch asks about few calendars; one that does not is kept from growing.
	if b.calendars == nil || len(b.calendars) == 100 {
		b.calendars = map[string]*calendar.Calendar{}
	}
	b.calendars[string(raw)] = c
	return c, nil
}

// begin is what due and span have in common: a calendar, and where they start.
func (b *Batch) begin(o Object) (*calendar.Calendar, int64, error) {
	c, err := b.compile("calendar", o["calendar"])
	if err != nil {
		return nil, 0, err
	}
	from, err := o.instant("", "from")
	return c, from, err
}

func (b *Batch) due(o Object, id json.RawMessage) (any, error) {
	if err := o.only("", "id", "op", "calendar", "from", "target"); err != nil {
		return nil, err
	}
	c, from, err := b.begin(o)
	if err != nil {
		return nil, err
	}
	text, err := get[string](o, "", "target")
	if err != nil {
		return nil, err
	}
	t, err := calendar.ParseTarget(text)
	if err != nil {
		return nil, err
	}
	at, err := c.DueTarget(from, t)
	if err != nil {
		return nil, err
	}
	return struct {
		ID       json.RawMessage `json:"id"`
		Due      string          `json:"due"`
		Warnings []string        `json:"warnings,omitempty"`
	}{id, Text(at), warnings(t, c)}, nil
}

func warnings(t calendar.Target, c *calendar.Calendar) []string {
	if w := t.Warning(c); w != "" {
		return []string{w}
	}
	return nil
}

func (b *Batch) span(o Object, id json.RawMessage) (any, error) {
	if err := o.only("", "id", "op", "calendar", "from", "to"); err != nil {
		return nil, err
	}
	c, from, err := b.begin(o)
	if err != nil {
		return nil, err
	}
	to, err := o.instant("", "to")
	if err != nil {
		return nil, err
	}
	return struct {
		ID      json.RawMessage `json:"id"`
		Seconds int64           `json:"seconds"`
	}{id, c.Span(from, to)}, nil
}

func grade(o Object, id json.RawMessage) (any, error) {
	if err := o.only("", "id", "op", "facts"); err != nil {
		return nil, err
	}
	if !o.has("facts") {
		return nil, fmt.Errorf("facts is missing")
	}
	facts, err := parseObject(o["facts"])
	if err != nil {
		return nil, fmt.Errorf("facts: %w", err)
	}
	if err := facts.only("facts: ", "environment", "effect", "reach", "workaround", "exposure",
		"needed_within_hours"); err != nil {
		return nil, err
	}
	var f severity.Facts
	for key, to := range map[string]*string{"environment": &f.Environment, "effect": &f.Effect, "reach": &f.Reach,
		"workaround": &f.Workaround} {
		if *to, err = get[string](facts, "facts: ", key); err != nil {
			return nil, err
		}
		if facts.has(key) && *to == "" {
			return nil, fmt.Errorf("facts: %s is empty", key)
		}
	}
	if f.Exposure, err = get[bool](facts, "facts: ", "exposure"); err != nil {
		return nil, err
	}
	if f.NeededWithinHours, err = get[*float64](facts, "facts: ", "needed_within_hours"); err != nil {
		return nil, err
	}
	g, err := severity.Of(f)
	if err != nil {
		return nil, fmt.Errorf("facts: %w", err)
	}
	return struct {
		ID       json.RawMessage `json:"id"`
		Severity severity.Level  `json:"severity"`
		Reasons  []string        `json:"reasons"`
	}{id, g.Level, g.Reasons}, nil
}

// Deadlines is a case's history with the terms it ran under.
type Deadlines struct {
	Terms    *deadline.Terms
	History  []deadline.Event
	AsOf     int64
	Quiet    *Quiet            // nil where none is given
	Ladder   escalation.Ladder // nil where none is given
	Warnings []string
	dated    bool // its history has dated items
}

// Result is what follows from a history.
type Result struct {
	Rows []deadline.Row
	// Dates are nil where the history has no dated items and no quiet limit is given, Advice where no ladder is.
	Dates  *Dates
	Advice *Advice
}

// Result replays the history.
func (q *Deadlines) Result() (r Result, err error) {
	m, items, raised := escalation.Replay(q.History, q.AsOf)
	if err := m.Err(); err != nil {
		return r, err
	}
	r.Rows = m.Rows(q.AsOf)
	if q.Ladder != nil {
		r.Advice = &Advice{}
		if to := raised.Advice(q.Ladder, m, items, q.AsOf); to.Rung > 0 {
			r.Advice.Advice = &to.Rung
		}
	}
	if q.dated || q.Quiet != nil {
		var d Dates
		d, err = q.dates(m, items)
		r.Dates = &d
	}
	return r, err
}

// Row is one clock as it is answered.
type Row struct {
	Deadline       string  `json:"deadline"`
	Level          *int    `json:"level,omitempty"`
	Severity       *int    `json:"severity,omitempty"`
	Started        string  `json:"started"`
	Due            *string `json:"due"`
	Ended          *string `json:"ended"`
	Standing       string  `json:"standing"`
	TargetSeconds  int64   `json:"target_seconds"`
	CountedSeconds int64   `json:"counted_seconds"`
}

// Answer is the answer without an id, for a file of one question.
func (q *Deadlines) Answer() (any, error) { return q.answer(nil) }

func (q *Deadlines) answer(id json.RawMessage) (any, error) {
	result, err := q.Result()
	if err != nil {
		return nil, err
	}
	out := []Row{}
	for _, r := range result.Rows {
		out = append(out, rowOf(r))
	}
	return struct {
		ID        json.RawMessage `json:"id,omitempty"`
		Deadlines []Row           `json:"deadlines"`
		*Dates
		*Advice
		Warnings []string `json:"warnings,omitempty"`
	}{id, out, result.Dates, result.Advice, q.Warnings}, nil
}

func rowOf(r deadline.Row) Row {
	c := r.Clock
	out := Row{Deadline: c.Kind.String(), Started: Text(c.Start), Standing: string(r.Standing), TargetSeconds: c.Seconds,
		CountedSeconds: r.Counted}
	rank := c.Rank
	if c.Kind.Ours() {
		out.Severity = &rank
	} else {
		out.Level = &rank
	}
	if r.DueKnown {
		s := Text(r.Due)
		out.Due = &s
	}
	if c.Outcome != deadline.Live {
		s := Text(c.End)
		out.Ended = &s
	}
	return out
}
