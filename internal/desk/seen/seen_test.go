package seen_test

import (
	"slices"
	"testing"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/desktest"
	"roundhouse.example/internal/desk/today"
	casesdb "roundhouse.example/internal/store/cases"
	listsdb "roundhouse.example/internal/store/lists"
	"roundhouse.example/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

// What is new is another thing for each person; what an auditor has read the desk has not.
func TestWhatIsNewToWhom(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	id := d.Filed("Gates say no")
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	fresh := func(who string) int {
		t.Helper()
		lines, _, err := d.Today.Cases(t.Context(), d.As(who), listsdb.Filter{Sort: "newest", Limit: 5})
		must(err)
		next, err := d.Today.Next(t.Context(), d.As(who), today.Filter{Limit: 5})
		must(err)
		if len(next.Lines) == 1 && next.Lines[0].Case.New != lines[0].New {
			t.Errorf("Today says %d, the list %d", next.Lines[0].Case.New, lines[0].New)
		}
		return lines[0].New
	}
	mark := func(who string, entry int) error { return d.Seen.Mark(t.Context(), d.As(who), id, entry) }
	last := d.Row(id).LastEntry
	must(mark("Ragna", last))
	must(mark("Emil", last))
	must(mark("Aksel", last))
	d.Clock.Move(time.Minute)
	d.Hear("corvane", desktest.Said("a", "Which bank?", d.Clock.Now()))
	_, err := d.Cases.AddNote(t.Context(), d.As("Ragna"), id, "The harbour bank.")
	must(err)
	if r, e, a := fresh("Ragna"), fresh("Emil"), fresh("Aksel"); r != 1 || e != 2 || a != 2 {
		t.Errorf("new to Ragna %d, to Emil %d, to Aksel %d", r, e, a)
	}
	must(mark("Aksel", d.Row(id).LastEntry))
	if c := d.Row(id); c.Unread != 1 || fresh("Aksel") != 0 {
		t.Errorf("once the auditor has read it, %d are unread", c.Unread)
	}
	must(mark("Emil", d.Row(id).LastEntry))
	if c := d.Row(id); c.Unread != 0 || fresh("Emil") != 0 || fresh("Ragna") != 1 {
		t.Errorf("once Emil has read it, %d are unread, new to Ragna %d", c.Unread, fresh("Ragna"))
	}
	must(mark("Emil", 1))
	if r, err := casesdb.ReadBy(t.Context(), d.Store.DB, d.As("Emil").ID, id); err != nil ||
		r.Entry != d.Row(id).LastEntry {
		t.Errorf("what was read is unread again: %+v %v", r, err)
	}
	if err := mark("Emil", 99); !slices.Equal(desktest.Fields(err), []string{"entry"}) {
		t.Errorf("an entry that is not there: %v", err)
	}
	d.Agrees()
}

// On whom a case waits is said exactly, and forgotten once the move turns; who had it at the vendor is kept.
func TestOnWhomItWaits(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	id := d.Filed("Gates say no")
	on := func() string {
		c := d.Row(id)
		return casework.On{Whom: c.MoveOn, Name: c.MoveOnName}.Words()
	}
	move := func(side deadline.Side, whom casework.Whom, name string) error {
		return d.Step(id, cases.StepRequest{Step: casework.GiveMove, Move: side, On: casework.On{Whom: whom, Name: name}})
	}
	if on() != "vendor" {
		t.Errorf("filed, it waits on %s", on())
	}
	since := *d.Row(id).MoveSince
	d.Clock.Move(time.Minute)
	if err := move("", casework.OnCarrier, " Nordlight "); err != nil || on() != "carrier Nordlight" {
		t.Errorf("%s %v", on(), err)
	}
	if !d.Row(id).MoveSince.Equal(since) {
		t.Error("on whom exactly turned the move")
	}
	d.Clock.Move(time.Minute)
	if err := move(deadline.Ours, casework.OnRequester, ""); err != nil || on() != "requester" {
		t.Errorf("%s %v", on(), err)
	}
	d.Clock.Move(time.Minute)
	d.Hear("corvane", desktest.Said("a", "Which bank?", d.Clock.Now()))
	if on() != "requester" { // the move was ours already
		t.Errorf("%s", on())
	}
	if err := move(deadline.Theirs, "", ""); err != nil || on() != "vendor" {
		t.Errorf("%s %v", on(), err)
	}
	d.Clock.Move(time.Minute)
	other := desktest.Said("b", "I took over.", d.Clock.Now())
	other.Author = "Mira Kvist"
	d.Hear("corvane", other)
	if on() != "us" {
		t.Errorf("%s", on())
	}
	var names []string
	for _, c := range d.View(id).Contacts {
		names = append(names, c.Name)
	}
	if !slices.Equal(names, []string{"Mira Kvist", "Teo Brannigan"}) || !d.Row(id).VendorContactAt.Equal(other.At) {
		t.Errorf("who had it: %v since %v", names, d.Row(id).VendorContactAt)
	}
	for field, err := range map[string]error{"move": move("", "", ""), "on": move(deadline.Ours, casework.OnCarrier, "x"),
		"on_name": move("", casework.OnPerson, " ")} {
		if !slices.Equal(desktest.Fields(err), []string{field}) {
			t.Errorf("%s: %v", field, err)
		}
	}
	d.Agrees()
}

// Where it stands heads a case, with who wrote it, and goes with it to a colleague.
func TestWhereItStands(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	id := d.Filed("Gates say no")
	if _, err := d.Drafts.Summarize(t.Context(), d.As("Emil"), id, " They look at the log. "); err != nil {
		t.Fatal(err)
	}
	if c := d.Row(id); c.Summary != "They look at the log." || c.SummaryBy != "Emil Dahl" || c.SummaryAt == nil {
		t.Errorf("%q by %q at %v", c.Summary, c.SummaryBy, c.SummaryAt)
	}
	d.Clock.Move(time.Hour)
	if err := d.Step(id, cases.StepRequest{Step: casework.Give, Person: d.As("Emil").Email,
		Summary: "They come on Friday."}); err != nil {
		t.Fatal(err)
	}
	if c := d.Row(id); c.Summary != "They come on Friday." || c.SummaryBy != "Ragna Lie" || *c.OwnerID != d.As("Emil").ID {
		t.Errorf("%q by %q, owner %d", c.Summary, c.SummaryBy, *c.OwnerID)
	}
	d.Agrees()
	if _, err := d.Drafts.Summarize(t.Context(), d.As("Aksel"), id, "x"); err == nil {
		t.Error("an auditor wrote where it stands")
	}
}
