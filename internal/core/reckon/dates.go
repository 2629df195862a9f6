package reckon

import (
	"fmt"

	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/dated"
	"roundhouse.example/internal/core/deadline"
)

// Quiet is how long a case may go without a word and without a date, by severity from 1, and in whose hours.
type Quiet struct {
	Calendar *calendar.Calendar
	Limits   [5]calendar.Target
}

// parseQuiet reads the quiet limit, where there is one.
func (q *Deadlines) parseQuiet(o Object, calendars map[string]*calendar.Calendar) error {
	if !o.has("quiet") {
		return nil
	}
	raw, err := parseObject(o["quiet"])
	if err != nil {
		return fmt.Errorf("quiet: %w", err)
	}
	if err := raw.only("quiet: ", "calendar", "1", "2", "3", "4"); err != nil {
		return err
	}
	name, err := get[string](raw, "quiet: ", "calendar")
	if err != nil {
		return err
	}
	quiet := &Quiet{Calendar: calendars[name]}
	if quiet.Calendar == nil {
		return fmt.Errorf("quiet: calendar: there is none called %.40q", name)
	}
	for severity := 1; severity <= 4; severity++ {
		key := fmt.Sprint(severity)
		if !raw.has(key) {
			return fmt.Errorf("quiet: %s is missing; it is the limit at severity %s", key, key)
		}
		text, err := get[string](raw, "quiet: ", key)
		if err != nil {
			return err
		}
		t, err := calendar.ParseTarget(text)
		if err != nil {
			return fmt.Errorf("quiet: %s: %w", key, err)
		}
		if t.None {
			return fmt.Errorf("quiet: %s: none is not a limit; give a length of time", key)
		}
		if w := t.Warning(quiet.Calendar); w != "" {
			q.Warnings = append(q.Warnings, "quiet: "+key+": "+w)
		}
		quiet.Limits[severity] = t
	}
	q.Quiet = quiet
	return nil
}

// until is when a case that nothing else dates asks for attention.
func (q *Quiet) until(m *deadline.Machine) (int64, error) {
	if q == nil {
		return 0, nil
	}
	return q.Calendar.DueTarget(m.LastWord(), q.Limits[m.Severity()])
}

// ItemRow is one dated item as it is answered.
type ItemRow struct {
	Item     string  `json:"item"`
	Kind     string  `json:"kind"`
	Owed     string  `json:"owed"`
	Set      string  `json:"set"`
	Due      string  `json:"due"`
	Ended    *string `json:"ended"`
	Standing string  `json:"standing"`
}

// Dates are the dated items of a history, in the order in which they were opened, and when the case asks for attention
// next; null where it does not.
type Dates struct {
	Dated []ItemRow `json:"dated"`
	Next  *string   `json:"next"`
}

func (q *Deadlines) dates(m *deadline.Machine, items *dated.Machine) (out Dates, err error) {
	out.Dated = []ItemRow{}
	for i := range items.Items() {
		x := &items.Items()[i]
		row := ItemRow{Item: x.Name, Kind: string(x.Kind), Owed: string(x.Owed), Set: Text(x.Set), Due: Text(x.Due),
			Standing: string(x.Standing(q.AsOf))}
		if x.Outcome != deadline.Live {
			row.Ended = new(Text(x.End))
		}
		out.Dated = append(out.Dated, row)
	}
	next, err := casework.Next(m, items, q.AsOf, m.ParkedUntil(), func() (int64, error) { return q.Quiet.until(m) })
	if err == nil && next.Next != 0 {
		out.Next = new(Text(next.Next))
	}
	return out, err
}
