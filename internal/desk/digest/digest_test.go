package digest_test

import (
	"slices"
	"testing"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/dated"
	"roundhouse.example/internal/desk/briefings"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/dates"
	"roundhouse.example/internal/desk/desktest"
	"roundhouse.example/internal/desk/digest"
	"roundhouse.example/internal/desk/escalations"
	"roundhouse.example/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

// A digest has what was recorded since an instant and nothing of before, what is late, what is due until the next noon,
// and who has what.
func TestTheDigest(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	of := func(since time.Time) digest.Digest {
		t.Helper()
		x, err := d.Digests.Of(t.Context(), d.As("Ragna"), since)
		must(err)
		return x
	}
	quiet, loud := d.Filed("Quiet"), d.Filed("Loud")
	before := d.Clock.Now()
	for id, in := range map[int64]time.Duration{quiet: time.Hour, loud: 26 * time.Hour} {
		_, err := d.Dates.Set(t.Context(), d.As("Ragna"), id, dates.Setting{Kind: dated.Promise, Words: "A patch",
			Due: dates.Due{At: new(before.Add(in))}})
		must(err)
	}
	d.Clock.Move(2 * time.Hour)
	since := d.Clock.Now()
	d.Clock.Move(time.Minute)
	said := desktest.Said("a", "Which bank?", d.Clock.Now())
	said.Ticket = "CV-30002"
	d.Hear("corvane", said)
	_, err := d.Cases.AddNote(t.Context(), d.As("Emil"), loud, "Ask first.")
	must(err)
	must(d.Step(loud, cases.StepRequest{Step: casework.Give, Person: d.As("Emil").Email}))
	x := of(since)
	if len(x.Happened) != 1 || x.Happened[0].CaseID != loud || x.Happened[0].Heard != 1 || x.Happened[0].Notes != 1 ||
		x.Happened[0].Filed || !x.Happened[0].Handed || x.Happened[0].Ended {
		t.Errorf("since then: %+v", x.Happened)
	}
	d.Clock.Move(time.Minute)
	since = d.Clock.Now()
	d.Change("corvane", `{"ladder": [{"role": "Shift lead", "how": "by phone"}, {"role": "Manager", "how": "by phone"}]}`)
	for rung := 1; rung <= 2; rung++ {
		_, err = d.Escalations.Raise(t.Context(), d.As("Ragna"), quiet, escalations.Raising{Rung: rung, Why: "It is quiet.",
			Text: "Please look.", Told: &escalations.Told{At: d.Clock.Now()}})
		must(err)
	}
	must(d.Step(quiet, cases.StepRequest{Step: casework.ChangeSeverity, To: 2, Reason: "More are hit"}))
	_, err = d.Briefings.Tell(t.Context(), d.As("Ragna"), quiet, briefings.Briefing{Text: "It is quiet.",
		To: []string{"The board"}, Copied: true})
	must(err)
	if x := of(since); len(x.Happened) != 1 || !slices.Equal(digest.News(x.Happened[0]),
		[]string{"severity changed", "escalated to rung 2", "1 briefing"}) {
		t.Errorf("after it was escalated: %+v", x.Happened)
	}
	if news := digest.News(digest.Happened{Handed: true, Ended: true, State: "withdrawn"}); !slices.Equal(news,
		[]string{"handed over", "withdrawn"}) {
		t.Errorf("in words: %q", news)
	}
	if len(x.Late) != 1 || x.Late[0].What != "Promise: A patch" || x.Late[0].Vendor != "Corvane Cloud" {
		t.Errorf("late: %+v", x.Late)
	}
	// The next noon of our desk is at 11:00 UTC; what is due an hour later is not in it.
	if want := time.Date(2026, 11, 24, 11, 0, 0, 0, time.UTC); !x.Until.Equal(want) {
		t.Errorf("until %s, want %s", x.Until, want)
	}
	for _, m := range x.Due {
		if !m.At.Before(x.Until) {
			t.Errorf("due after the next noon: %+v", m)
		}
	}
	names := map[string]digest.Held{}
	for _, h := range x.Held {
		names[h.Name] = h
	}
	if len(names) != 2 || names["Emil Dahl"].Live != 1 || names["Emil Dahl"].OnUs != 1 || names["Ragna Lie"].Late != 1 {
		t.Errorf("who has what: %+v", x.Held)
	}
	all := of(time.Time{})
	if len(all.Happened) != 2 || !all.Happened[0].Filed || !all.Since.Equal(d.Clock.Now().Add(-24*time.Hour)) {
		t.Errorf("in a day: %+v since %s", all.Happened, all.Since)
	}
	for _, bad := range []time.Time{d.Clock.Now().Add(time.Hour), d.Clock.Now().AddDate(0, -2, 0)} {
		if _, err := d.Digests.Of(t.Context(), d.As("Ragna"), bad); !slices.Equal(desktest.Fields(err), []string{"since"}) {
			t.Errorf("since %s: %v", bad, err)
		}
	}
}
