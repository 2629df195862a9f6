package escalations_test

import (
	"errors"
	"slices"
	"strings"
	"testing"
	"time"

	"roundhouse.example/internal/core/attention"
	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/dated"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/escalation"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/dates"
	"roundhouse.example/internal/desk/desktest"
	"roundhouse.example/internal/desk/escalations"
	"roundhouse.example/internal/desk/filing"
	"roundhouse.example/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

type tester struct {
	*desktest.Desk
	t *testing.T
}

// ladder is what the tests go by: the first rung for lateness, the second for age, the third for a person only.
const ladder = `{"ladder": [
	{"role": "Shift lead", "how": "+44 1632 960 111", "told": "since when", "reply": "1h", "late_by": "30m"},
	{"role": "Manager", "name": "Runa Haldis", "how": "by letter", "reply": "2h", "open_longer": "4000h"},
	{"role": "Owner", "how": "in person"}]}`

func begin(t *testing.T) (tester, int64) {
	t.Helper()
	d := tester{desktest.New(t), t}
	d.Change("corvane", ladder)
	return d, d.Filed("Gates say no")
}

func (d tester) raise(id int64, r escalations.Raising) error {
	_, err := d.Escalations.Raise(d.t.Context(), d.As("Ragna"), id, r)
	return err
}

// now is that a person has told a rung just now.
func (d tester) now() *escalations.Told { return &escalations.Told{At: d.Clock.Now()} }

func (d tester) must(err error) {
	d.t.Helper()
	if err != nil {
		d.t.Fatal(err)
	}
}

// late moves on to where the vendor is late enough for the first rung, and has the case looked at.
func (d tester) late(id int64) {
	d.t.Helper()
	due := time.Unix(d.View(id).Deadlines[0].Due, 0)
	d.Clock.Move(due.Sub(d.Clock.Now()) + 30*time.Minute)
	d.look(id)
}

// look has a case looked at, as the sweep does.
func (d tester) look(id int64) {
	d.t.Helper()
	if _, err := d.Waking.Due(d.t.Context()); err != nil {
		d.t.Fatal(err)
	}
	d.Agrees()
}

// rungs says of each raised rung how its answer stands.
func (d tester) rungs(id int64) string {
	d.t.Helper()
	l, err := d.Escalations.Ladder(d.t.Context(), d.As("Ragna"), id, 0)
	d.must(err)
	var out []string
	for _, r := range l.Rungs {
		for _, x := range r.Raised {
			word := r.Called() + " " + string('0'+rune(r.Number))
			if x.Answer != nil {
				word += " " + string(x.Answer.Standing)
			}
			if x.Earlier {
				word += " before"
			}
			out = append(out, word)
		}
	}
	return strings.Join(out, "; ")
}

func (d tester) entries(id int64) string {
	d.t.Helper()
	list, _, err := d.Pages.Entries(d.t.Context(), d.As("Ragna"), id, 0, 100)
	d.must(err)
	var b strings.Builder
	for _, e := range list {
		b.WriteString(e.Body + "\n")
	}
	return b.String()
}

// From the first warning to the third rung and back: each rung counts from when it was told, in the vendor's hours; a
// higher one ends the wait for the lower; what was answered and promised stands.
func TestUpTheLadder(t *testing.T) {
	t.Parallel()
	d, id := begin(t)
	d.late(id)
	l, err := d.Escalations.Ladder(t.Context(), d.As("Ragna"), id, 0)
	d.must(err)
	if l.Draft == nil || l.Draft.Rung != 1 || l.Draft.Because == "" || l.Draft.By == nil || l.Draft.By.Sub(d.Clock.Now()).
		Round(time.Minute) != time.Hour {
		t.Fatalf("the draft is %+v", l.Draft)
	}
	if next := d.View(id).Next; next.Step != attention.Raise || !strings.HasPrefix(next.Why(),
		"Escalate to Shift lead: the vendor is late by ") {
		t.Errorf("what is next: %s: %s", next.Step, next.Why())
	}
	d.must(d.raise(id, escalations.Raising{Rung: 1, Text: l.Draft.Text,
		Told: d.now()}))
	if got := d.rungs(id); got != "Shift lead 1 running" {
		t.Errorf("the first: %s", got)
	}
	if v := d.View(id); v.Advice != nil || *v.Line.Move != deadline.Theirs {
		t.Errorf("while its answer is awaited: %+v, waiting on %s", v.Advice, *v.Line.Move)
	}
	d.Clock.Move(time.Hour)
	d.look(id)
	if v := d.View(id); v.Advice != nil {
		t.Errorf("at the very end of its time: %+v", v.Advice)
	}
	d.Clock.Move(time.Second)
	d.look(id)
	if v := d.View(id); v.Advice == nil || v.Advice.Number != 2 || v.Advice.Because != escalation.Unanswered {
		t.Fatalf("a second later: %+v", v.Advice)
	}
	l, err = d.Escalations.Ladder(t.Context(), d.As("Ragna"), id, 0)
	d.must(err)
	if !strings.Contains(l.Draft.Text, "We escalated this to Shift lead on ") ||
		!strings.Contains(l.Draft.Text, "None has come.") {
		t.Errorf("the second is told:\n%s", l.Draft.Text)
	}
	// By message: it counts from when it has left.
	d.must(d.raise(id, escalations.Raising{Rung: 2, Text: l.Draft.Text}))
	if got := d.rungs(id); got != "Shift lead 1 late" {
		t.Errorf("before the message has left: %s", got)
	}
	d.Clock.Move(10 * time.Minute)
	d.Sweep()
	if got := d.rungs(id); got != "Shift lead 1 missed; Manager Runa Haldis 2 running" {
		t.Errorf("after it has left: %s", got)
	}
	for _, x := range d.View(id).Dates {
		if x.Name == "rung-2" && x.DueAt.Sub(d.Clock.Now()).Round(time.Minute) != 2*time.Hour {
			t.Errorf("its answer is due %s at %s", x.DueAt, d.Clock.Now())
		}
	}
	d.must(d.raise(id, escalations.Raising{Rung: 3, Why: "It stops the ferry", Text: "The ferry waits.",
		Told: &escalations.Told{Who: "Jo Tarn", At: d.Clock.Now(), Answer: "An engineer comes.",
			Dates: []dates.Setting{{Kind: dated.Promise, Words: "An engineer", Due: dates.Due{At: new(d.Clock.Now().
				Add(3 * time.Hour))}}}}}))
	if got := d.rungs(id); got != "Shift lead 1 missed; Manager Runa Haldis 2 void; Owner 3" {
		t.Errorf("the third: %s", got)
	}
	if v := d.View(id); v.Advice != nil || *v.Line.Move != deadline.Theirs {
		t.Errorf("beyond the end of the ladder: %+v, waiting on %s", v.Advice, *v.Line.Move)
	}
	for _, want := range []string{
		"Escalated to Shift lead (rung 1 of 3). Reason: the vendor is late by 30 minutes or more\nAnswer due ",
		"Passed up to rung 2: no answer from Shift lead is expected any more.",
		"Passed up to rung 3: no answer from Manager Runa Haldis is expected",
		"Escalated to Owner (rung 3 of 3). Reason: It stops the ferry\n", "To Jo Tarn, by phone:\nThe ferry waits.",
		"An engineer comes."} {
		if !strings.Contains(d.entries(id), want) {
			t.Errorf("the record has no %q in\n%s", want, d.entries(id))
		}
	}
	d.Agrees()
}

// A rung keeps who it was when it was raised, whatever becomes of the ladder; a reopened case begins at the bottom.
func TestTheLadderOfThatDay(t *testing.T) {
	t.Parallel()
	d, id := begin(t)
	d.must(d.raise(id, escalations.Raising{Rung: 2, Why: "Now", Text: "Please.", Told: d.now()}))
	d.Change("corvane", `{"ladder": [{"role": "Anybody", "how": "+44 1632 960 119", "reply": "10m"}]}`)
	l, err := d.Escalations.Ladder(t.Context(), d.As("Ragna"), id, 0)
	d.must(err)
	if len(l.Rungs) != 1 || l.Draft.Rung != 1 {
		t.Errorf("today's ladder is %+v", l)
	}
	if got := d.View(id).Dates[0]; got.Words != "Manager Runa Haldis" || got.Standing != deadline.Running {
		t.Errorf("what is awaited is %+v", got)
	}
	d.Clock.Move(3 * time.Hour)
	d.look(id)
	if v := d.View(id); v.Advice != nil {
		t.Errorf("beyond the end of the shorter ladder: %+v", v.Advice)
	}
	d.Change("corvane", ladder)
	d.look(id)
	if v := d.View(id); v.Advice == nil || v.Advice.Number != 3 {
		t.Errorf("with the longer one again: %+v", v.Advice)
	}
	d.must(d.Step(id, cases.StepRequest{Step: casework.Resolve, Reason: "It went away"}))
	d.Sweep()
	d.must(d.Step(id, cases.StepRequest{Step: casework.Reopen, Reason: "It came back"}))
	d.Sweep()
	if got := d.rungs(id); got != "Manager Runa Haldis 2 missed before" {
		t.Errorf("after the reopening: %s", got)
	}
	if c := d.Row(id); c.Raised != 0 {
		t.Errorf("rung %d counts as raised", c.Raised)
	}
	d.Agrees()
}

// An answer keeps an escalation when a person says so; what looks automatic answers nothing.
func TestAnswered(t *testing.T) {
	t.Parallel()
	d, id := begin(t)
	d.Change("corvane", `{"automatic_pattern": "automatic message"}`)
	d.must(d.raise(id, escalations.Raising{Rung: 1, Why: "Now", Text: "Please.", Told: d.now()}))
	d.Clock.Move(time.Minute)
	d.Hear("corvane", desktest.Said("a", "This is an automatic message. The lead reads it.", d.Clock.Now()))
	last := d.View(id).Line.LastEntry
	end := func(entry int) error {
		_, err := d.Dates.End(t.Context(), d.As("Ragna"), id, "rung-1", dates.Ending{How: dates.Kept, Entry: entry})
		return err
	}
	if err := end(last); err == nil || !strings.Contains(err.Error(), "looks like an automatic message") {
		t.Errorf("answered by a receipt: %v", err)
	}
	if x := d.View(id).Dates[0]; x.Proposed != nil {
		t.Errorf("a receipt is proposed as the answer: %d", *x.Proposed)
	}
	d.Clock.Move(time.Minute)
	d.Hear("corvane", desktest.Said("b", "I have put two people on it.", d.Clock.Now()))
	x := d.View(id).Dates[0]
	if x.Proposed == nil {
		t.Fatal("the lead's own answer is not proposed")
	}
	d.must(end(*x.Proposed))
	if got := d.rungs(id); got != "Shift lead 1 met" {
		t.Errorf("answered: %s", got)
	}
	d.Agrees()
}

// What is refused says why, and nothing of it is done.
func TestNotEscalated(t *testing.T) {
	t.Parallel()
	d, id := begin(t)
	d.Change("corvane", `{"access": [{"person": "solveig@saltmarsh.example", "may": ["escalate"]}]}`)
	before := d.View(id).Line.LastEntry
	now := d.Clock.Now()
	told := func(x escalations.Told) escalations.Raising {
		return escalations.Raising{Rung: 1, Why: "Now", Text: "Please.", Told: &x}
	}
	for what, x := range map[string]struct {
		r     escalations.Raising
		field string
	}{
		"no text":          {escalations.Raising{Rung: 1, Why: "Now", Text: " "}, "text"},
		"no such rung":     {escalations.Raising{Rung: 4, Why: "Now", Text: "Please."}, "rung"},
		"not among those":  {escalations.Raising{Rung: 1, Text: "Please."}, "reason"},
		"in the future":    {told(escalations.Told{At: now.Add(time.Hour)}), "at"},
		"before the case":  {told(escalations.Told{At: now.AddDate(-1, 0, 0)}), "at"},
		"dates, no answer": {told(escalations.Told{At: now, Dates: make([]dates.Setting, 1)}), "answer"},
		"no such channel": {escalations.Raising{Rung: 1, Why: "N", Text: "P", By: filing.Wanted{Channel: "pigeon"}},
			"channel"},
	} {
		if err := d.raise(id, x.r); !slices.Contains(desktest.Fields(err), x.field) {
			t.Errorf("%s: %v", what, err)
		}
	}
	err := d.raise(id, escalations.Raising{Rung: 1, Text: "Please."})
	if !strings.Contains(err.Error(), "Ragna Lie is not among those who may escalate there; ask solveig@saltmarsh") {
		t.Errorf("who may: %v", err)
	}
	d.Change("corvane", `{"access": []}`)
	err = d.raise(id, escalations.Raising{Rung: 2, Text: "Please."})
	if !slices.Contains(desktest.Fields(err), "reason") {
		t.Errorf("without a reason, where nothing is advised: %v", err)
	}
	if now := d.View(id).Line.LastEntry; now != before {
		t.Errorf("the record has %d entries, %d before", now, before)
	}
	d.must(d.Step(id, cases.StepRequest{Step: casework.Withdraw, Reason: "Not needed"}))
	d.Sweep()
	refused := new(casework.Refusal)
	if err := d.raise(id, escalations.Raising{Rung: 1, Why: "Now", Text: "P"}); !errors.As(err, &refused) {
		t.Errorf("once it has ended: %v", err)
	}
	no := new(desk.Forbidden)
	_, err = d.Escalations.Raise(t.Context(), d.As("Aksel"), id, escalations.Raising{Rung: 1, Text: "P"})
	if !errors.As(err, &no) {
		t.Errorf("by an auditor: %v", err)
	}
}

// Each chase is counted until the vendor says something; its answer is asked for by the quiet limit, in the vendor's
// hours.
func TestChase(t *testing.T) {
	t.Parallel()
	d, id := begin(t)
	d.late(id)
	c, err := d.Escalations.Chase(t.Context(), d.As("Ragna"), id)
	d.must(err)
	if !strings.Contains(c.Text, "First response: due by ") ||
		!strings.Contains(c.Text, "We have not heard from you since") || c.Chases != 0 || c.By == nil ||
		!c.By.After(d.Clock.Now()) {
		t.Fatalf("drafted: %+v", c)
	}
	send := func() {
		t.Helper()
		_, err := d.Cases.Send(t.Context(), d.As("Ragna"), id, cases.Written{Text: c.Text, Chases: true,
			Dates: d.Dates.Along([]dates.Setting{{Kind: dated.Ask, Owed: deadline.Theirs, Words: c.Ask,
				Due: dates.Due{At: c.By}}}, nil)})
		d.must(err)
	}
	send()
	if got := d.Row(id).Chases; got != 0 {
		t.Errorf("before it has left it counts as %d", got)
	}
	d.Sweep()
	d.Clock.Move(time.Minute)
	send()
	d.Sweep()
	if c := d.Row(id); c.Chases != 2 || c.ChasedAt == nil {
		t.Errorf("chased %d times, the last at %v", c.Chases, c.ChasedAt)
	}
	if c, err = d.Escalations.Chase(t.Context(), d.As("Ragna"), id); err != nil || c.Chases != 2 ||
		strings.Contains(c.Text, "On ") {
		t.Errorf("the third asks for what the ones before asked: %+v, %v", c, err)
	}
	d.Clock.Move(time.Minute)
	d.Hear("corvane", desktest.Said("a", "We look at it.", d.Clock.Now()))
	if c := d.Row(id); c.Chases != 0 || c.ChasedAt != nil {
		t.Errorf("after its word: %d times, the last at %v", c.Chases, c.ChasedAt)
	}
	d.Agrees()
}

// A chase asks for its answer in the hours that the late clock counts in, whatever the vendor's hours are.
func TestAChaseCountsAsTheLateClockDoes(t *testing.T) {
	t.Parallel()
	d := tester{desktest.New(t), t}
	d.Change("corvane", `{"hours": "round-the-clock"}`)
	id := d.Filed("Gates say no") // at level 3, whose targets count in the office's hours
	d.late(id)
	c, err := d.Escalations.Chase(t.Context(), d.As("Ragna"), id)
	d.must(err)
	office := d.View(id).Deadlines[0].Clock.Term.Calendar.At(d.Clock.Now().Unix())
	want, err := office.DueTarget(d.Clock.Now().Unix(), calendar.Target{Business: true, Days: 3})
	d.must(err)
	if c.By == nil || c.By.Unix() != want || c.By.UTC().Hour() == 0 {
		t.Errorf("asked for by %v, not %v", c.By, time.Unix(want, 0).UTC())
	}
	d.Hear("corvane", desktest.Said("a", "We look at it.", d.Clock.Now()))
	d.must(d.Step(id, cases.StepRequest{Step: casework.MarkOffer, Offers: "fix", Entry: d.Row(id).LastEntry}))
	if c, err = d.Escalations.Chase(t.Context(), d.As("Ragna"), id); err != nil || c.By == nil || c.By.UTC().Hour() != 0 {
		t.Errorf("without a clock of the vendor's it is asked for by %v, %v", c.By, err)
	}
}
