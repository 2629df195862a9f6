package hours_test

import (
	"errors"
	"slices"
	"testing"
	"time"

	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/desktest"
	"roundhouse.example/internal/desk/hours"
	"roundhouse.example/internal/desk/record"
	"roundhouse.example/internal/store/db"
	"roundhouse.example/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

var weekdays = calendar.Definition{Zone: "Europe/Oslo", Week: map[string][]string{"mon": {"08:00-16:00"},
	"tue": {"08:00-16:00"}, "wed": {"08:00-16:00"}, "thu": {"08:00-16:00"}, "fri": {"08:00-16:00"}}}

func invalid(err error, fields ...string) bool { return slices.Equal(desktest.Fields(err), fields) }

// New hours count from the day they are said to, in running clocks too; what is over stays as it was.
func TestNewHours(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	tuva := d.As("Tuva")
	filed := d.Filed("Gates say no")
	deadlines := func() []record.DeadlineView {
		list, err := d.Record.Deadlines(t.Context(), tuva, filed, record.Moment{At: d.Clock.Now()})
		if err != nil {
			t.Fatal(err)
		}
		return list
	}
	running := func() (last record.DeadlineView) {
		for _, x := range deadlines() {
			if x.Standing == deadline.Running && x.Calendar != "round-the-clock" && x.Due > last.Due {
				last = x
			}
		}
		return last
	}
	before := running()
	list, err := d.Hours.Calendars(t.Context(), tuva)
	if err != nil {
		t.Fatal(err)
	}
	i := slices.IndexFunc(list, func(c hours.CalendarView) bool { return c.Name == before.Calendar })
	id := list[i].ID
	// From tomorrow on they are there for an hour a day.
	late := list[i].Versions[0].Definition.V
	late.Always, late.Week = false, map[string][]string{"mon": {"15:00-16:00"}, "tue": {"15:00-16:00"},
		"wed": {"15:00-16:00"}}
	n, err := d.Hours.AddCalendarVersion(t.Context(), tuva, id, "2026-11-24", late)
	if err != nil || n != 1 {
		t.Fatalf("%d cases, %v", n, err)
	}
	c, err := d.Hours.Calendar(t.Context(), tuva, id)
	if err != nil || len(c.Versions) != 2 {
		t.Errorf("%+v %v", c, err)
	}
	if _, err := d.Waking.Due(t.Context()); err != nil {
		t.Fatal(err)
	}
	if after := running(); after.Due <= before.Due {
		t.Errorf("due at %v, before at %v", after.Due, before.Due)
	}
	d.Agrees()
	for from, def := range map[string]calendar.Definition{"2026-11-20": late, "2026-02-30": late,
		"2026-12-01": {Zone: "Europe/Moon", Week: late.Week}} {
		if _, err := d.Hours.AddCalendarVersion(t.Context(), tuva, id, from, def); !invalid(err, "definition") &&
			!invalid(err, "from") {
			t.Errorf("from %s in %s: %v", from, def.Zone, err)
		}
	}
	if _, err := d.Hours.AddCalendarVersion(t.Context(), tuva, 999_999, "", weekdays); !errors.Is(err, db.ErrNotFound) {
		t.Errorf("hours that are not there: %v", err)
	}
}

// A calendar has one name, is whose it is, and stays while anything counts in it.
func TestCalendarsComeAndGo(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	tuva := d.As("Tuva")
	id, err := d.Hours.AddCalendar(t.Context(), tuva, "pier", "", weekdays)
	if err != nil {
		t.Fatal(err)
	}
	own, err := d.Hours.AddCalendar(t.Context(), tuva, "pier", "corvane", weekdays)
	if err != nil || own == id {
		t.Errorf("a vendor's own of the same name: %v", err)
	}
	for name, x := range map[string]struct {
		vendor, field string
		def           calendar.Definition
	}{"pier": {"", "name", weekdays}, "The Pier": {"", "name", weekdays}, "quay": {"moon", "vendor", weekdays},
		"night": {"", "definition",
			calendar.Definition{Zone: "Europe/Oslo", Week: map[string][]string{"mon": {"08:00-26:00"}}}}} {
		if _, err := d.Hours.AddCalendar(t.Context(), tuva, name, x.vendor, x.def); !invalid(err, x.field) {
			t.Errorf("%s: %v", name, err)
		}
	}
	if _, err := d.Hours.AddCalendar(t.Context(), d.As("Ragna"), "mine", "", weekdays); err == nil {
		t.Error("a handler added hours")
	}
	d.Change("corvane", `{"hours": "pier"}`)
	inUse := (*desk.InUse)(nil)
	if err := d.Hours.RemoveCalendar(t.Context(), tuva, own); !errors.As(err, &inUse) {
		t.Errorf("hours that a vendor has: %v", err)
	}
	if err := d.Hours.RemoveCalendar(t.Context(), tuva, id); err != nil {
		t.Errorf("hours of nobody: %v", err)
	}
	if err := d.Hours.RemoveCalendar(t.Context(), tuva, id); !errors.Is(err, db.ErrNotFound) {
		t.Errorf("twice: %v", err)
	}
}

// Our policy changes as a whole, on what somebody has seen, and says all that is wrong at once.
func TestOurPolicy(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	tuva := d.As("Tuva")
	was, version, err := d.Hours.Policy(t.Context(), tuva)
	if err != nil {
		t.Fatal(err)
	}
	err = d.Hours.ChangePolicy(t.Context(), tuva, version, []byte(`{"quiet_1": "none", "quiet_2": "soon", "desk_name": "",
		"calendar": "lunar", "on_change": "never"}`))
	if !invalid(err, "desk_name", "calendar", "on_change", "quiet_1", "quiet_2") {
		t.Errorf("%v", err)
	}
	if err := d.Hours.ChangePolicy(t.Context(), tuva, version, []byte(`{"quiet_1": "90m"}`)); err != nil {
		t.Fatal(err)
	}
	stale := (*desk.Stale)(nil)
	if err := d.Hours.ChangePolicy(t.Context(), tuva, version, []byte(`{"quiet_1": "3h"}`)); !errors.As(err, &stale) {
		t.Errorf("on what is over: %v", err)
	}
	is, next, err := d.Hours.Policy(t.Context(), tuva)
	if err != nil || next != version+1 || is.Quiet1 != "90m" || is.Quiet2 != was.Quiet2 ||
		len(is.Terms) != len(was.Terms) {
		t.Errorf("version %d %+v, %v", next, is, err)
	}
	if err := d.Hours.ChangePolicy(t.Context(), d.As("Ragna"), next, []byte(`{}`)); err == nil {
		t.Error("a handler changed it")
	}
}

// A preview says when a target would fall due, and what is odd about it.
func TestPreview(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	ragna := d.As("Ragna")
	friday := time.Date(2026, 11, 27, 14, 30, 0, 0, time.UTC) // half an hour before they close
	p, err := d.Hours.Preview(t.Context(), ragna, weekdays, "1h", &friday)
	if err != nil || p.Due == nil || p.Due.UTC().Format(time.RFC3339) != "2026-11-30T07:30:00Z" || !p.OpenNow ||
		p.OpenTill == nil || p.OpenTill.UTC().Format(time.RFC3339) != "2026-11-27T15:00:00Z" {
		t.Errorf("%+v %v", p, err)
	}
	if p, err = d.Hours.Preview(t.Context(), ragna, weekdays, "1d", &friday); err != nil || p.Warning == "" {
		t.Errorf("a day in office hours raises no question: %+v %v", p, err)
	}
	if _, err = d.Hours.Preview(t.Context(), ragna, weekdays, "soon", nil); !invalid(err, "target") {
		t.Error(err)
	}
}
