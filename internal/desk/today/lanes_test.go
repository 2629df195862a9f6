package today_test

import (
	"errors"
	"slices"
	"testing"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/dated"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/dates"
	"roundhouse.example/internal/desk/desktest"
	"roundhouse.example/internal/desk/today"
	"roundhouse.example/internal/desk/watch"
	"roundhouse.example/internal/store/db"
	listsdb "roundhouse.example/internal/store/lists"
)

// What is due stands in the lane of its vendor, in order of time; the hours in which the vendor is closed are said.
func TestLanes(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	now := d.Clock.Now()
	lanes := func(who string, s today.Span) today.Lanes {
		t.Helper()
		if s.From.IsZero() {
			s.From, s.To = now.AddDate(0, 0, -2), now.AddDate(0, 0, 5)
		}
		l, err := d.Today.Lanes(t.Context(), d.As(who), s)
		if err != nil {
			t.Fatal(err)
		}
		return l
	}
	if l := lanes("Ragna", today.Span{}); len(l.Lanes) != 0 || l.Idle == 0 {
		t.Fatalf("nothing is due: %+v", l)
	}
	id := d.Filed("Gates say no")
	for _, x := range []struct {
		kind deadline.ItemKind
		in   time.Duration
	}{{dated.Promise, 3 * time.Hour}, {dated.CheckIn, 100 * time.Hour}, {dated.CheckIn, 300 * time.Hour}} {
		if _, err := d.Dates.Set(t.Context(), d.As("Ragna"), id,
			dates.Setting{Kind: x.kind, Words: "A patch", Due: dates.Due{At: new(now.Add(x.in))}}); err != nil {
			t.Fatal(err)
		}
	}
	l := lanes("Ragna", today.Span{})
	if len(l.Lanes) != 1 || l.Lanes[0].Key != "corvane" || l.Lanes[0].Marks[0].Title != "Gates say no" {
		t.Fatalf("one vendor has something due: %+v", l.Lanes)
	}
	marks := l.Lanes[0].Marks
	if !slices.IsSortedFunc(marks, func(a, b today.Mark) int { return a.At.Compare(b.At) }) {
		t.Errorf("not in order: %+v", marks)
	}
	said := map[string]int{}
	for _, m := range marks {
		said[m.What+" "+string(m.Owed)+" "+string(m.Standing)]++
	}
	if said["Promise: A patch theirs running"] != 1 || said["Check-in: A patch ours running"] != 1 {
		t.Errorf("what is due: %v", said)
	}
	// Corvane is open from 08:00 to 20:00 at its place, five days a week: the nights and the weekend are closed.
	if c := l.Lanes[0].Closed; len(c) < 5 || c[0].Open != l.From.Unix() {
		t.Errorf("closed: %+v", c)
	}
	d.Clock.Move(72 * time.Hour)
	late := lanes("Ragna", today.Span{From: now.Add(70 * time.Hour), To: now.Add(80 * time.Hour)})
	if len(late.Lanes) != 1 || late.Lanes[0].Marks[0].Standing != deadline.Late ||
		!late.Lanes[0].Marks[0].At.Before(late.From) {
		t.Errorf("what has been late since before: %+v", late.Lanes)
	}
	if l := lanes("Emil", today.Span{Scope: today.Scope{Whose: today.Mine}}); len(l.Lanes) != 0 {
		t.Errorf("Emil has nothing: %+v", l.Lanes)
	}
	if _, err := d.Today.Lanes(t.Context(), d.As("Ragna"), today.Span{From: now, To: now}); !slices.Equal(
		desktest.Fields(err), []string{"to"}) {
		t.Errorf("a span of nothing: %v", err)
	}
}

