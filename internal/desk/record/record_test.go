package record_test

import (
	"slices"
	"testing"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/escalation"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/desktest"
	"roundhouse.example/internal/desk/record"
	"roundhouse.example/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

func deadlines(d *desktest.Desk, id int64, at time.Time) []record.DeadlineView {
	d.T.Helper()
	list, err := d.Record.Deadlines(d.T.Context(), d.As("Ragna"), id, record.Moment{At: at})
	if err != nil {
		d.T.Fatal(err)
	}
	return list
}

// What a case's deadlines were at an instant is found again from the record, whatever has happened since; what each
// has counted is the sum of its counted spans.
func TestDeadlinesAsTheyWere(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	before := d.Clock.Now()
	d.Clock.Move(time.Minute)
	id := d.Filed("Gates say no")
	type look struct {
		at   time.Time
		then []record.DeadlineView
	}
	var looks []look
	keep := func() {
		looks = append(looks, look{d.Clock.Now(), deadlines(d, id, d.Clock.Now())})
		d.Agrees()
	}
	step := func(r cases.StepRequest) {
		t.Helper()
		d.Clock.Move(40 * time.Minute)
		if err := d.Step(id, r); err != nil {
			t.Fatal(err)
		}
		d.Sweep()
		keep()
	}
	hear := func(key string, offers deadline.Offer) {
		d.Clock.Move(25 * time.Minute)
		said := desktest.Said(key, "Try this.", d.Clock.Now())
		said.Offers = offers
		d.Hear("corvane", said)
		keep()
	}
	until := d.Clock.Now().Add(30 * time.Hour)
	keep()
	hear("1", "")
	step(cases.StepRequest{Step: casework.ChangeSeverity, To: 2, Reason: "More are hit"})
	step(cases.StepRequest{Step: casework.Park, Reason: "A change window", Until: &until, Agreed: true})
	hear("2", deadline.OfferFix)
	step(cases.StepRequest{Step: casework.RejectFix, Reason: "It failed again"})
	hear("3", deadline.OfferFix)
	step(cases.StepRequest{Step: casework.AcceptFix})
	if got := deadlines(d, id, before); len(got) != 0 {
		t.Errorf("before it was filed it had %d deadlines", len(got))
	}
	standings := map[deadline.Standing]bool{}
	for _, l := range looks {
		now := deadlines(d, id, l.at)
		if len(now) != len(l.then) {
			t.Fatalf("at %s there were %d deadlines, now %d", l.at, len(l.then), len(now))
		}
		for i, x := range now {
			was := l.then[i]
			if x.Clock.Kind != was.Clock.Kind || x.Standing != was.Standing || x.Counted != was.Counted || x.Due != was.Due ||
				x.Words != was.Words {
				t.Errorf("at %s: %s is %s %d now, was %s %d\n%s\n%s", l.at, x.Clock.Kind, x.Standing, x.Counted, was.Standing,
					was.Counted, x.Words, was.Words)
			}
			standings[x.Standing] = true
			sum := int64(0)
			for _, s := range x.Segments {
				if s.Counted {
					sum += s.Covered
				}
			}
			if sum != x.Counted {
				t.Errorf("at %s: %s has counted %d, its spans %d", l.at, x.Clock.Kind, x.Counted, sum)
			}
		}
	}
	if !standings[deadline.Running] || !standings[deadline.StandsMet] || !standings[deadline.Paused] {
		t.Errorf("the story is too dull: %v", standings)
	}
}

// What is stored and is not what the record says is found, by its column, and left as it is.
func TestWhatIsSpoilt(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	whole, id := d.Filed("Whole"), d.Filed("Spoilt")
	d.Agrees()
	for _, spoil := range []string{"update support_case set state = 'resolved' where id = $1",
		"update deadline set due_at = due_at + interval '1 second' where case_id = $1 and kind = 'first-response'"} {
		if _, err := d.Store.DB.Exec(spoil, id); err != nil {
			t.Fatal(err)
		}
	}
	for range 2 { // looking mends nothing
		sum, err := d.Record.Check(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		var what []string
		for _, f := range sum.Findings {
			what = append(what, f.What)
		}
		if !slices.Equal(sum.Differing(), []int64{id}) || !slices.Contains(what, "state") || len(what) < 2 {
			t.Errorf("found %v, of %v; %d is whole, %d spoilt", what, sum.Differing(), whole, id)
		}
		if sum.Cases != 2 || sum.Live != 2 && sum.Live != 1 {
			t.Errorf("%+v", sum)
		}
	}
}

// Who may not read learns nothing, not even whether the case is there.
func TestDeadlinesAreForReaders(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	id := d.Filed("Gates say no")
	for _, x := range []int64{id, id + 999} {
		list, err := d.Record.Deadlines(t.Context(), desk.Actor{}, x, record.Moment{At: d.Clock.Now()})
		if err == nil || len(list) > 0 {
			t.Errorf("%d: %d deadlines, %v", x, len(list), err)
		}
	}
}

// Whom to escalate to follows from the clocks as time passes, from what is rejected, and from another ladder; and what
// is stored of it is what a check derives.
func TestAdvice(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	id := d.Filed("Gates say no")
	advised := func(rung int, because escalation.Reason) {
		t.Helper()
		d.Sweep()
		if _, err := d.Waking.Due(t.Context()); err != nil {
			t.Fatal(err)
		}
		d.Agrees()
		c := d.Row(id)
		if got := desk.Deref(c.Advice); got != rung || c.AdviceBecause != because {
			t.Errorf("rung %d %q, not %d %q", got, c.AdviceBecause, rung, because)
		}
	}
	advised(0, "")
	d.Change("corvane", `{"ladder": [{"role": "Shift lead", "how": "by phone", "reply": "1h", "late_by": "2h"}]}`)
	clocks := deadlines(d, id, d.Clock.Now())
	d.Clock.Move(time.Unix(clocks[0].Due, 0).Add(time.Second).Sub(d.Clock.Now())) // late, but not by two hours
	advised(0, "")
	d.Clock.Move(2*time.Hour - 2*time.Second)
	advised(0, "")
	d.Clock.Move(time.Second)
	advised(1, escalation.Late)
	d.Change("corvane", `{"ladder": [{"role": "Owner", "how": "by letter", "reopened": 1},
		{"role": "Night desk", "how": "by phone", "open_longer": "1h", "late_by": "9h"}]}`)
	advised(2, escalation.OpenLong)
	said := desktest.Said("1", "Try this.", d.Clock.Now())
	said.Offers = deadline.OfferFix
	d.Hear("corvane", said)
	for _, step := range []cases.StepRequest{{Step: casework.AcceptFix}, {Step: casework.Reopen, Reason: "It is back"}} {
		if err := d.Step(id, step); err != nil {
			t.Fatal(err)
		}
		d.Clock.Move(time.Minute)
		d.Sweep()
	}
	advised(1, escalation.Reopened)
	d.Change("corvane", `{"ladder": []}`)
	advised(0, "")
}
