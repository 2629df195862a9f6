// Package agenda makes the events of a calendar from what a desk has dated: deadlines, dated items, ends of parking,
// shifts of the rota, and what becomes of contracts. Each event has an identifier that stays the same however its time
// moves, and a sequence number that never falls, so that calendar programs follow it.
package agenda

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/dated"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/words"
)

// Kind is what an event is about.
type Kind string

// The kinds besides those of dated items, which are their own.
const (
	Deadline Kind = "deadline"
	Parked   Kind = "parked"
	Shift    Kind = "shift"
	Ends     Kind = "contract-ends"
	Notice   Kind = "contract-notice"
)

// Event is one line of a calendar.
type Event struct {
	// UID names it for good. Sequence does not fall.
	UID      string
	Sequence int64
	Kind     Kind
	// Start and End are its instants; of an AllDay one its date, at midnight UTC, End being the day after.
	Start, End time.Time
	AllDay     bool
	Title      string
	Details    []string // a line each
	Where      string
	// Case is its case's number, and Item the name of its dated item; 0 and empty for none.
	Case     int64
	Item     string
	Vendor   string // by name
	Severity int
	Standing deadline.Standing
	Owed     deadline.Side
	// Cancelled says that it will not happen, Done that it has happened.
	Cancelled, Done bool
	// Alarm is how long before Start somebody is to be reminded; 0 for never.
	Alarm time.Duration
	// Changed is when it changed last.
	Changed time.Time
}

// Due is the instant at which it is due: its end, for the others than shifts.
func (e Event) Due() time.Time {
	if e.Kind == Shift || e.AllDay {
		return e.Start
	}
	return e.End
}

// Case is what events say of their case.
type Case struct {
	ID, Number int64
	Title      string
	Vendor     string
	Severity   int
	Changed    time.Time
}

// epoch is from when sequence numbers count seconds: they fit 31 bits until 2088.
var epoch = time.Date(2020, 1, 1, 0, 0, 0, 0, time.UTC)

// sequence grows with each change of a case.
func (c Case) sequence() int64 { return max(0, int64(c.Changed.Sub(epoch)/time.Second)) }

// lasts is how long an event is that has an end only.
const lasts = 15 * time.Minute

func (c Case) event(part string, kind Kind, what string) Event {
	return Event{UID: fmt.Sprintf("case-%d-%s", c.ID, part), Sequence: c.sequence(), Kind: kind,
		Title: what + " · " + casework.Name(c.Number) + " " + c.Title, Case: c.Number, Vendor: c.Vendor, Severity: c.Severity,
		Details: []string{"Vendor: " + c.Vendor, fmt.Sprintf("Severity: %d %s", c.Severity,
			words.Severities.Of(fmt.Sprint(c.Severity)))}, Changed: c.Changed}
}

// Clock is a live deadline whose due is known.
type Clock struct {
	Kind     deadline.Kind
	Opened   int // as the case's clocks were opened, from 0
	Due      time.Time
	SoonFrom time.Time // zero where that is not known
	Counting bool
}

// OfClock is the event of a deadline at an instant.
func OfClock(c Case, k Clock, now time.Time) Event {
	e := c.event(fmt.Sprintf("clock-%d", k.Opened), Deadline, words.Deadlines.Of(k.Kind.String())+" due")
	e.Start, e.End, e.Owed = k.Due.Add(-lasts), k.Due, k.Kind.Owed()
	e.Details = append(e.Details, "Owed by: "+words.Sides.Of(string(e.Owed)))
	switch {
	case now.After(k.Due):
		e.Standing = deadline.Late
	case !k.SoonFrom.IsZero() && !now.Before(k.SoonFrom):
		e.Standing = deadline.DueSoon
	default:
		e.Standing = deadline.Running
	}
	if !k.SoonFrom.IsZero() && k.SoonFrom.Before(e.Start) {
		e.Alarm = min(e.Start.Sub(k.SoonFrom), 24*time.Hour)
	}
	return e
}

// Item is a dated item, with the first of its chain of moves.
type Item struct {
	dated.Item
	Root                           int // the first of the chain, as the case's items were opened
	Words, Who, Where, Number, For string
	LetsIn                         string
	From                           time.Time // where it has a window
}

// OfItem is the event of a dated item at an instant. One that was dropped, or ended with its case, is cancelled.
func OfItem(c Case, i Item, now time.Time) Event {
	kind := words.Dated.Of(string(i.Kind))
	what := kind + ": " + i.Words
	if i.Kind == dated.Closing {
		what = i.Words
	}
	e := c.event(fmt.Sprintf("item-%d", i.Root), Kind(i.Kind), what)
	e.Item, e.Owed, e.Where = i.Name, i.Owed, i.Where
	e.End = time.Unix(i.Due, 0).UTC()
	if e.Start = i.From; i.From.IsZero() || !i.From.Before(e.End) {
		e.Start = e.End.Add(-lasts)
	}
	e.Standing = i.Standing(now.Unix())
	e.Details = append(e.Details, "Owed by: "+words.Sides.Of(string(i.Owed)))
	for _, x := range [][2]string{{"Who", i.Who}, {"Number", i.Number}, {"Let in by", i.LetsIn}, {"For", i.For}} {
		if x[1] != "" {
			e.Details = append(e.Details, x[0]+": "+x[1])
		}
	}
	switch i.Outcome {
	case deadline.Live:
		e.Alarm = lasts
	case deadline.Met:
		e.Done = true
	default:
		e.Cancelled = true
	}
	return e
}

// OfParking is the event of a parked case that resumes.
func OfParking(c Case, until time.Time) Event {
	e := c.event("parked", Parked, "Parking ends")
	e.Start, e.End, e.Owed, e.Standing = until.Add(-lasts), until, deadline.Ours, deadline.Running
	return e
}

// OfShift is the event of a shift of the rota.
func OfShift(id, version int64, from, until time.Time, person, phone string) Event {
	e := Event{UID: fmt.Sprintf("shift-%d", id), Sequence: version, Kind: Shift, Start: from, End: until,
		Title: "Round the clock: " + person}
	if phone != "" {
		e.Details = []string{"Phone: " + phone}
	}
	return e
}

// Contract is one that ends, or whose notice has to be given, on a date at midnight UTC.
type Contract struct {
	ID, Version    int64
	Number, Vendor string
	Ends, Notice   time.Time // zero for none
}

// OfContract are the events of a contract.
func OfContract(k Contract) (out []Event) {
	for _, x := range []struct {
		kind Kind
		on   time.Time
		what string
	}{{Notice, k.Notice, "Last day to give notice"}, {Ends, k.Ends, "Contract ends"}} {
		if !x.on.IsZero() {
			out = append(out, Event{UID: fmt.Sprintf("%s-%d", x.kind, k.ID), Sequence: k.Version, Kind: x.kind, Start: x.on,
				End: x.on.AddDate(0, 0, 1), AllDay: true, Title: x.what + " · " + k.Number + ", " + k.Vendor, Vendor: k.Vendor,
				Alarm: 24 * time.Hour})
		}
	}
	return out
}

// Sort puts events in order of time, then of title.
func Sort(events []Event) {
	order := make([]*Event, len(events)) // an event is large, and moving it costs more than comparing it
	for i := range events {
		order[i] = &events[i]
	}
	slices.SortStableFunc(order, func(a, b *Event) int {
		return cmp.Or(a.Due().Compare(b.Due()), strings.Compare(a.Title, b.Title), strings.Compare(a.UID, b.UID))
	})
	sorted := make([]Event, len(events))
	for i, e := range order {
		sorted[i] = *e
	}
	copy(events, sorted)
}
