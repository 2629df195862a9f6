package mailing_test

import (
	"errors"
	"slices"
	"strings"
	"testing"
	"time"

	"roundhouse.example/internal/channel"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/desk/briefings"
	"roundhouse.example/internal/desk/desktest"
	"roundhouse.example/internal/desk/pages"
)

func (m *mailed) tell(b briefings.Briefing) error {
	_, err := m.Briefings.Tell(m.t.Context(), m.As("Ragna"), m.matter, b)
	return err
}

// briefing is the last one on the case.
func (m *mailed) briefing() pages.EntryView {
	m.t.Helper()
	list, _, err := m.Pages.Entries(m.t.Context(), m.As("Ragna"), m.matter, 0, 100)
	if err != nil {
		m.t.Fatal(err)
	}
	for _, e := range slices.Backward(list) {
		if e.Kind == casework.Briefing {
			return e
		}
	}
	m.t.Fatal("the case has no briefing")
	return pages.EntryView{}
}

// Each address gets one email with the text as it was read, also where the server is away at first; the case keeps who
// was told, and how the emails stand. A note is in none of it.
func TestABriefing(t *testing.T) {
	t.Parallel()
	m := begin(t)
	if _, err := m.Cases.AddNote(t.Context(), m.As("Ragna"), m.matter, "They are useless."); err != nil {
		t.Fatal(err)
	}
	if _, err := m.Drafts.Summarize(t.Context(), m.As("Ragna"), m.matter, "We wait for a fix."); err != nil {
		t.Fatal(err)
	}
	draft, err := m.Briefings.Draft(t.Context(), m.As("Ragna"), m.matter)
	if err != nil {
		t.Fatal(err)
	}
	for _, part := range []string{"C-1001 Gates say no\nAs of Mon 23 November 2026, ", "Vendor: Corvane Cloud (" +
		desktest.First + ")", "State: Open, waiting on the vendor since ", "We wait for a fix.",
		"Next: first response by the vendor, due ", "Ragna Lie, Saltmarsh Ferries"} {
		if !strings.Contains(draft, part) {
			t.Errorf("the draft lacks %q:\n%s", part, draft)
		}
	}
	if strings.Contains(draft, "useless") {
		t.Errorf("a note is in the draft:\n%s", draft)
	}
	m.fails = &channel.NotSent{Why: "connection refused"}
	if err := m.tell(briefings.Briefing{Text: draft, To: []string{"board@saltmarsh.example", " pier@saltmarsh.example",
		"Board@saltmarsh.example"}}); err != nil {
		t.Fatal(err)
	}
	if got := m.run(0); len(got) != 0 {
		t.Fatalf("%+v", got)
	}
	if e := m.briefing(); e.Emails == nil || e.Emails.Of != 2 || e.Emails.Sent != 0 || e.Emails.Lost != 0 {
		t.Errorf("while the server is away: %+v", e.Emails)
	}
	m.fails = nil
	got := m.run(time.Hour)
	var to []string
	for _, l := range got {
		if to = append(to, l.To...); l.Text != draft || l.Subject != "C-1001 Gates say no" {
			t.Errorf("sent: %s\n%s", l.Subject, l.Text)
		}
	}
	if slices.Sort(to); !slices.Equal(to, []string{"board@saltmarsh.example", "pier@saltmarsh.example"}) {
		t.Errorf("sent to %v", to)
	}
	e := m.briefing()
	if e.Emails.Sent != 2 || !slices.Equal(e.Effect.V.Sets.Briefed.To, []string{"board@saltmarsh.example",
		"pier@saltmarsh.example"}) || e.AuthorName != "Ragna Lie" {
		t.Errorf("on the case: %+v, %+v", e.Emails, e.Effect.V.Sets.Briefed)
	}
	if got := m.run(24 * time.Hour); len(got) != 0 {
		t.Errorf("sent again: %+v", got)
	}
	m.fails = &channel.Refused{Why: "550 no such mailbox"}
	if err := m.tell(briefings.Briefing{Text: "Still open.", To: []string{"nobody@saltmarsh.example"}}); err != nil {
		t.Fatal(err)
	}
	m.run(time.Minute)
	if e := m.briefing(); e.Emails.Lost != 1 || e.Emails.Problem != "550 no such mailbox" {
		t.Errorf("a definite no: %+v", e.Emails)
	}
	m.Agrees()
}

// What was told another way is kept without an email; what is wrong is said by place, and a secret is stopped.
func TestABriefingThatIsNotSent(t *testing.T) {
	t.Parallel()
	m := begin(t)
	err := m.tell(briefings.Briefing{Text: "Still open.", To: []string{"The morning meeting"}, Copied: true})
	if err != nil {
		t.Fatal(err)
	}
	if got := m.run(time.Hour); len(got) != 0 {
		t.Errorf("emailed: %+v", got)
	}
	if e := m.briefing(); e.Emails != nil || !e.Effect.V.Sets.Briefed.Copied {
		t.Errorf("on the case: %+v", e)
	}
	last := m.Row(m.matter).LastEntry
	for what, x := range map[string]struct {
		b     briefings.Briefing
		field string
	}{
		"nobody":          {briefings.Briefing{Text: "A"}, "to"},
		"no text":         {briefings.Briefing{Text: " ", To: []string{"a@b.example"}}, "text"},
		"no address":      {briefings.Briefing{Text: "A", To: []string{"a@b.example", "The board"}}, "to[1]"},
		"another header":  {briefings.Briefing{Text: "A", To: []string{"a@b.example\r\nBcc: c@d.example"}}, "to[0]"},
		"a name and more": {briefings.Briefing{Text: "A", To: []string{"Board <a@b.example>"}}, "to[0]"},
		"too long":        {briefings.Briefing{Text: strings.Repeat("a", 20001), To: []string{"a@b.example"}}, "text"},
	} {
		if err := m.tell(x.b); !slices.Contains(desktest.Fields(err), x.field) {
			t.Errorf("%s: %v", what, err)
		}
	}
	if err := m.tell(briefings.Briefing{Text: "password=Tr0ub4dor-and-3", To: []string{"a@b.example"}}); err == nil {
		t.Error("a password leaves")
	}
	tuva := m.As("Tuva")
	_, version, err := m.Hours.Policy(t.Context(), tuva)
	if err == nil {
		err = m.Hours.ChangePolicy(t.Context(), tuva, version, []byte(`{"email_link": ""}`))
	}
	if err != nil {
		t.Fatal(err)
	}
	no := new(casework.Refusal)
	if err := m.tell(briefings.Briefing{Text: "A", To: []string{"a@b.example"}}); !errors.As(err, &no) {
		t.Errorf("without an email link: %v", err)
	}
	if now := m.Row(m.matter).LastEntry; now != last {
		t.Errorf("the record has %d entries, %d before", now, last)
	}
}
