package inbox_test

import (
	"errors"
	"strings"
	"testing"
	"time"

	"roundhouse.example/internal/channel"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/desktest"
	inboxdb "roundhouse.example/internal/store/inbox"
	"roundhouse.example/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

func count(t *testing.T, d *desktest.Desk, sql string) (n int) {
	t.Helper()
	if err := d.Store.DB.Get(&n, sql); err != nil {
		t.Fatal(err)
	}
	return n
}

// What a vendor says comes in once, however often its feed repeats it; the move turns to us, and who wrote is the
// vendor contact.
func TestWhatIsSaidComesInOnce(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	id := d.Filed("Gates say no")
	d.Clock.Move(10 * time.Minute)
	question := desktest.Said("7", "Which release is it?", d.Clock.Now())
	question.Move = deadline.Ours
	for range 3 {
		d.Hear("corvane", question)
	}
	c := d.Row(id)
	if n := count(t, d, "select count(*) from case_entry where kind = 'message' and direction = 'in'"); n != 1 ||
		c.Unread != 1 || c.VendorContact != "Teo Brannigan" || *c.Move != deadline.Ours {
		t.Errorf("%d messages, %d unread, %q, %v", n, c.Unread, c.VendorContact, *c.Move)
	}
	d.Agrees()
}

// The vendor's clock counts within what we could have seen: neither a time before our last look nor one in the future
// makes evidence.
func TestAVendorsWrongClock(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	d.Filed("Gates say no")
	d.Hear("corvane") // a look that brings nothing
	looked := d.Clock.Now()
	d.Clock.Move(30 * time.Minute)
	seen := d.Clock.Now()
	d.Hear("corvane", desktest.Said("1", "Of last year", looked.AddDate(-1, 0, 0)),
		desktest.Said("2", "Of tomorrow", seen.AddDate(0, 0, 1)),
		desktest.Said("3", "Of ten minutes ago", seen.Add(-10*time.Minute)))
	for text, want := range map[string]time.Time{"Of last year": looked, "Of tomorrow": seen,
		"Of ten minutes ago": seen.Add(-10 * time.Minute)} {
		var row struct {
			HappenedAt time.Time  `db:"happened_at"`
			StatedAt   *time.Time `db:"stated_at"`
		}
		if err := d.Store.DB.Get(&row, `select e.happened_at, e.stated_at from case_entry e join entry_body b
			on b.entry_id = e.id
			where b.body = $1`, text); err != nil {
			t.Fatal(text, err)
		}
		if !row.HappenedAt.Equal(want) || row.StatedAt == nil {
			t.Errorf("%s happened at %s, want %s", text, row.HappenedAt, want)
		}
	}
	d.Agrees()
}

// Events of a ticket whose number nobody knows yet wait for it: where the filing's answer is lost, what the vendor
// says meanwhile comes in, in order, once the number is there.
func TestWordsBeforeTheNumberIsKnown(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	id := d.Draft("Gates say no")
	d.Vendor.OnSend = func(l channel.Letter) (channel.Receipt, error) {
		d.Vendor.Take(l)
		return channel.Receipt{}, errors.New("the connection was lost")
	}
	if err := d.Step(id, cases.StepRequest{Step: casework.File}); err != nil {
		t.Fatal(err)
	}
	d.Sweep()
	d.Clock.Move(20 * time.Second)
	d.Hear("corvane", desktest.Said("1", "Which release is it?", d.Clock.Now()),
		desktest.Said("2", "And which gate?", d.Clock.Now()))
	aside := func() int { return count(t, d, "select count(*) from link_event where aside_at is not null") }
	if n := d.Row(id).Unread; n != 0 || aside() != 0 {
		t.Fatalf("%d messages before it is known whose they are, %d set aside", n, aside())
	}
	d.Clock.Move(time.Minute)
	d.Sweep()
	d.Hear("corvane")
	c := d.Row(id)
	if c.State != casework.Open || c.Unread != 2 {
		t.Fatalf("%s with %d messages", c.State, c.Unread)
	}
	list, _, err := d.Pages.Entries(t.Context(), d.As("Ragna"), id, 0, 100)
	if err != nil {
		t.Fatal(err)
	}
	stray := desktest.Said("3", "Nobody knows this number.", d.Clock.Now())
	stray.Ticket = "CV-39999"
	d.Hear("corvane", stray)
	if n := aside(); n != 0 {
		t.Errorf("%d set aside at once", n)
	}
	d.Clock.Move(3 * time.Minute)
	d.Hear("corvane")
	if n := aside(); n != 1 {
		t.Errorf("%d set aside after three minutes", n)
	}
	var order []string
	for _, e := range list {
		if e.Direction != nil && *e.Direction == "in" {
			order = append(order, e.Body)
		}
	}
	if strings.Join(order, " ") != "Which release is it? And which gate?" {
		t.Errorf("they came in as %q", order)
	}
	d.Agrees()
}

// Our own message that comes back in the feed under its marker settles the sending that was unsure, is no word of the
// vendor's, and is not written down a second time.
func TestOurOwnWordsComeBack(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	id := d.Filed("Gates say no")
	var marker string
	d.Vendor.OnSend = func(l channel.Letter) (channel.Receipt, error) {
		marker = l.Marker
		return channel.Receipt{}, errors.New("no answer within 10s")
	}
	if _, err := d.Cases.Send(t.Context(), d.As("Ragna"), id, cases.Written{Text: "The log is below."}); err != nil {
		t.Fatal(err)
	}
	d.Sweep()
	before := count(t, d, "select count(*) from case_entry where kind = 'message'")
	d.Clock.Move(time.Minute)
	d.Hear("corvane", channel.Incoming{Key: "9", Ticket: "CV-30001", Kind: channel.Echo, At: d.Clock.Now(),
		Text: channel.Marked(marker, "The log is below."), Marker: marker})
	if n := count(t, d, "select count(*) from delivery where state = 'arrived'"); n != 2 {
		t.Errorf("%d deliveries have arrived", n)
	}
	c := d.Row(id)
	if n := count(t, d, "select count(*) from case_entry where kind = 'message'"); n != before || c.Unread != 0 {
		t.Errorf("%d messages, before %d; %d unread", n, before, c.Unread)
	}
	d.Vendor.OnSend = nil
	d.Clock.Move(10 * time.Minute)
	d.Sweep()
	if len(d.Vendor.Letters) != 2 {
		t.Errorf("it was sent again: %d letters", len(d.Vendor.Letters))
	}
	d.Agrees()
}

// An automatic receipt is no answer: it ends no clock and turns no move. That is so by the vendor's own word and by
// the pattern of its automatic replies.
func TestAReceiptIsNoAnswer(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	d.Change("corvane", `{"automatic_pattern": "(?i)^we have received"}`)
	id := d.Filed("Gates say no")
	flagged, worded := desktest.Said("1", "Thank you.", d.Clock.Now()),
		desktest.Said("2", "We have received your words.", d.Clock.Now())
	flagged.Automatic, flagged.Move = true, deadline.Ours
	d.Clock.Move(time.Minute)
	d.Hear("corvane", flagged, worded)
	for _, x := range d.View(id).Deadlines {
		if x.Clock.Kind.String() == "first-response" && x.Standing != deadline.Running {
			t.Errorf("first response is %s after two receipts", x.Standing)
		}
	}
	if c := d.Row(id); *c.Move != deadline.Theirs {
		t.Errorf("it waits on %s", *c.Move)
	}
	d.Hear("corvane", desktest.Said("3", "A person now: I am looking.", d.Clock.Now()))
	for _, x := range d.View(id).Deadlines {
		if x.Clock.Kind.String() == "first-response" && x.Standing != deadline.StandsMet {
			t.Errorf("first response is %s after an answer", x.Standing)
		}
	}
	d.Agrees()
}

// A vendor that closes leaves the case to us; one that lowers the level changes no clock.
func TestWhatAVendorDoesByItself(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	id := d.Filed("Gates say no")
	before := d.View(id).Deadlines
	d.Clock.Move(time.Minute)
	d.Hear("corvane", channel.Incoming{Key: "1", Ticket: "CV-30001", Kind: channel.Graded, Level: "Wish",
		At: d.Clock.Now()})
	if v := d.View(id); v.Line.VendorLevel != "Wish" || len(v.Deadlines) != len(before) ||
		v.Deadlines[0].Row.Due != before[0].Row.Due {
		t.Errorf("a level of its own: %q, %d clocks, before %d", v.Line.VendorLevel, len(v.Deadlines), len(before))
	}
	d.Hear("corvane", channel.Incoming{Key: "2", Ticket: "CV-30001", Kind: channel.Ended, At: d.Clock.Now()})
	v := d.View(id)
	if v.Line.VendorClosedAt == nil || !v.Line.State.Live() || v.Next == nil ||
		v.Next.Why() != "Vendor closed it: agree or dispute" {
		t.Errorf("closed by the vendor: %s, %+v", v.Line.State, v.Next)
	}
	if err := d.Step(id, cases.StepRequest{Step: casework.Dispute, Reason: "It still fails"}); err != nil {
		t.Fatal(err)
	}
	d.Sweep()
	if v := d.View(id); v.Line.VendorClosedAt != nil {
		t.Error("disputed, and still closed by the vendor")
	}
	d.Agrees()
}

// A link that fails says so and is asked later and later; the first look that works ends that.
func TestALinkThatFails(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	links, err := inboxdb.LinksOf(t.Context(), d.Store.DB, d.VendorID("corvane"))
	if err != nil {
		t.Fatal(err)
	}
	link := func() inboxdb.Link {
		l, err := inboxdb.ByID(t.Context(), d.Store.DB, links[0].Link.ID)
		if err != nil {
			t.Fatal(err)
		}
		return l
	}
	d.Vendor.Failing = errors.New("503 Service Unavailable")
	for i := range 3 {
		d.Hear("corvane")
		if l := link(); l.Failures != i+1 || l.FailingSince == nil || !l.FailingSince.Equal(desktest.Monday) ||
			l.Problem != "503 Service Unavailable" {
			t.Errorf("after %d failures: %+v", i+1, l)
		}
		d.Clock.Move(time.Minute)
	}
	d.Vendor.Failing = nil
	d.Hear("corvane")
	if l := link(); l.Failures != 0 || l.FailingSince != nil || l.Problem != "" {
		t.Errorf("it works again: %+v", l)
	}
}

// One event that cannot be taken in is set aside after three tries, and holds up none of the others.
func TestAnEventThatCannotBeTakenIn(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	id := d.Filed("Gates say no")
	d.Clock.Move(time.Minute)
	d.Vendor.Says = []channel.Incoming{desktest.Said("1", "This one is spoilt on its way", d.Clock.Now()),
		desktest.Said("2", "This one is whole", d.Clock.Now())}
	if _, err := d.Store.DB.Exec(`create function spoil() returns trigger language plpgsql as $$ begin
			if new.event->>'key' = '1' then new.event := '{"kind": 7}'; end if; return new; end $$;
		create trigger spoil before insert on link_event for each row execute function spoil()`); err != nil {
		t.Fatal(err)
	}
	links, err := inboxdb.LinksOf(t.Context(), d.Store.DB, d.VendorID("corvane"))
	if err != nil {
		t.Fatal(err)
	}
	for range 4 {
		_ = d.Inbox.Collect(t.Context(), links[0].Link.ID, 0)
		d.Clock.Move(time.Minute)
	}
	if c := d.Row(id); c.Unread != 1 {
		t.Errorf("%d messages came in", c.Unread)
	}
	if n := count(t, d, "select count(*) from link_event where case_id is null and aside_at is not null"); n != 1 {
		t.Errorf("%d events are set aside", n)
	}
}