// Counts say how the desk stands, and each is the length of the list that it opens.
func TestCounts(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	late, plain := d.Filed("Late"), d.Filed("Plain")
	if err := d.Step(late, cases.StepRequest{Step: casework.ChangeSeverity, To: 1, Reason: "All gates"}); err != nil {
		t.Fatal(err)
	}
	d.Clock.Move(time.Minute)
	d.Hear("corvane", desktest.Said("a", "Which bank?", d.Clock.Now()))
	if _, err := d.Dates.Set(t.Context(), d.As("Ragna"), plain, dates.Setting{Kind: dated.Promise, Words: "A patch",
		Due: dates.Due{At: new(d.Clock.Now().Add(time.Minute))}}); err != nil {
		t.Fatal(err)
	}
	d.Clock.Move(2 * time.Minute)
	v, _ := next(d, "Ragna", today.Filter{})
	for name, x := range map[string]struct {
		n int
		f listsdb.Filter
	}{"late": {v.Late, listsdb.Filter{Late: true}}, "unread": {v.Unread, listsdb.Filter{Unread: true}},
		"on us":   {v.OnUs, listsdb.Filter{Move: deadline.Ours}},
		"stopped": {v.Stopped, listsdb.Filter{Severities: []int64{1}}},
		"none":    {v.NoReference, listsdb.Filter{NoReference: true}},
		"not":     {v.NotConfirmed, listsdb.Filter{NotConfirmed: true}}} {
		x.f.Sort, x.f.Limit = "next", 50
		list, _, err := d.Today.Cases(t.Context(), d.As("Ragna"), x.f)
		if err != nil || len(list) != x.n {
			t.Errorf("%s: %d, the list has %d, %v", name, x.n, len(list), err)
		}
	}
	if v.Late != 1 || v.Unread != 1 || v.OnUs != 1 || v.Stopped != 1 {
		t.Errorf("%+v", v.Sums)
	}
	soon, later := d.Clock.Now().Add(time.Hour), d.Clock.Now().Add(-time.Hour)
	for name, x := range map[string]struct {
		n int
		f listsdb.Filter
	}{"next soon": {2, listsdb.Filter{NextBefore: &soon}}, "next before": {0, listsdb.Filter{NextBefore: &later}},
		"due soon": {2, listsdb.Filter{DueBefore: &soon}}, "by a partner": {0, listsdb.Filter{Origin: casework.ByPartner}}} {
		x.f.Sort, x.f.Limit = "next", 50
		if list, _, err := d.Today.Cases(t.Context(), d.As("Ragna"), x.f); err != nil || len(list) != x.n {
			t.Errorf("%s: %d cases, want %d, %v", name, len(list), x.n, err)
		}
	}
}

// What a person watches is a part of the desk: a case, a vendor, a severity; nobody else's.
func TestWatching(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	one, two := d.Filed("One"), d.Filed("Two")
	emil := d.As("Emil")
	start := func(w watch.What) ([]watch.Watched, error) {
		return d.Watches.Start(t.Context(), emil, w, d.Pages.Find)
	}
	watched := func(who string) (ids []int64) {
		t.Helper()
		_, ids = next(d, who, today.Filter{Scope: today.Scope{Whose: today.Watched}})
		list, _, err := d.Today.CasesOf(t.Context(), d.As(who), listsdb.Filter{Sort: "newest", Limit: 9},
			today.Scope{Whose: today.Watched})
		if err != nil || len(list) != len(ids) {
			t.Errorf("the list has %d, Today %d: %v", len(list), len(ids), err)
		}
		return ids
	}
	if len(watched("Emil")) != 0 {
		t.Error("something is watched from the start")
	}
	name := casework.Name(d.Row(one).Number)
	for range 2 { // once is enough
		if list, err := start(watch.What{Case: name}); err != nil || len(list) != 1 {
			t.Fatalf("%+v %v", list, err)
		}
	}
	if got := watched("Emil"); !slices.Equal(got, []int64{one}) || len(watched("Ragna")) != 0 {
		t.Errorf("watched: %v", got)
	}
	list, err := start(watch.What{Severity: *d.Row(two).Severity})
	if got := watched("Emil"); err != nil || len(got) != 2 {
		t.Errorf("by severity: %v %v", got, err)
	}
	if err := d.Watches.Stop(t.Context(), d.As("Ragna"), list[0].ID); !errors.Is(err, db.ErrNotFound) {
		t.Errorf("Ragna stopped Emil's: %v", err)
	}
	for _, w := range list {
		if err := d.Watches.Stop(t.Context(), emil, w.ID); err != nil {
			t.Error(err)
		}
	}
	if _, err := start(watch.What{Vendor: "corvane"}); err != nil || len(watched("Emil")) != 2 {
		t.Errorf("by vendor: %v", err)
	}
	for _, w := range []watch.What{{}, {Severity: 5}, {Case: name, Severity: 1}} {
		if _, err := start(w); !slices.Equal(desktest.Fields(err), []string{"case"}) {
			t.Errorf("%+v: %v", w, err)
		}
	}
	if _, err := start(watch.What{Vendor: "nobody"}); !slices.Equal(desktest.Fields(err), []string{"vendor"}) {
		t.Errorf("a vendor that is not there: %v", err)
	}
	if _, ids := next(d, "Emil", today.Filter{Scope: today.Scope{Whose: today.Persons,
		Person: d.As("Ragna").Email}}); len(ids) != 2 {
		t.Errorf("Ragna's: %v", ids)
	}
	d.Change("corvane", `{"access": [{"person": "`+emil.Email+`"}]}`)
	if _, ids := next(d, "Emil", today.Filter{Scope: today.Scope{Whose: today.Access}}); len(ids) != 2 {
		t.Errorf("of Emil's vendors: %v", ids)
	}
	if _, ids := next(d, "Ragna", today.Filter{Scope: today.Scope{Whose: today.Access}}); len(ids) != 0 {
		t.Errorf("of Ragna's vendors: %v", ids)
	}
}
