package agenda_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"roundhouse.example/internal/core/agenda"
	"roundhouse.example/internal/core/dated"
	"roundhouse.example/internal/core/deadline"
)

var (
	noon = time.Date(2026, 11, 30, 12, 0, 0, 0, time.UTC)
	gate = agenda.Case{ID: 7, Number: 1042, Title: "Gates say no", Vendor: "Corvane Cloud", Severity: 2, Changed: noon}
)

func item(kind deadline.ItemKind, due time.Time, outcome deadline.Outcome) agenda.Item {
	return agenda.Item{Root: 3, Words: "A patch", Item: dated.Item{Name: "4", Kind: kind, Owed: deadline.Theirs,
		Set: noon.Add(-time.Hour).Unix(), Due: due.Unix(), End: due.Unix(), Outcome: outcome}}
}

// What is due lies before its due; a window is the event; what came of it is said.
func TestItems(t *testing.T) {
	t.Parallel()
	due := noon.Add(2 * time.Hour)
	for _, x := range []struct {
		what string
		item agenda.Item
		want string
	}{
		{"a promise", item(dated.Promise, due, deadline.Live), "13:45-14:00 running alarm 15m0s"},
		{"late", item(dated.Promise, noon.Add(-time.Second), deadline.Live), "11:44-11:59 late alarm 15m0s"},
		{"a visit has its window", func() agenda.Item {
			i := item(dated.Visit, due, deadline.Live)
			i.From = noon
			return i
		}(), "12:00-14:00 running alarm 15m0s"},
		{"a window that is none", func() agenda.Item {
			i := item(dated.Visit, due, deadline.Live)
			i.From = due
			return i
		}(), "13:45-14:00 running alarm 15m0s"},
		{"kept", item(dated.Promise, due, deadline.Met), "13:45-14:00 met done"},
		{"dropped", item(dated.Promise, due, deadline.Void), "13:45-14:00 void cancelled"},
		{"dropped late", item(dated.Promise, due, deadline.Missed), "13:45-14:00 missed cancelled"},
	} {
		e := agenda.OfItem(gate, x.item, noon)
		got := e.Start.Format("15:04") + "-" + e.End.Format("15:04") + " " + string(e.Standing)
		if e.Alarm > 0 {
			got += " alarm " + e.Alarm.String()
		}
		if e.Done {
			got += " done"
		}
		if e.Cancelled {
			got += " cancelled"
		}
		if got != x.want {
			t.Errorf("%s: %s, want %s", x.what, got, x.want)
		}
		if e.UID != "case-7-item-3" || e.Item != "4" || !strings.HasSuffix(e.Title, " · C-1042 Gates say no") {
			t.Errorf("%s: %s %s %q", x.what, e.UID, e.Item, e.Title)
		}
	}
}

// An event that moves is the same one with a higher sequence.
func TestIdentityAndSequence(t *testing.T) {
	t.Parallel()
	before := agenda.OfItem(gate, item(dated.Callback, noon, deadline.Live), noon)
	later := gate
	later.Changed = noon.Add(time.Second)
	moved := item(dated.Callback, noon.Add(time.Hour), deadline.Live)
	moved.Name = "4"
	after := agenda.OfItem(later, moved, noon)
	if before.UID != after.UID || after.Sequence <= before.Sequence || before.Sequence < 1 || after.Sequence >= 1<<31 {
		t.Errorf("%s %d, then %s %d", before.UID, before.Sequence, after.UID, after.Sequence)
	}
	far := gate
	far.Changed = time.Date(2080, 1, 1, 0, 0, 0, 0, time.UTC)
	if e := agenda.OfParking(far, noon); e.Sequence >= 1<<31 {
		t.Errorf("in 2080 the sequence is %d", e.Sequence)
	}
	seen := map[string]bool{}
	for _, e := range []agenda.Event{before, agenda.OfParking(gate, noon),
		agenda.OfClock(gate, agenda.Clock{Opened: 3, Due: noon}, noon),
		agenda.OfShift(3, 1, noon, noon.Add(time.Hour), "Ragna Lie", "+44 1632 960 001")} {
		if seen[e.UID] {
			t.Errorf("%s names two events", e.UID)
		}
		seen[e.UID] = true
	}
}

func TestClocksAndContracts(t *testing.T) {
	t.Parallel()
	for _, x := range []struct {
		soon time.Duration // before the due
		now  time.Time
		want string
	}{
		{2 * time.Hour, noon.Add(-3 * time.Hour), "running 1h45m0s"},
		{2 * time.Hour, noon.Add(-2 * time.Hour), "due-soon 1h45m0s"},
		{2 * time.Hour, noon, "due-soon 1h45m0s"},
		{2 * time.Hour, noon.Add(time.Second), "late 1h45m0s"},
		{100 * time.Hour, noon.Add(-time.Hour), "due-soon 24h0m0s"},
		{time.Minute, noon.Add(-time.Hour), "running 0s"},
	} {
		e := agenda.OfClock(gate, agenda.Clock{Kind: deadline.Update, Due: noon, SoonFrom: noon.Add(-x.soon)}, x.now)
		if got := fmt.Sprint(e.Standing, " ", e.Alarm); got != x.want || !e.Due().Equal(noon) || e.Owed != deadline.Theirs {
			t.Errorf("soon %s before, at %s: %s, want %s", x.soon, x.now, got, x.want)
		}
	}
	day := time.Date(2026, 12, 31, 0, 0, 0, 0, time.UTC)
	list := agenda.OfContract(agenda.Contract{ID: 5, Number: "CC-1", Vendor: "Corvane Cloud", Ends: day,
		Notice: day.AddDate(0, -1, 0)})
	if len(list) != 2 || list[0].Kind != agenda.Notice || !list[0].AllDay || !list[1].End.Equal(day.AddDate(0, 0, 1)) {
		t.Errorf("a contract: %+v", list)
	}
	if e := agenda.OfParking(gate, noon); !e.Due().Equal(noon) {
		t.Errorf("a case that is parked until %s resumes at %s", noon, e.Due())
	}
	events := append(list, agenda.OfParking(gate, noon))
	agenda.Sort(events)
	if events[0].Kind != agenda.Parked || !slices.IsSortedFunc(events, func(a, b agenda.Event) int {
		return a.Due().Compare(b.Due())
	}) {
		t.Errorf("in order: %+v", events)
	}
}
