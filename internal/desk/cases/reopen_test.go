package cases_test

import (
	"errors"
	"strings"
	"testing"
	"time"

	"roundhouse.example/internal/channel"
	"roundhouse.example/internal/core/attention"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/desktest"
	"roundhouse.example/internal/desk/drafts"
	"roundhouse.example/internal/desk/outbox"
	"roundhouse.example/internal/desk/today"
)

// resolved is a case that we have resolved, with the vendor's limit for reopening.
func resolved(t *testing.T, vendor string) (*desktest.Desk, int64) {
	t.Helper()
	d := desktest.New(t)
	d.Change("corvane", vendor)
	id := d.Filed("Gates say no")
	if err := d.Step(id, cases.StepRequest{Step: casework.Resolve, Reason: "It went away"}); err != nil {
		t.Fatal(err)
	}
	d.Sweep()
	return d, id
}

var again = cases.StepRequest{Step: casework.Reopen, Reason: "It is back"}

// To the second of its limit the vendor reopens a case; after that it says so, offers a new case that refers to the old
// one, and asks all the same where a person says so.
func TestTheLimitOfReopening(t *testing.T) {
	t.Parallel()
	d, id := resolved(t, `{"reopens_within_days": 14}`)
	until := d.Clock.Now().Truncate(time.Second).Add(14 * 24 * time.Hour)
	if v := d.View(id); v.ReopenUntil == nil || !v.ReopenUntil.Equal(until) {
		t.Fatalf("it can be reopened until %v, not %s", v.ReopenUntil, until)
	}
	d.Clock.Move(until.Sub(d.Clock.Now()) + time.Second)
	past := new(desk.PastLimit)
	if err := d.Step(id, again); !errors.As(err, &past) || !strings.Contains(err.Error(),
		"Corvane Cloud reopens a case within 14 days of its end") || !strings.Contains(err.Error(), past.Case) {
		t.Fatalf("a second later: %v", err)
	}
	ref, err := d.Drafts.Open(t.Context(), d.As("Ragna"), drafts.Draft{Follows: past.Case})
	if err != nil {
		t.Fatal(err)
	}
	v := d.View(ref.ID)
	if !strings.HasPrefix(v.Filing.Story.Texts.Happened, "This follows your case "+desktest.First+" (ours: "+past.Case+
		"), which ended on ") || v.Line.Title != "Gates say no" {
		t.Errorf("the new one says %q", v.Filing.Story.Texts.Happened)
	}
	if len(v.References) != 1 || v.References[0].Value != desktest.First || v.References[0].Role != casework.Former {
		t.Errorf("the new one is known as %+v", v.References)
	}
	anyway := again
	anyway.Anyway = true
	if err := d.Step(id, anyway); err != nil {
		t.Fatal(err)
	}
	d.Sweep()
	if c := d.Row(id); c.State != casework.Open || c.Reopenings != 1 || c.EndedAt != nil {
		t.Errorf("asked anyway: %s, reopened %d times, ended %v", c.State, c.Reopenings, c.EndedAt)
	}
	if _, err := d.Drafts.Open(t.Context(), d.As("Ragna"), drafts.Draft{Follows: past.Case}); err == nil ||
		!strings.Contains(err.Error(), "has not ended") {
		t.Errorf("following one that is open: %v", err)
	}
	d.Agrees()
}

// At the last second it is still reopened, by the channel that the vendor takes it by; a refusal is told by a person,
// counted, and stands on Today until somebody decides.
func TestAReopeningThatIsRefused(t *testing.T) {
	t.Parallel()
	d, id := resolved(t, `{"reopens_within_days": 14, "reopens_by": ["phone"],
		"ways": [{"channel": "phone", "address": "+44 1632 960 110"}]}`)
	d.Clock.Move(14 * 24 * time.Hour)
	if err := d.Step(id, again); err != nil {
		t.Fatal(err)
	}
	open := d.View(id).Deliveries
	if len(open) != 1 || open[0].Channel != route.Phone || open[0].State != casework.SendingToSend {
		t.Fatalf("it goes by %+v", open)
	}
	decide := func(dec outbox.Decision) error {
		_, err := d.Outbox.Decide(t.Context(), d.As("Ragna"), id, open[0].ID, dec)
		return err
	}
	if err := decide(outbox.Decision{What: outbox.Refused}); len(desktest.Fields(err)) != 1 {
		t.Errorf("refused without a word: %v", err)
	}
	if err := decide(outbox.Decision{What: outbox.Refused, Reason: "Their system has locked it."}); err != nil {
		t.Fatal(err)
	}
	v := d.View(id)
	if v.Line.State != casework.Resolved || v.Line.ReopenRefused != 1 || v.Next == nil ||
		v.Next.Step != attention.Decide || v.Next.Why() != "Could not be delivered: Their system has locked it." {
		t.Errorf("refused: %s, %d times; next %+v", v.Line.State, v.Line.ReopenRefused, v.Next)
	}
	lines, err := d.Today.Next(t.Context(), d.As("Ragna"), today.Filter{Limit: 10})
	if err != nil || len(lines.Lines) != 1 {
		t.Errorf("Today has %+v, %v", lines.Lines, err)
	}
	if err := decide(outbox.Decision{What: outbox.DontSend}); err != nil {
		t.Fatal(err)
	}
	d.Agrees()
}

// A vendor's system that refuses a reopening is counted the same; what is no reopening cannot be refused by a word.
func TestALinkRefusesAReopening(t *testing.T) {
	t.Parallel()
	d, id := resolved(t, `{}`)
	if v := d.View(id); v.ReopenUntil == nil == (v.Filing.Vendor.Profile.V.ReopensWithinDays > 0) {
		t.Errorf("until %v", v.ReopenUntil)
	}
	d.Vendor.Fails(&channel.Refused{Why: "locked"})
	if err := d.Step(id, again); err != nil {
		t.Fatal(err)
	}
	d.Sweep()
	d.Vendor.Fails(nil)
	if c := d.Row(id); c.ReopenRefused != 1 || c.State != casework.Resolved {
		t.Errorf("%s, refused %d times", c.State, c.ReopenRefused)
	}
	d.Agrees()
}
