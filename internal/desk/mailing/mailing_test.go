package mailing_test

import (
	"context"
	"errors"
	"strings"
	"sync"
	"testing"
	"time"

	"roundhouse.example/internal/channel"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/desktest"
	"roundhouse.example/internal/desk/links"
	"roundhouse.example/internal/desk/watch"
	inboxdb "roundhouse.example/internal/store/inbox"
	notifydb "roundhouse.example/internal/store/notify"
	"roundhouse.example/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

// mailed is a desk whose people get email; what its mail server takes is kept apart from what vendors are sent.
type mailed struct {
	*desktest.Desk
	t      *testing.T
	letter []channel.Letter
	mu     sync.Mutex
	fails  error
	matter int64
}

// Send is the mail server.
func (m *mailed) Send(_ context.Context, l channel.Letter) (channel.Receipt, error) {
	m.mu.Lock() // several are sent at once
	defer m.mu.Unlock()
	if m.fails == nil {
		m.letter = append(m.letter, l)
	}
	return channel.Receipt{At: m.Clock.Now()}, m.fails
}

func (m *mailed) Collect(context.Context, string) ([]channel.Incoming, string, error) {
	return nil, "", nil
}

func (m *mailed) LookUp(context.Context, route.Action, string, []string, time.Time) (*channel.Receipt, error) {
	return nil, channel.ErrNoLookUp
}
func (m *mailed) Timeout() time.Duration { return time.Second }
func (m *mailed) Settle() time.Duration  { return 0 }
func (m *mailed) TakesFiles() bool       { return true }

func begin(t *testing.T) *mailed {
	m := &mailed{Desk: desktest.New(t), t: t}
	vendor := m.Channels
	m.Desk.Desk.Channels = func(l inboxdb.Link) (desk.Channel, error) {
		if l.Kind == route.Email {
			return m, nil
		}
		return vendor(l)
	}
	tuva := m.As("Tuva")
	if _, err := m.Links.Add(t.Context(), tuva, links.Facts{Name: "desk-email", Kind: route.Email,
		Address: "smtp://127.0.0.1:25", Settings: []byte(`{"from":"desk@saltmarsh.example","clear":true}`)}); err != nil {
		t.Fatal(err)
	}
	_, version, err := m.Hours.Policy(t.Context(), tuva)
	if err == nil {
		err = m.Hours.ChangePolicy(t.Context(), tuva, version, []byte(`{"email_link": "desk-email"}`))
	}
	if err != nil {
		t.Fatal(err)
	}
	if _, err := m.Notify.Sweep(t.Context()); err != nil {
		t.Fatal(err)
	}
	m.matter = m.Filed("Gates say no")
	return m
}

func (m *mailed) hear(key, text string) {
	m.t.Helper()
	m.Hear("corvane", desktest.Said(key, text, m.Clock.Now()))
}

// run lets time pass and sends what is due then; it gives what the mail server took.
func (m *mailed) run(after time.Duration) []channel.Letter {
	m.t.Helper()
	m.Clock.Move(after)
	before := len(m.letter)
	if err := m.Mailing.Run(m.t.Context()); err != nil {
		m.t.Fatal(err)
	}
	return m.letter[before:]
}

// What happens within a minute goes in one email; what was read on the page does not go at all.
func TestOneEmailForWhatHappensTogether(t *testing.T) {
	t.Parallel()
	m := begin(t)
	if got := m.run(time.Hour); len(got) != 0 {
		t.Fatalf("%+v", got)
	}
	m.hear("a", "Which bank?")
	if got := m.run(30 * time.Second); len(got) != 0 {
		t.Errorf("an email for each keystroke: %+v", got)
	}
	m.hear("b", "And since when?")
	got := m.run(time.Minute)
	if len(got) != 1 || got[0].To[0] != m.As("Ragna").Email || got[0].Subject != "C-1001 2 messages · Gates say no" {
		t.Fatalf("%+v", got)
	}
	for _, part := range []string{"C-1001 Gates say no\n", "Corvane Cloud, severity",
		"- Message from the vendor, Mon 23 Nov 2026", "\n  Which bank?\n", "\n  And since when?\n",
		"(you own the case)", "roundhouse notifications settings"} {
		if !strings.Contains(got[0].Text, part) {
			t.Errorf("the email lacks %q:\n%s", part, got[0].Text)
		}
	}
	if got := m.run(time.Hour); len(got) != 0 {
		t.Errorf("sent again: %+v", got)
	}
	m.hear("c", "Hello?")
	if err := m.Seen.Mark(t.Context(), m.As("Ragna"), m.matter, m.Row(m.matter).LastEntry); err != nil {
		t.Fatal(err)
	}
	if got := m.run(time.Hour); len(got) != 0 {
		t.Errorf("what was read is emailed: %+v", got)
	}
}

// A mail server that is away for a day is told about, and what happened meanwhile goes as one email when it is back.
func TestAMailServerThatIsAway(t *testing.T) {
	t.Parallel()
	m := begin(t)
	m.fails = &channel.NotSent{Why: "connection refused"}
	for i, text := range []string{"Which bank?", "Hello?", "We close it tomorrow."} {
		m.hear(text, text)
		if got := m.run(8 * time.Hour); len(got) != 0 {
			t.Fatalf("%d: %+v", i, got)
		}
	}
	l, err := inboxdb.ByName(t.Context(), m.Store.DB, "desk-email")
	if err != nil || l.Problem != "connection refused" || l.FailingSince == nil {
		t.Errorf("the link says %q since %v, %v", l.Problem, l.FailingSince, err)
	}
	m.fails = nil
	m.run(time.Hour)
	got := m.run(time.Minute)
	got = append(m.letter[:len(m.letter)-len(got)], got...)
	if len(got) != 1 || !strings.HasPrefix(got[0].Subject, "C-1001 3 messages") {
		t.Fatalf("%d emails: %+v", len(got), got)
	}
	if l, _ := inboxdb.ByName(t.Context(), m.Store.DB, "desk-email"); l.Problem != "" || l.FailingSince != nil {
		t.Errorf("it works again, and the link says %q", l.Problem)
	}
}

// Where nobody knows whether an email left, it is tried again as the same one; a definite no is not.
func TestAnEmailNobodyKnowsOf(t *testing.T) {
	t.Parallel()
	m := begin(t)
	m.hear("a", "Which bank?")
	m.fails = errors.New("the connection was lost")
	m.run(2 * time.Minute)
	rows, err := notifydb.EmailsOf(t.Context(), m.Store.DB, m.As("Ragna").ID, 5)
	if err != nil || len(rows) != 1 || rows[0].SentAt != nil || rows[0].Problem == "" {
		t.Fatalf("%+v %v", rows, err)
	}
	m.fails = nil
	got := m.run(6 * time.Minute)
	if len(got) != 1 || got[0].Marker != rows[0].Marker || got[0].Text != rows[0].Body {
		t.Fatalf("%+v, first %+v", got, rows[0])
	}
	m.hear("b", "Hello?")
	m.fails = &channel.Refused{Why: "550 no such mailbox"}
	m.run(2 * time.Minute)
	m.fails = nil
	if got := m.run(24 * time.Hour); len(got) != 0 {
		t.Errorf("tried again after a definite no: %+v", got)
	}
}

// The link by which people are told is neither removed nor renamed while the policy names it.
func TestTheLinkOfThePolicyStays(t *testing.T) {
	t.Parallel()
	m := begin(t)
	tuva := m.As("Tuva")
	l, err := inboxdb.ByName(t.Context(), m.Store.DB, "desk-email")
	if err != nil {
		t.Fatal(err)
	}
	var in *desk.InUse
	if err := m.Links.Remove(t.Context(), tuva, l.ID, l.Version); !errors.As(err, &in) {
		t.Errorf("it was removed: %v", err)
	}
	if _, err := m.Links.Change(t.Context(), tuva, l.ID, l.Version, links.Edit{Name: new("other")}); !errors.As(err, &in) {
		t.Errorf("it was renamed: %v", err)
	}
	_, version, err := m.Hours.Policy(t.Context(), tuva)
	if err == nil {
		err = m.Hours.ChangePolicy(t.Context(), tuva, version, []byte(`{"email_link": ""}`))
	}
	if err == nil {
		err = m.Links.Remove(t.Context(), tuva, l.ID, l.Version)
	}
	if err != nil {
		t.Error(err)
	}
}

// A claim whose service died is taken over by the next, with the same email.
func TestAKilledServiceLosesNoEmail(t *testing.T) {
	t.Parallel()
	m := begin(t)
	m.hear("a", "Which bank?")
	ctx, kill := context.WithCancel(t.Context())
	m.Clock.Move(2 * time.Minute)
	m.fails = errors.New("killed")
	kill()
	_ = m.Mailing.Run(ctx)
	m.fails = nil
	m.run(time.Minute)
	m.run(10 * time.Minute)
	m.run(10 * time.Minute)
	if len(m.letter) != 1 {
		t.Errorf("%d emails: %+v", len(m.letter), m.letter)
	}
}

// In quiet hours nothing goes but what is of severity 1; the rest goes when they are over.
func TestQuietHours(t *testing.T) {
	t.Parallel()
	m := begin(t)
	if _, err := m.Notify.Choose(t.Context(), m.As("Ragna"), 0,
		[]byte(`{"quiet_from": "09:00", "quiet_to": "17:00"}`)); err != nil {
		t.Fatal(err)
	}
	m.hear("a", "Which bank?") // it is 10:00 in Oslo
	if got := m.run(2 * time.Hour); len(got) != 0 {
		t.Errorf("emailed in quiet hours: %+v", got)
	}
	if got := m.run(5*time.Hour + 10*time.Minute); len(got) != 1 {
		t.Errorf("after them: %+v", got)
	}
}

// The digest goes at its hour, once, to whoever asked for it; a note that mentions somebody is not quoted in any email.
func TestDigestAndMentions(t *testing.T) {
	t.Parallel()
	m := begin(t)
	if _, err := m.Watches.Start(t.Context(), m.As("Emil"), watch.What{Vendor: "corvane"}, m.Pages.Find); err != nil {
		t.Fatal(err)
	}
	if _, err := m.Notify.Choose(t.Context(), m.As("Emil"), 0, []byte(`{"digest_at": "12:30",
		"ways": {"due": "console", "due-soon": "console", "still-late": "off", "unread": "off"}}`)); err != nil {
		t.Fatal(err)
	}
	if _, err := m.Cases.AddNote(t.Context(), m.As("Ragna"), m.matter,
		"@Emil, the PIN is on the yellow card."); err != nil {
		t.Fatal(err)
	}
	got := m.run(2 * time.Minute)
	if len(got) != 1 || strings.Contains(got[0].Text+got[0].Subject, "yellow") ||
		!strings.Contains(got[0].Text, "Mention in a note, ") {
		t.Fatalf("%+v", got)
	}
	m.run(2 * time.Hour)
	var digests []channel.Letter
	for range 4 {
		for _, l := range m.run(30 * time.Minute) {
			if strings.HasPrefix(l.Subject, "Digest: ") {
				digests = append(digests, l)
			}
		}
	}
	if len(digests) != 1 || digests[0].To[0] != m.As("Emil").Email {
		t.Fatalf("%d digests: %+v", len(digests), digests)
	}
	for _, part := range []string{"LATE\n", "DUE BY",
		"WHAT HAPPENED\n- C-1001 Gates say no (Corvane Cloud): filed, 1 note",
		"WHO HAS WHAT\n- Ragna Lie: 1 live"} {
		if !strings.Contains(digests[0].Text, part) {
			t.Errorf("the digest lacks %q:\n%s", part, digests[0].Text)
		}
	}
	m.run(20 * time.Hour)
	if n := len(m.run(4 * time.Hour)); n == 0 {
		t.Error("no digest on the next day")
	}
}
