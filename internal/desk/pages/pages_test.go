package pages_test

import (
	"errors"
	"slices"
	"strings"
	"testing"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/desktest"
	"roundhouse.example/internal/store/db"
	"roundhouse.example/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

// A case is found by its number and by what the vendor calls it, in any writing; what nobody has is not found.
func TestACaseByAnyName(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	id := d.Filed("Gates say no")
	own := casework.Name(d.Row(id).Number)
	for name, found := range map[string]bool{own: true, strings.ToLower(own): true, "CV-30001": true, "cv 30001": true,
		"CV-39999": false, "C-9": false, "": false} {
		got, err := d.Pages.Find(t.Context(), d.As("Ragna"), name)
		if found && (err != nil || got != id) || !found && !errors.Is(err, db.ErrNotFound) {
			t.Errorf("%q: %d, %v", name, got, err)
		}
	}
	if _, err := d.Pages.Find(t.Context(), desk.Actor{}, own); err == nil {
		t.Error("somebody without a role finds it")
	}
}

// The record comes in parts, in order of number, each message with what became of it.
func TestTheRecordInParts(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	id := d.Filed("Gates say no")
	d.Clock.Move(time.Minute)
	d.Hear("corvane", desktest.Said("1", "Which gate?", d.Clock.Now()))
	ragna := d.As("Ragna")
	var numbers []int
	sent := 0
	for after, more := 0, true; more; after = numbers[len(numbers)-1] {
		list, next, err := d.Pages.Entries(t.Context(), ragna, id, after, 2)
		if err != nil || len(list) == 0 || len(list) > 2 {
			t.Fatalf("after %d: %d entries, %v", after, len(list), err)
		}
		for _, e := range list {
			numbers = append(numbers, e.Number)
			if e.Delivery != nil {
				sent++
			}
		}
		more = next
	}
	last := d.Row(id).LastEntry
	want := []int{}
	for n := range last {
		want = append(want, n+1)
	}
	if !slices.Equal(numbers, want) || sent != 1 {
		t.Errorf("%v of %d entries, %d of them sent", numbers, last, sent)
	}
	if e, err := d.Pages.Entry(t.Context(), ragna, id, last); err != nil || e.Body != "Which gate?" {
		t.Errorf("the last entry: %q, %v", e.Body, err)
	}
	for _, n := range []int{last + 1, -3} {
		if _, err := d.Pages.Entry(t.Context(), ragna, id, n); !errors.Is(err, db.ErrNotFound) {
			t.Errorf("entry %d, which is not there: %v", n, err)
		}
	}
	if list, _, err := d.Pages.Entries(t.Context(), desk.Actor{}, id, 0, 9); err == nil || len(list) > 0 {
		t.Error("somebody without a role reads it")
	}
}

// The page says what can be done now and why the rest cannot, and as the vendor will see it, before and after.
func TestWhatThePageOffers(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	id := d.Draft("Gates say no")
	v := d.View(id)
	if !slices.Contains(v.Allowed, casework.File) || slices.Contains(v.Allowed, casework.Close) ||
		!strings.Contains(v.Preview, "Since this morning it answers slowly.") || v.Supported == nil ||
		int(v.Supported.Level) != 3 && int(v.Supported.Level) != 4 {
		t.Errorf("a draft: %v, %+v\n%s", v.Allowed, v.Supported, v.Preview)
	}
	id = d.Filed("Doors say no")
	v = d.View(id)
	if slices.Contains(v.Allowed, casework.File) || !slices.Contains(v.Allowed, casework.Park) || v.Line.Reference == "" ||
		len(v.Deadlines) == 0 || len(v.Deliveries) != 0 {
		t.Errorf("filed: %v, %q, %d deadlines, %d on the way", v.Allowed, v.Line.Reference, len(v.Deadlines),
			len(v.Deliveries))
	}
	for _, r := range v.Refused {
		if r.Why == "" || slices.Contains(v.Allowed, r.Step) {
			t.Errorf("%s is refused: %q", r.Step, r.Why)
		}
	}
	if err := d.Step(id, cases.StepRequest{Step: casework.Resolve, Reason: "It was our own change"}); err != nil {
		t.Fatal(err)
	}
	if v = d.View(id); len(v.Deliveries) != 1 || slices.Contains(v.Allowed, casework.Close) {
		t.Errorf("on its way: %d, %v", len(v.Deliveries), v.Allowed)
	}
	d.Sweep()
	if v = d.View(id); len(v.Deliveries) != 0 || !slices.Contains(v.Allowed, casework.Close) {
		t.Errorf("resolved: %d, %v", len(v.Deliveries), v.Allowed)
	}
}
