package dates_test

import (
	"errors"
	"slices"
	"strings"
	"testing"
	"time"

	"roundhouse.example/internal/core/attention"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/dated"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/words"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/dates"
	"roundhouse.example/internal/desk/desktest"
	"roundhouse.example/internal/desk/record"
	"roundhouse.example/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

type tester struct {
	*desktest.Desk
	t *testing.T
}

func (d tester) set(id int64, s dates.Setting) error {
	_, err := d.Dates.Set(d.t.Context(), d.As("Ragna"), id, s)
	return err
}

func (d tester) end(id int64, name string, e dates.Ending) error {
	_, err := d.Dates.End(d.t.Context(), d.As("Ragna"), id, name, e)
	return err
}

func (d tester) must(err error) {
	d.t.Helper()
	if err != nil {
		d.t.Fatal(err)
	}
}

// told are the dates of a case in short.
func (d tester) told(id int64) string {
	var out []string
	for _, x := range d.View(id).Dates {
		out = append(out, x.Name+" "+string(x.Kind)+" "+string(x.Owed)+" "+string(x.Standing)+" "+
			x.DueAt.UTC().Format("Jan 2 15:04")+strings.TrimRight(" "+x.For, " "))
	}
	return strings.Join(out, "; ")
}

// What somebody promised, does or waits for is set, kept, moved and dropped; the case is next when the first of it is
// due; the record gives all of it back.
func TestDatesOfACase(t *testing.T) {
	t.Parallel()
	d := tester{desktest.New(t), t}
	id := d.Filed("Gates say no")
	in := func(h time.Duration) dates.Due { return dates.Due{At: new(d.Clock.Now().Add(h))} }
	d.must(d.set(id, dates.Setting{Kind: dated.Promise, Words: "A patch", Due: in(30 * time.Minute)}))
	d.must(d.set(id, dates.Setting{Kind: dated.FollowUp, Words: "Ask the bank", Due: in(50 * time.Hour),
		For: d.As("Ragna").Email}))
	d.must(d.set(id, dates.Setting{Kind: dated.CheckIn, Due: in(40 * time.Hour)}))
	now := d.Clock.Now()
	at := func(h time.Duration) string { return now.Add(h).UTC().Format("Jan 2 15:04") }
	want := "1 promise theirs running " + at(30*time.Minute) + "; 3 check-in ours running " + at(40*time.Hour) +
		"; 2 follow-up ours running " + at(50*time.Hour) + " Ragna Lie"
	if got := d.told(id); got != want {
		t.Errorf("%s\nwant %s", got, want)
	}
	if next := d.View(id).Line.NextAt; next == nil || !next.Equal(now.Add(30*time.Minute)) {
		t.Errorf("next at %v", next)
	}
	d.Agrees()

	d.Clock.Move(31 * time.Minute)
	d.Sweep()
	if l := d.View(id).Next; l == nil || l.Step != attention.Chase || l.Standing != deadline.Late ||
		l.Why() != "Promise late by 1 min: A patch" {
		t.Errorf("Today says %+v", l)
	}
	d.must(d.end(id, "1", dates.Ending{How: dates.Moved, Text: "They need longer", Due: in(2 * time.Hour)}))
	d.must(d.end(id, "1", dates.Ending{How: dates.Kept, Text: "It came"}))
	late := dates.Ending{How: dates.Moved, Text: "Later", Due: d.in(time.Hour),
		Details: dates.Details{From: new(d.Clock.Now().Add(2 * time.Hour))}}
	if err := d.end(id, "3", late); err == nil || !strings.Contains(err.Error(), "from: it opens at or after its end") {
		t.Errorf("moved to where its window has not opened: %v", err)
	}
	d.must(d.end(id, "3", dates.Ending{How: dates.Dropped, Text: "Not needed"}))
	d.must(d.Step(id, cases.StepRequest{Step: casework.Resolve, Reason: "Solved", Cause: "A setting"}))
	d.Sweep()
	got := d.told(id)
	for _, part := range []string{"2 follow-up ours running", "1 promise theirs met ", "1 promise theirs missed ",
		"3 check-in ours void "} {
		if strings.Count(got, part) != 1 {
			t.Errorf("once there should be %q in %s", part, got)
		}
	}
	if next := d.View(id).Line.NextAt; next == nil || !next.Equal(now.Add(50*time.Hour).Truncate(time.Second)) {
		t.Errorf("what goes on after the end is next at %v", next)
	}
	d.Agrees()
	d.must(d.end(id, "2", dates.Ending{How: dates.Kept}))
	if next := d.View(id).Line.NextAt; next != nil {
		t.Errorf("nothing goes on, but next is %v", next)
	}
	var refused *casework.Refusal
	if err := d.set(id, dates.Setting{Kind: dated.CheckIn, Due: in(time.Hour)}); !errors.As(err, &refused) {
		t.Errorf("a date on a case that has ended: %v", err)
	}
	d.Agrees()
}

// A day is due when the hours of who owes it end on it: ours end at 16:00 in Oslo, the vendor's may not.
func TestADay(t *testing.T) {
	t.Parallel()
	d := tester{desktest.New(t), t}
	id := d.Filed("Gates say no")
	d.must(d.set(id, dates.Setting{Kind: dated.CheckIn, Due: dates.Due{Day: "2026-12-04"}}))
	d.must(d.set(id, dates.Setting{Kind: dated.CheckIn, Due: dates.Due{Day: "2026-12-06"}})) // a Sunday
	if got := d.told(id); !strings.Contains(got, "1 check-in ours running Dec 4 15:00") ||
		!strings.Contains(got, "2 check-in ours running Dec 6 23:00") {
		t.Error(got)
	}
}

// What cannot be is refused, each field by its name, and nothing is written.
func TestWhatIsNoDate(t *testing.T) {
	t.Parallel()
	d := tester{desktest.New(t), t}
	id := d.Filed("Gates say no")
	due := dates.Due{At: new(d.Clock.Now().Add(time.Hour))}
	d.must(d.set(id, dates.Setting{Kind: dated.Promise, Words: "A patch", Due: due}))
	before := d.View(id).Line.LastEntry
	for _, x := range []struct {
		field string
		s     dates.Setting
	}{
		{"kind", dates.Setting{Kind: dated.Receipt, Words: "x", Due: due}},
		{"owed", dates.Setting{Kind: dated.Ask, Words: "x", Due: due}},
		{"text", dates.Setting{Kind: dated.Part, Due: due}},
		{"text", dates.Setting{Kind: dated.Part, Words: strings.Repeat("x", 1001), Due: due}},
		{"for", dates.Setting{Kind: dated.Part, Words: "x", Due: due, For: d.As("Ragna").Email}},
		{"for", dates.Setting{Kind: dated.FollowUp, Words: "x", Due: due, For: "nobody@saltmarsh.example"}},
		{"due", dates.Setting{Kind: dated.Part, Words: "x"}},
		{"due", dates.Setting{Kind: dated.Part, Words: "x", Due: dates.Due{At: new(d.Clock.Now())}}},
		{"due", dates.Setting{Kind: dated.Part, Words: "x", Due: dates.Due{At: due.At, Day: "2026-12-04"}}},
		{"day", dates.Setting{Kind: dated.Part, Words: "x", Due: dates.Due{Day: "2026-02-30"}}},
	} {
		if err := d.set(id, x.s); !slices.Equal(desktest.Fields(err), []string{x.field}) {
			t.Errorf("%+v: %v", x.s, err)
		}
	}
	for field, e := range map[string]dates.Ending{"text": {How: dates.Dropped}, "due": {How: dates.Moved, Text: "x"},
		"how": {How: "lost", Text: "x"}} {
		if err := d.end(id, "1", e); !slices.Equal(desktest.Fields(err), []string{field}) {
			t.Errorf("%s: %v", field, err)
		}
	}
	if err := d.end(id, "2", dates.Ending{How: dates.Kept}); !slices.Equal(desktest.Fields(err), []string{"item"}) {
		t.Errorf("a date that is not there: %v", err)
	}
	if _, err := d.Dates.Set(t.Context(), desk.Actor{}, id, dates.Setting{}); err == nil {
		t.Error("anybody may set dates")
	}
	if n := d.View(id).Line.LastEntry; n != before {
		t.Errorf("%d entries were written", n-before)
	}
}

// What people may set is the same in the rules of the desk and in what they are offered.
func TestWhatPeopleSet(t *testing.T) {
	t.Parallel()
	d := tester{desktest.New(t), t}
	id := d.Filed("Gates say no")
	for _, k := range words.Dated {
		err := d.set(id, dates.Setting{Kind: deadline.ItemKind(k.Value), Owed: deadline.Theirs, Words: "x",
			Due: d.in(time.Hour)})
		if offered := words.SetDates.At(k.Value) >= 0; offered != (err == nil) {
			t.Errorf("%s: offered %v, %v", k.Value, offered, err)
		}
	}
}

// What is stored of dates and is not what the record says is found.
func TestASpoiltDate(t *testing.T) {
	t.Parallel()
	d := tester{desktest.New(t), t}
	id := d.Filed("Gates say no")
	d.must(d.set(id, dates.Setting{Kind: dated.Promise, Words: "A patch",
		Due: dates.Due{At: new(d.Clock.Now().Add(time.Hour))}}))
	for _, x := range [][2]string{{"update dated_item set words = 'Another'", "words"},
		{"delete from dated_item", "dated item 1 (promise)"}} {
		sql, what := x[0], x[1]
		if _, err := d.Store.DB.Exec(sql); err != nil {
			t.Fatal(err)
		}
		sum, err := d.Record.Check(t.Context())
		if err != nil || !slices.ContainsFunc(sum.Findings,
			func(f record.Finding) bool { return strings.Contains(f.What, what) }) {
			t.Errorf("%s: %+v, %v", sql, sum.Findings, err)
		}
	}
}
