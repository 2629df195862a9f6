package today_test

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/dated"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/dates"
	"roundhouse.example/internal/desk/desktest"
	"roundhouse.example/internal/desk/escalations"
	"roundhouse.example/internal/desk/pages"
	"roundhouse.example/internal/desk/record"
	"roundhouse.example/internal/desk/today"
)

// shown is how a case and Today stood, in the words in which they are compared.
func shown(d *desktest.Desk, id int64) (row, lines string) {
	c := d.Row(id)
	v := d.View(id)
	var clocks, items []string
	for _, k := range v.Deadlines {
		clocks = append(clocks, fmt.Sprint(k.Clock.Kind, k.Clock.Rank, k.Standing, k.Counted, k.Due))
	}
	for _, x := range v.Dates {
		items = append(items, fmt.Sprint(x.Name, x.Kind, x.Standing, x.DueAt.Unix()))
	}
	slices.Sort(items)
	row = stands(c.State, c.Severity, c.Move, c.Parked, c.Raised, c.Reopenings, c.Chases) + fmt.Sprint(clocks, items)
	t, err := d.Today.Next(d.T.Context(), d.As("Ragna"), today.Filter{Limit: 10})
	if err != nil {
		d.T.Fatal(err)
	}
	return row, linesOf(t)
}

func stands(state casework.State, severity *int, move *deadline.Side, parked bool, counts ...int) string {
	return fmt.Sprint(state, desk.Deref(severity), desk.Deref(move), parked, counts, " ")
}

func linesOf(t today.View) string {
	var out []string
	for _, l := range t.Lines {
		out = append(out, fmt.Sprintf("%d %s %s %.4f", l.Case.Number, l.Why(), l.Step, l.Pressure))
	}
	return strings.Join(out, "; ")
}

// stood is the same, as it is found again later.
func stood(d *desktest.Desk, id int64, m record.Moment) (row, lines string) {
	d.T.Helper()
	_, s, err := d.Today.CaseAt(d.T.Context(), d.As("Ragna"), id, m)
	if err != nil {
		d.T.Fatal(err)
	}
	v, err := d.Pages.CaseAt(d.T.Context(), d.As("Ragna"), id, m)
	if err != nil {
		d.T.Fatal(err)
	}
	var clocks, items []string
	for _, k := range v.Deadlines {
		clocks = append(clocks, fmt.Sprint(k.Clock.Kind, k.Clock.Rank, k.Standing, k.Counted, k.Due))
	}
	for _, x := range v.Dates {
		items = append(items, fmt.Sprint(x.Name, x.Kind, x.Standing, x.DueAt.Unix()))
	}
	slices.Sort(items)
	row = stands(s.State, s.Severity, s.Move, s.Parked, s.Raised, s.Reopenings, s.Chases) + fmt.Sprint(clocks, items)
	t, err := d.Today.NextAt(d.T.Context(), d.As("Ragna"), today.Filter{Limit: 10}, m)
	if err != nil {
		d.T.Fatal(err)
	}
	return row, linesOf(t)
}

