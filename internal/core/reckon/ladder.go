package reckon

import (
	"encoding/json"
	"fmt"

	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/escalation"
)

// parseLadder reads the vendor's ladder, where there is one.
func (q *Deadlines) parseLadder(o Object) error {
	if !o.has("ladder") {
		return nil
	}
	rungs, err := get[[]json.RawMessage](o, "", "ladder")
	if err != nil {
		return err
	}
	q.Ladder = escalation.Ladder{}
	for i, raw := range rungs {
		where := fmt.Sprintf("ladder[%d]: ", i)
		r, err := parseRung(where, raw)
		if err != nil {
			return err
		}
		q.Ladder = append(q.Ladder, r)
	}
	return nil
}

func parseRung(where string, raw json.RawMessage) (r escalation.Rung, err error) {
	o, err := parseObject(raw)
	if err != nil {
		return r, fmt.Errorf("%s%w", where, err)
	}
	if err := o.only(where, "late_by", "fixes_rejected", "reopened", "open_longer", "severity"); err != nil {
		return r, err
	}
	if r.LateBy, err = o.seconds(where, "late_by"); err != nil {
		return r, err
	}
	if r.OpenLonger, err = o.seconds(where, "open_longer"); err != nil {
		return r, err
	}
	for key, into := range map[string]*int{"fixes_rejected": &r.FixesRejected, "reopened": &r.Reopened} {
		if !o.has(key) {
			continue
		}
		if *into, err = get[int](o, where, key); err != nil {
			return r, err
		}
		if *into < 1 {
			return r, fmt.Errorf("%s%s: %d is out of range; it counts from 1", where, key, *into)
		}
	}
	switch {
	case r.OpenLonger != nil:
		r.Severity, err = o.rank(where, "severity")
	case o.has("severity"):
		err = fmt.Errorf("%sseverity is used together with open_longer", where)
	}
	return r, err
}

// seconds reads a length of time without business days; nil where it is left out.
func (o Object) seconds(where, key string) (*int64, error) {
	if !o.has(key) {
		return nil, nil
	}
	text, err := get[string](o, where, key)
	if err != nil {
		return nil, err
	}
	t, err := calendar.ParseTarget(text)
	switch {
	case err != nil:
		return nil, fmt.Errorf("%s%s: %w", where, key, err)
	case t.None:
		return nil, fmt.Errorf("%s%s: leave it out instead of writing none", where, key)
	case t.Business:
		return nil, fmt.Errorf("%s%s: business days are not counted here; give hours or days, a day being 24 hours", where,
			key)
	}
	return &t.Seconds, nil
}

// withinLadder refuses a raised rung that the ladder does not have.
func (q *Deadlines) withinLadder(where string, e deadline.Event) error {
	if q.Ladder != nil && e.Kind == deadline.Raised && e.Item.Rung > len(q.Ladder) {
		return fmt.Errorf("%srung: %d is beyond the ladder, which has %d", where, e.Item.Rung, len(q.Ladder))
	}
	return nil
}

// Advice is the rung to escalate to; null for none. It is there where a ladder is given.
type Advice struct {
	Advice *int `json:"advice"`
}
