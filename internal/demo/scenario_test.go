package demo_test

import (
	"net/http/httptest"
	"testing"
	"time"

	inboxdb "roundhouse.example/internal/store/inbox"
	listsdb "roundhouse.example/internal/store/lists"
	peopledb "roundhouse.example/internal/store/people"

	"roundhouse.example/internal/desk/desktest"
	"roundhouse.example/internal/desk/today"

	"roundhouse.example/internal/core/attention"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/demo"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/service"
	"roundhouse.example/internal/standin"
	"roundhouse.example/internal/testdb"
)

func TestMain(m *testing.M) {
	desktest.CheapPasswords()
	testdb.Main(m)
}

type stopped time.Time

func (s stopped) Now() time.Time { return time.Time(s) }

// Even in the night of a holiday at a weekend the demo's pages have something true to show.
func TestTheDemoHasSomethingToShowAtAnyTime(t *testing.T) {
	now := time.Date(2026, 12, 26, 3, 30, 0, 0, time.UTC)
	ctx := t.Context()
	cast, err := standin.New(standin.Options{Haste: 1, Now: stopped(now).Now})
	if err != nil {
		t.Fatal(err)
	}
	vendors := httptest.NewServer(cast.Handler())
	defer vendors.Close()
	d, err := service.Open(ctx, testdb.URL(t), stopped(now))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(d.Store.Close)
	people, err := demo.Play(ctx, d.Store, cast, now, func(v string) (inboxdb.Link, error) {
		raw, err := standin.Description(time.Second, time.Second)
		l := inboxdb.Link{Address: vendors.URL + "/" + v}
		l.Description.V = raw
		return l, err
	})
	if err != nil {
		t.Fatal(err)
	}
	row, err := peopledb.ByEmail(ctx, d.Store.DB, people[0].Email)
	if err != nil {
		t.Fatal(err)
	}
	a := desk.Actor{Person: row}
	today, err := d.Today.Next(ctx, a, today.Filter{Limit: 500})
	if err != nil {
		t.Fatal(err)
	}
	steps, standings := map[attention.Step]int{}, map[deadline.Standing]int{}
	for _, l := range today.Lines {
		steps[l.Step]++
		standings[l.Standing]++
	}
	if len(today.Lines) < 15 || steps[attention.Chase] == 0 || steps[attention.Verify] == 0 ||
		steps[attention.Send] == 0 || standings[deadline.Late] < 2 || standings[deadline.Running] == 0 {
		t.Errorf("Today has %d lines, steps %v, standings %v", len(today.Lines), steps, standings)
	}
	states := map[casework.State]int{}
	all, _, err := d.Today.Cases(ctx, a, listsdb.Filter{Limit: 200, Sort: "newest"})
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range all {
		states[c.State]++
	}
	for _, s := range []casework.State{casework.Draft, casework.Open, casework.FixOffered, casework.Resolved,
		casework.Closed} {
		if states[s] == 0 {
			t.Errorf("no case is %s: %v", s, states)
		}
	}
	if sum, err := d.Record.Check(ctx); err != nil || sum.Cases < 85 || len(sum.Findings) > 0 {
		t.Errorf("check: %+v, %v", sum, err)
	}
}
