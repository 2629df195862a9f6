package today_test

import (
	"slices"
	"sync"
	"testing"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/desktest"
	"roundhouse.example/internal/desk/today"
	listsdb "roundhouse.example/internal/store/lists"
	"roundhouse.example/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

func next(d *desktest.Desk, who string, f today.Filter) (today.View, []int64) {
	d.T.Helper()
	if f.Limit == 0 {
		f.Limit = 50
	}
	v, err := d.Today.Next(d.T.Context(), d.As(who), f)
	if err != nil {
		d.T.Fatal(err)
	}
	var ids []int64
	for _, l := range v.Lines {
		ids = append(ids, l.Case.ID)
	}
	return v, ids
}

// Today has a line for what needs somebody, most pressing first: none for a draft or what has ended, and of what is
// parked only its date. A page goes on where the one before ended, and Mine is mine.
func TestWhatStandsOnToday(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	draft, mild, bad, parked := d.Draft("A draft"), d.Filed("Mild"), d.Filed("Bad"), d.Filed("Parked")
	if err := d.Step(bad, cases.StepRequest{Step: casework.ChangeSeverity, To: 2, Reason: "More are hit"}); err != nil {
		t.Fatal(err)
	}
	for _, ref := range []string{"CV-30001", "CV-30002", "CV-30003"} {
		d.Clock.Move(time.Minute)
		said := desktest.Said(ref, "Which gate?", d.Clock.Now())
		said.Ticket = ref
		d.Hear("corvane", said)
	}
	v, ids := next(d, "Ragna", today.Filter{})
	if !slices.Equal(ids, []int64{bad, mild, parked}) || v.Unread != 3 || v.Live != 3 || v.Sums.Lines != 3 {
		t.Fatalf("%v of %v; %+v", ids, []int64{draft, mild, bad, parked}, v.Sums)
	}
	until := d.Clock.Now().Add(48 * time.Hour)
	for _, id := range []int64{mild, bad, parked} {
		if err := d.Seen.Mark(t.Context(), d.As("Ragna"), id, d.Row(id).LastEntry); err != nil {
			t.Fatal(err)
		}
	}
	if err := d.Step(parked,
		cases.StepRequest{Step: casework.Park, Reason: "A change window", Until: &until}); err != nil {
		t.Fatal(err)
	}
	d.Sweep()
	v, ids = next(d, "Ragna", today.Filter{})
	if !slices.Equal(ids, []int64{parked, bad, mild}) || v.Lines[0].Why() != "Parked until its date" ||
		v.Lines[1].Why() != "Our answer due" { // of which nearly nothing has been counted yet
		t.Errorf("all read, one parked: %v, %s, %s", ids, v.Lines[0].Why(), v.Lines[1].Why())
	}
	first, one := next(d, "Ragna", today.Filter{Limit: 1})
	_, two := next(d, "Ragna", today.Filter{Limit: 1, After: &first.Lines[0].Line, At: first.AsOf})
	if all, _ := next(d, "Ragna", today.Filter{Limit: 3}); all.More {
		t.Error("more than all of them")
	}
	if !first.More || !slices.Equal(append(one, two...), ids[:2]) {
		t.Errorf("page by page %v %v, at once %v", one, two, ids)
	}
	if _, theirs := next(d, "Emil", today.Filter{Scope: today.Scope{Whose: today.Mine}}); len(theirs) != 0 {
		t.Errorf("nothing of these is his: %v", theirs)
	}
	if _, hers := next(d, "Ragna", today.Filter{Scope: today.Scope{Whose: today.Mine}}); !slices.Equal(hers, ids) {
		t.Errorf("hers are %v, not %v", hers, ids)
	}
	if err := d.Step(mild, cases.StepRequest{Step: casework.Withdraw, Reason: "Opened by mistake"}); err != nil {
		t.Fatal(err)
	}
	d.Sweep()
	if v, ids = next(d, "Ragna", today.Filter{}); slices.Contains(ids, mild) || v.Live != 2 {
		t.Errorf("withdrawn: %v, %+v", ids, v.Sums)
	}
	if _, err := d.Today.Next(t.Context(), desk.Actor{}, today.Filter{Limit: 9}); err == nil {
		t.Error("somebody without a role sees it")
	}
}

// A page is of one instant: a case that comes to have a next date, or to have none any more, while the page is read
// stands on it once.
func TestAPageIsOfOneInstant(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	for range 5 {
		d.Draft("A draft")
	}
	ended := make(chan struct{})
	var meddling sync.WaitGroup
	meddling.Go(func() {
		for {
			select {
			case <-ended:
				return
			default:
			}
			if _, err := d.Store.DB.ExecContext(t.Context(),
				"update support_case set next_at = case when next_at is null then now() end"); err != nil {
				t.Error(err)
				return
			}
		}
	})
	for range 200 {
		lines, _, err := d.Today.Cases(t.Context(), d.As("Ragna"), listsdb.Filter{Sort: "next", Limit: 20})
		if err != nil || len(lines) != 5 {
			t.Errorf("%d cases, %v", len(lines), err)
			break
		}
	}
	close(ended)
	meddling.Wait()
}

// The same cases in a list: as many as asked for, in the order asked for, and whether there are more.
func TestListsOfCases(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	var all []int64
	for _, title := range []string{"One", "Two", "Three"} {
		d.Clock.Move(time.Minute)
		all = append(all, d.Filed(title))
	}
	for sort, want := range map[string][]int64{"oldest": all, "newest": {all[2], all[1], all[0]}} {
		f := listsdb.Filter{Sort: sort, Limit: 2}
		lines, more, err := d.Today.Cases(t.Context(), d.As("Ragna"), f)
		if err != nil || len(lines) != 2 || !more {
			t.Fatalf("%s: %d lines, %v, %v", sort, len(lines), more, err)
		}
		for i, l := range lines {
			if l.ID != want[i] || l.Reference == "" || l.Standing == "" {
				t.Errorf("%s: line %d is %d %q %q, not %d", sort, i, l.ID, l.Reference, l.Standing, want[i])
			}
		}
	}
}