// Whatever happens to a case, at random: how it and Today stood after each step is found again at the end, to the
// second, as long as nothing was unread or on its way.
func TestTheDeskAsItStood(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	rng := rand.New(rand.NewPCG(7, 3))
	id := d.Filed("Gates say no")
	read := func() {
		if err := d.Seen.Mark(t.Context(), d.As("Ragna"), id, d.Row(id).LastEntry); err != nil {
			t.Fatal(err)
		}
	}
	in := func(h int) dates.Due { return dates.Due{At: new(d.Clock.Now().Add(time.Duration(h) * time.Hour))} }
	steps := []func(n int) error{
		func(n int) error {
			d.Hear("corvane", desktest.Said(fmt.Sprint("k", n), "Which bank?", d.Clock.Now()))
			return nil
		},
		func(int) error {
			_, err := d.Cases.Send(t.Context(), d.As("Ragna"), id, cases.Written{Text: "The second one.",
				Chases: rng.IntN(2) == 0})
			return err
		},
		func(int) error {
			_, err := d.Dates.Set(t.Context(), d.As("Ragna"), id, dates.Setting{Kind: dated.Promise, Words: "A patch",
				Due: in(1 + rng.IntN(30))})
			return err
		},
		func(int) error {
			return d.Step(id, cases.StepRequest{Step: casework.ChangeSeverity, To: 1 + rng.IntN(4), Reason: "It changed"})
		},
		func(int) error {
			return d.Step(id, cases.StepRequest{Step: casework.Park, Reason: "A window", Until: in(1 + rng.IntN(20)).At})
		},
		func(int) error { return d.Step(id, cases.StepRequest{Step: casework.Resume}) },
		func(int) error { return d.Step(id, cases.StepRequest{Step: casework.Resolve, Reason: "It went away"}) },
		func(int) error { return d.Step(id, again) },
		func(int) error {
			_, err := d.Escalations.Raise(t.Context(), d.As("Ragna"), id, escalations.Raising{Rung: 1 + rng.IntN(2), Why: "Now",
				Text: "Please.", Told: &escalations.Told{At: d.Clock.Now()}})
			return err
		},
	}
	type was struct {
		at         time.Time
		row, lines string
	}
	var all []was
	done := 0
	for n := range 120 {
		d.Clock.Move(time.Duration(1+rng.IntN(500)) * time.Minute)
		if err := steps[rng.IntN(len(steps))](n); err == nil {
			done++
		}
		d.Sweep()
		if _, err := d.Waking.Due(t.Context()); err != nil {
			t.Fatal(err)
		}
		read()
		row, lines := shown(d, id)
		all = append(all, was{d.Clock.Now().UTC().Truncate(time.Second), row, lines})
	}
	if done < 30 {
		t.Fatalf("only %d steps were allowed", done)
	}
	for _, x := range all {
		for _, known := range []bool{false, true} {
			row, lines := stood(d, id, record.Moment{At: x.at, Known: known})
			if row != x.row {
				t.Fatalf("at %s, known %v:\n%s\nwas\n%s", x.at, known, row, x.row)
			}
			if lines != x.lines {
				t.Fatalf("at %s, known %v, Today:\n%s\nwas\n%s", x.at, known, lines, x.lines)
			}
		}
	}
	d.Agrees()
}

var again = cases.StepRequest{Step: casework.Reopen, Reason: "It is back", Anyway: true}

// What was recorded later counts by what had happened, not by what was known.
func TestByWhatWasKnown(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	id := d.Filed("Gates say no")
	called := d.Clock.Now().Add(time.Hour)
	d.Clock.Move(5 * time.Hour)
	_, err := d.Cases.AddCall(t.Context(), d.As("Ragna"), id, cases.Heard{With: "Teo", At: called, Text: "We look."})
	if err != nil {
		t.Fatal(err)
	}
	at := called.Add(time.Hour)
	met := func(known bool) (n int) {
		v, err := d.Pages.CaseAt(t.Context(), d.As("Ragna"), id, record.Moment{At: at, Known: known})
		if err != nil {
			t.Fatal(err)
		}
		for _, k := range v.Deadlines {
			if k.Standing == deadline.StandsMet {
				n++
			}
		}
		list, _, err := d.Pages.EntriesAt(t.Context(), d.As("Ragna"), id, 0, 100, record.Moment{At: at, Known: known})
		if err != nil || slices.ContainsFunc(list, func(e pages.EntryView) bool { return e.Body == "We look." }) == known {
			t.Errorf("known %v: the call is in the record or not: %v", known, err)
		}
		return n
	}
	if by, known := met(false), met(true); by != 1 || known != 0 {
		t.Errorf("the first response: %d by what had happened, %d by what was known", by, known)
	}
	for what, m := range map[string]record.Moment{"before it was opened": {At: d.Clock.Now().AddDate(-3, 0, 0)},
		"in the future": {At: d.Clock.Now().Add(time.Hour)}} {
		if _, err := d.Pages.CaseAt(t.Context(), d.As("Ragna"), id, m); !slices.Contains(desktest.Fields(err), "at") {
			t.Errorf("%s: %v", what, err)
		}
	}
	past := record.Moment{At: d.Clock.Now().AddDate(-3, 0, 0)}
	if v, err := d.Today.NextAt(t.Context(), d.As("Ragna"), today.Filter{Limit: 5}, past); err != nil ||
		len(v.Lines)+v.Live != 0 {
		t.Errorf("before the first case: %+v, %v", v, err)
	}
	lines, more, err := d.Today.CasesAt(t.Context(), d.As("Ragna"), today.ListAt{Vendors: []string{"corvane"}, Limit: 5},
		record.Moment{At: at})
	if err != nil || more || len(lines) != 1 || lines[0].Reference != desktest.First {
		t.Errorf("the list: %+v %v %v", lines, more, err)
	}
	no := new(desk.Forbidden)
	if _, err := d.Today.NextAt(t.Context(), desk.Actor{}, today.Filter{Limit: 5}, past); !errors.As(err, &no) {
		t.Errorf("to a stranger: %v", err)
	}
}

