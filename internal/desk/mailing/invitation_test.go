package mailing_test

import (
	"errors"
	"slices"
	"strings"
	"testing"
	"time"

	"roundhouse.example/internal/channel"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/dated"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/desk/dates"
	"roundhouse.example/internal/desk/desktest"
)

// invites puts invitations on their way and gives the letters that leave then, in order of their addresses.
func (m *mailed) invites(after time.Duration) []channel.Letter {
	m.t.Helper()
	m.Clock.Move(after)
	if err := m.Agenda.Invitations(m.t.Context()); err != nil {
		m.t.Fatal(err)
	}
	out := m.run(0)
	slices.SortFunc(out, func(a, b channel.Letter) int { return strings.Compare(a.To[0], b.To[0]) })
	return slices.DeleteFunc(out, func(l channel.Letter) bool { return l.Calendar == "" })
}

func (m *mailed) invite(item string, to ...string) error {
	_, err := m.Agenda.Invite(m.t.Context(), m.As("Ragna"), m.matter, item, to)
	return err
}

// sequence is the number of an invitation's version.
func sequence(t *testing.T, body string) string {
	t.Helper()
	_, after, ok := strings.Cut(body, "SEQUENCE:")
	if !ok {
		t.Fatalf("no sequence in\n%s", body)
	}
	n, _, _ := strings.Cut(after, "\r\n")
	return n
}

// Those who are invited to a call get it once, again when it moves, and a cancellation when it is dropped: the same
// event each time, with a higher number. A service that looks again and again tells nobody twice.
func TestAnInvitationFollowsItsCall(t *testing.T) {
	t.Parallel()
	m := begin(t)
	in := func(h time.Duration) dates.Due { return dates.Due{At: new(m.Clock.Now().Add(h))} }
	from := m.Clock.Now().Add(3 * time.Hour)
	if _, err := m.Dates.Set(t.Context(), m.As("Ragna"), m.matter, dates.Setting{Kind: dated.Callback,
		Owed: deadline.Theirs, Words: "They ring about the trace", Due: in(4 * time.Hour),
		Details: dates.Details{From: &from, Number: "+44 1632 960 012"}}); err != nil {
		t.Fatal(err)
	}
	if err := m.invite("1", "emil@saltmarsh.example", "Guest@harbour.example", "emil@saltmarsh.example"); err != nil {
		t.Fatal(err)
	}
	first := m.invites(time.Minute)
	if len(first) != 2 || first[0].Method != "REQUEST" || first[0].To[0] != "emil@saltmarsh.example" ||
		first[1].To[0] != "guest@harbour.example" || !strings.HasPrefix(first[0].Subject, "Invitation: Callback: They ring") {
		t.Fatalf("%+v", first)
	}
	for _, part := range []string{"METHOD:REQUEST", "UID:case-", "-item-0@", "ORGANIZER:mailto:desk@saltmarsh.example",
		"mailto:emil@saltmarsh.example"} {
		if !strings.Contains(strings.ReplaceAll(first[0].Calendar, "\r\n ", ""), part) {
			t.Errorf("the invitation lacks %s:\n%s", part, first[0].Calendar)
		}
	}
	if strings.Contains(first[0].Calendar, "guest@") {
		t.Error("one guest is told of another")
	}
	if got := m.invites(time.Hour); len(got) != 0 {
		t.Errorf("told again: %+v", got)
	}
	end := func(e dates.Ending) {
		t.Helper()
		if _, err := m.Dates.End(t.Context(), m.As("Ragna"), m.matter, "1", e); err != nil {
			t.Fatal(err)
		}
	}
	end(dates.Ending{How: dates.Moved, Text: "They are late", Due: in(9 * time.Hour)})
	moved := m.invites(time.Minute)
	if len(moved) != 2 || !strings.HasPrefix(moved[0].Subject, "Changed: ") ||
		!strings.Contains(moved[0].Calendar, "-item-0@") ||
		sequence(t, moved[0].Calendar) <= sequence(t, first[0].Calendar) {
		t.Fatalf("moved: %+v", moved)
	}
	end(dates.Ending{How: dates.Dropped, Text: "Solved"})
	gone := m.invites(time.Minute)
	if len(gone) != 2 || gone[0].Method != "CANCEL" || !strings.HasPrefix(gone[0].Subject, "Cancelled: ") ||
		sequence(t, gone[0].Calendar) <= sequence(t, moved[0].Calendar) {
		t.Fatalf("dropped: %+v", gone)
	}
	if got := m.invites(24 * time.Hour); len(got) != 0 {
		t.Errorf("after its end: %+v", got)
	}
	m.Agrees()
}

// What has taken place tells nobody anything; what is wrong is said.
func TestAnInvitationThatIsNotSent(t *testing.T) {
	t.Parallel()
	m := begin(t)
	due := dates.Due{At: new(m.Clock.Now().Add(2 * time.Hour))}
	if _, err := m.Dates.Set(t.Context(), m.As("Ragna"), m.matter, dates.Setting{Kind: dated.Visit, Words: "A fitter",
		Due: due}); err != nil {
		t.Fatal(err)
	}
	if err := m.invite("1", "emil@saltmarsh.example"); err != nil {
		t.Fatal(err)
	}
	if _, err := m.Dates.End(t.Context(), m.As("Ragna"), m.matter, "1", dates.Ending{How: dates.Kept}); err != nil {
		t.Fatal(err)
	}
	if got := m.invites(time.Minute); len(got) != 0 {
		t.Errorf("invited to what has taken place: %+v", got)
	}
	for what, x := range map[string]struct{ item, to, field string }{
		"not open":     {"1", "emil@saltmarsh.example", "item"},
		"no such date": {"9", "emil@saltmarsh.example", "item"},
		"no address":   {"1", "Emil", "to[0]"},
		"two headers":  {"1", "a@b.example\r\nBcc: c@d.example", "to[0]"},
	} {
		if err := m.invite(x.item, x.to); !slices.Contains(desktest.Fields(err), x.field) {
			t.Errorf("%s: %v", what, err)
		}
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
	if err := m.invite("1", "emil@saltmarsh.example"); !errors.As(err, &no) {
		t.Errorf("without an email link: %v", err)
	}
}
