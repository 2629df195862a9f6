package notify_test

import (
	"fmt"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/notify"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/desktest"
	desknotify "roundhouse.example/internal/desk/notify"
	"roundhouse.example/internal/desk/watch"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

// desk is one that has looked for what is due just now.
func desk(t *testing.T) *told {
	d := &told{desktest.New(t), t}
	d.sweep()
	return d
}

type told struct {
	*desktest.Desk
	t *testing.T
}

func (d *told) sweep() int {
	d.t.Helper()
	n, err := d.Notify.Sweep(d.t.Context())
	if err != nil {
		d.t.Fatal(err)
	}
	return n
}

func (d *told) list(who string) []desknotify.Row {
	d.t.Helper()
	l, err := d.Notify.List(d.t.Context(), d.As(who), false, 0, 200)
	if err != nil {
		d.t.Fatal(err)
	}
	return l.Items
}

// of are what somebody was told, the oldest first, as "kind because".
func (d *told) of(who string) (out []string) {
	d.t.Helper()
	for _, r := range d.list(who) {
		out = append(out, fmt.Sprint(r.Kind, " ", r.Because))
	}
	slices.Reverse(out)
	return out
}

func (d *told) is(who string, want ...string) {
	d.t.Helper()
	if got := d.of(who); !slices.Equal(got, want) {
		d.t.Errorf("%s was told %q, want %q", who, got, want)
	}
}

func (d *told) first(id int64, kind string) casesdb.Deadline {
	d.t.Helper()
	rows, err := casesdb.Deadlines(d.t.Context(), d.Store.DB, id)
	if err != nil {
		d.t.Fatal(err)
	}
	for _, r := range rows {
		if r.Kind == kind && r.Outcome == "live" {
			return r
		}
	}
	d.t.Fatalf("there is no live %s in %+v", kind, rows)
	return casesdb.Deadline{}
}

func (d *told) goTo(at time.Time) { d.Clock.Move(at.Sub(d.Clock.Now())) }

// Before it is due, when it is due, and when nobody has reacted: each once, whatever the clock does meanwhile.
func TestWhatComesDueIsToldOnce(t *testing.T) {
	t.Parallel()
	d := desk(t)
	id := d.Filed("Gates say no")
	clock := d.first(id, "first-response")
	d.sweep()
	d.is("Ragna")
	d.goTo(clock.SoonAt.Add(time.Second))
	d.sweep()
	d.sweep()
	d.is("Ragna", "due-soon owner")
	d.is("Solveig")
	d.goTo(*clock.DueAt)
	d.sweep()
	d.Clock.Move(-time.Hour)
	d.sweep()
	d.Clock.Move(2 * time.Hour)
	d.sweep()
	d.is("Ragna", "due-soon owner", "due owner")
	d.Clock.Move(14 * 24 * time.Hour)
	d.sweep()
	d.sweep()
	got := d.of("Ragna")
	if n := strings.Count(strings.Join(got, ","), "still-late owner"); n != 1 {
		t.Errorf("the owner was told %q", got)
	}
	if lead := d.of("Solveig"); len(lead) != 1 || lead[0] != "still-late unanswered" {
		t.Errorf("the lead was told %q", lead)
	}
}

// A service that was down over a deadline tells it late, once, and says so; what came soon meanwhile is not told.
func TestToldLateAfterAnOutage(t *testing.T) {
	t.Parallel()
	d := desk(t)
	id := d.Filed("Gates say no")
	clock := d.first(id, "first-response")
	d.goTo(clock.DueAt.Add(3 * time.Hour))
	d.sweep()
	rows := d.list("Ragna")
	var first *desknotify.Row
	for i, r := range rows {
		if r.Kind == notify.Due && r.What == "First response" {
			first = &rows[i]
		}
		if r.Kind == notify.Soon && r.What == "First response" {
			t.Error("told that it comes soon after it was due")
		}
	}
	if first == nil || desknotify.ToldLate(first.Event) != 3*time.Hour || !first.HappenedAt.Equal(*clock.DueAt) {
		t.Errorf("%+v", rows)
	}
}

// What came due just when its owner does something else is told to the owner too, and once.
func TestWhatComesDueWhileTheOwnerActs(t *testing.T) {
	t.Parallel()
	d := desk(t)
	id := d.Filed("Gates say no")
	d.goTo(d.first(id, "first-response").DueAt.Add(time.Second))
	if _, err := d.Cases.AddNote(t.Context(), d.As("Ragna"), id, "I look."); err != nil {
		t.Fatal(err)
	}
	d.sweep()
	told := 0
	for _, r := range d.list("Ragna") {
		if r.Kind == notify.Due && r.What == "First response" {
			told++
		}
	}
	if told != 1 {
		t.Errorf("the owner was told %d times that it is due", told)
	}
}

// Whoever reacts in time keeps it from the lead.
func TestAReactionIsEnough(t *testing.T) {
	t.Parallel()
	d := desk(t)
	id := d.Filed("Gates say no")
	clock := d.first(id, "first-response")
	d.goTo(clock.DueAt.Add(time.Second))
	d.sweep()
	d.Clock.Move(time.Minute)
	if _, err := d.Cases.AddNote(t.Context(), d.As("Emil"), id, "I call them."); err != nil {
		t.Fatal(err)
	}
	d.Clock.Move(14 * 24 * time.Hour)
	d.sweep()
	for _, r := range d.list("Solveig") {
		if r.What == "First response" {
			t.Errorf("the lead was told: %+v", r)
		}
	}
}

// The vendor's word reaches the owner and who watches, once each; opening the case marks it read, and unread it reaches
// the lead.
func TestTheVendorsWord(t *testing.T) {
	t.Parallel()
	d := desk(t)
	id := d.Filed("Gates say no")
	for who, w := range map[string]watch.What{"Emil": {Case: casework.Name(d.Row(id).Number)},
		"Aksel": {Vendor: "corvane"},
		"Tuva":  {Severity: *d.Row(id).Severity}} {
		if _, err := d.Watches.Start(t.Context(), d.As(who), w, d.Pages.Find); err != nil {
			t.Fatal(err)
		}
	}
	receipt := desktest.Said("r", "We have got it.", d.Clock.Now())
	receipt.Automatic = true
	d.Hear("corvane", receipt)
	d.is("Ragna")
	d.Clock.Move(time.Minute)
	d.Hear("corvane", desktest.Said("a", "Which bank?\nAnd since when?", d.Clock.Now()))
	d.Hear("corvane", desktest.Said("a", "Which bank?\nAnd since when?", d.Clock.Now()))
	for _, who := range []string{"Emil", "Aksel", "Tuva"} {
		d.is(who, "message watching")
	}
	d.is("Ragna", "message owner")
	if r := d.list("Ragna")[0]; r.What != "Which bank?" || r.ReadAt != nil || r.Entry != d.Row(id).LastEntry {
		t.Errorf("%+v", r)
	}
	if err := d.Seen.Mark(t.Context(), d.As("Aksel"), id, d.Row(id).LastEntry); err != nil {
		t.Fatal(err)
	}
	if d.list("Aksel")[0].ReadAt == nil || d.list("Ragna")[0].ReadAt != nil {
		t.Error("opening a case reads another's notifications, or not one's own")
	}
	d.Clock.Move(14 * 24 * time.Hour)
	d.sweep()
	if got := d.of("Solveig"); !slices.Contains(got, "unread unanswered") {
		t.Errorf("the lead was told %q", got)
	}
}

// Hands, mentions, and that nobody is told of what they did themselves.
func TestHandsAndMentions(t *testing.T) {
	t.Parallel()
	d := desk(t)
	id := d.Filed("Gates say no")
	if err := d.Step(id, cases.StepRequest{Step: casework.Give, Person: d.As("Emil").Email}); err != nil {
		t.Fatal(err)
	}
	d.is("Emil", "hands owner")
	d.is("Ragna")
	if _, err := d.Cases.AddNote(t.Context(), d.As("Emil"), id,
		"@Ragna Lie, do you know the log? Not @Emil."); err != nil {
		t.Fatal(err)
	}
	d.is("Ragna", "mention mentioned")
	d.is("Emil", "hands owner")
	d.Clock.Move(time.Minute)
	d.Hear("corvane", desktest.Said("a", "Which bank?", d.Clock.Now()))
	d.Clock.Move(time.Minute)
	other := desktest.Said("b", "I took over.", d.Clock.Now())
	other.Author = "Mira Kvist"
	d.Hear("corvane", other)
	d.is("Emil", "hands owner", "message owner", "hands owner", "message owner")
	if r := d.list("Emil")[1]; r.What != "Mira Kvist handles it at the vendor now, in place of Teo Brannigan" {
		t.Errorf("%q", r.What)
	}
}

// What was chosen is kept to: off, only here, no email in quiet hours.
func TestWhatAPersonChose(t *testing.T) {
	t.Parallel()
	d := desk(t)
	ragna := d.As("Ragna")
	v, err := d.Notify.Settings(t.Context(), ragna)
	if err != nil || v.Ways[notify.Message] != notify.Email || v.Version != 0 || v.Zone == "" {
		t.Fatalf("%+v %v", v, err)
	}
	v, err = d.Notify.Choose(t.Context(), ragna, 0, []byte(`{"ways": {"message": "off", "hands": "console"},
		"quiet_from": "22:00", "quiet_to": "07:00", "digest_at": "07:30"}`))
	if err != nil || v.Version != 1 || v.NextDigest == nil || v.Ways[notify.Message] != notify.Off ||
		v.Ways[notify.Due] != notify.Email {
		t.Fatalf("%+v %v", v, err)
	}
	if _, err := d.Notify.Choose(t.Context(), ragna, 0, []byte(`{"digest_at": ""}`)); err == nil {
		t.Error("what somebody else had changed was overwritten")
	}
	for field, patch := range map[string]string{"ways.message": `{"ways": {"message": "pigeon"}}`,
		"quiet_from": `{"quiet_to": ""}`, "digest_at": `{"digest_at": "noon"}`} {
		_, err := d.Notify.Choose(t.Context(), ragna, 1, []byte(patch))
		if !slices.Equal(desktest.Fields(err), []string{field}) {
			t.Errorf("%s: %v", patch, err)
		}
	}
	id := d.Filed("Gates say no")
	d.Hear("corvane", desktest.Said("a", "Which bank?", d.Clock.Now()))
	d.is("Ragna")
	if err := d.Step(id, cases.StepRequest{Step: casework.Give, Person: d.As("Emil").Email}); err != nil {
		t.Fatal(err)
	}
	d.is("Emil", "hands owner")
}

// Two services that look at once, and changes meanwhile, tell nothing twice and miss nothing.
func TestSeveralTellNothingTwice(t *testing.T) {
	t.Parallel()
	d := desk(t)
	ids := []int64{d.Filed("Gates say no")}
	for i := range 7 {
		id := d.Draft(fmt.Sprint("Another one, ", i))
		if err := d.Step(id, cases.StepRequest{Step: casework.File}); err != nil {
			t.Fatal(err)
		}
		d.Sweep()
		ids = append(ids, id)
	}
	due := d.first(ids[len(ids)-1], "first-response").DueAt
	d.goTo(due.Add(time.Second))
	var all sync.WaitGroup
	for range 4 {
		all.Go(func() {
			for range 3 {
				if _, err := d.Notify.Sweep(t.Context()); err != nil {
					t.Error(err)
				}
			}
		})
	}
	all.Go(func() {
		for _, id := range ids {
			if _, err := d.Cases.AddNote(t.Context(), d.As("Emil"), id, "I look."); err != nil {
				t.Error(err)
			}
		}
	})
	all.Wait()
	d.sweep()
	times := map[int64]int{}
	for _, r := range d.list("Ragna") {
		if r.Kind == notify.Due && r.What == "First response" {
			times[r.CaseID]++
		}
	}
	for _, id := range ids {
		if times[id] != 1 {
			t.Errorf("case %d was told %d times", id, times[id])
		}
	}
}