// Page by page, the record as it stood is the same as at once, however much of a page had not happened yet.
func TestTheRecordAsItStoodByPages(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	id := d.Filed("Gates say no")
	note := func(text string) {
		if _, err := d.Cases.AddNote(t.Context(), d.As("Ragna"), id, text); err != nil {
			t.Fatal(err)
		}
	}
	note("First.")
	called := d.Clock.Now()
	m := record.Moment{At: called.Add(time.Minute)}
	d.Clock.Move(time.Hour)
	note("Later.")
	note("Later still.")
	_, err := d.Cases.AddCall(t.Context(), d.As("Ragna"), id, cases.Heard{With: "Teo", At: called, Text: "We look."})
	if err != nil {
		t.Fatal(err)
	}
	whole, more, err := d.Pages.EntriesAt(t.Context(), d.As("Ragna"), id, 0, 100, m)
	if err != nil || more || len(whole) < 3 || whole[len(whole)-1].Body != "We look." {
		t.Fatalf("%+v %v %v", whole, more, err)
	}
	for after, n := 0, 0; n < len(whole); n++ {
		page, more, err := d.Pages.EntriesAt(t.Context(), d.As("Ragna"), id, after, 1, m)
		if err != nil || len(page) != 1 || page[0].Number != whole[n].Number || more != (n < len(whole)-1) {
			t.Fatalf("page %d: %+v %v %v", n, page, more, err)
		}
		after = page[0].Number
	}
}

// What had ended is in a list of all cases as they stood, and on Today while something of it went on.
func TestEndedAsItStood(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	id := d.Filed("Gates say no")
	_, err := d.Dates.Set(t.Context(), d.As("Ragna"), id, dates.Setting{Kind: dated.FollowUp, Words: "Look again",
		Owed: deadline.Ours, Due: dates.Due{At: new(d.Clock.Now().Add(2 * time.Hour))}})
	if err != nil {
		t.Fatal(err)
	}
	if err := d.Step(id, cases.StepRequest{Step: casework.Resolve, Reason: "It went away"}); err != nil {
		t.Fatal(err)
	}
	d.Sweep()
	d.Clock.Move(50 * time.Hour)
	then := record.Moment{At: d.Clock.Now().UTC().Truncate(time.Second)}
	now, err := d.Today.Next(t.Context(), d.As("Ragna"), today.Filter{Limit: 10})
	if err != nil || len(now.Lines) != 1 {
		t.Fatalf("Today has %+v, %v", now.Lines, err)
	}
	d.Clock.Move(time.Hour)
	if v, err := d.Today.NextAt(t.Context(), d.As("Ragna"), today.Filter{Limit: 10}, then); err != nil ||
		linesOf(v) != linesOf(now) {
		t.Errorf("Today: %s, %v\nwas %s", linesOf(v), err, linesOf(now))
	}
	late := func(v pages.View) (out []int64) {
		for _, x := range v.Dates {
			out = append(out, x.Late)
		}
		return out
	}
	v, err := d.Pages.CaseAt(t.Context(), d.As("Ragna"), id, record.Moment{At: d.Clock.Now().UTC()})
	if got, want := late(v), late(d.View(id)); err != nil || !slices.Equal(got, want) || len(got) != 1 || got[0] == 0 {
		t.Errorf("late by %v, not %v, %v", got, want, err)
	}
	if _, err := d.Dates.End(t.Context(), d.As("Ragna"), id, "1", dates.Ending{How: dates.Kept}); err != nil {
		t.Fatal(err)
	}
	d.Clock.Move(time.Hour)
	then.At = d.Clock.Now().UTC().Truncate(time.Second)
	d.Clock.Move(time.Hour)
	for what, f := range map[string]struct {
		today.ListAt
		n int
	}{"live": {n: 0}, "all": {today.ListAt{All: true}, 1},
		"resolved": {today.ListAt{States: []casework.State{casework.Resolved}}, 1}} {
		f.Limit = 5
		lines, _, err := d.Today.CasesAt(t.Context(), d.As("Ragna"), f.ListAt, then)
		if err != nil || len(lines) != f.n {
			t.Errorf("%s: %d cases, %v", what, len(lines), err)
		}
	}
}
