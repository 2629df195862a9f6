// Package desktest is a desk for tests of its subjects: on a database of its own, with a clock that only the test
// moves and a vendor whose every answer the test chooses. Nothing happens by itself.
package desktest

import (
	"context"
	"fmt"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/alexedwards/argon2id"

	"roundhouse.example/internal/channel"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/demo/firm"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/drafts"
	"roundhouse.example/internal/desk/pages"
	"roundhouse.example/internal/desk/people"
	"roundhouse.example/internal/desk/whole"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	inboxdb "roundhouse.example/internal/store/inbox"
	peopledb "roundhouse.example/internal/store/people"
	registerdb "roundhouse.example/internal/store/register"
	"roundhouse.example/internal/testdb"
)

// Monday is when each test begins: a working morning in Oslo.
var Monday = time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC)

// Clock stands still until it is moved.
type Clock struct {
	mu sync.Mutex
	at time.Time
}

// NewClock stands at Monday.
func NewClock() *Clock { return &Clock{at: Monday} }

// Now is the present.
func (c *Clock) Now() time.Time {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.at
}

// Move lets time pass.
func (c *Clock) Move(d time.Duration) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.at = c.at.Add(d)
}

// Vendor is the far end of every link. Its fields say how it answers; where one is nil it takes what it gets, gives
// references in order, has nothing to say and finds what it took.
type Vendor struct {
	Clock *Clock
	// OnSend answers a letter; OnLook finds one, or nil.
	OnSend func(channel.Letter) (channel.Receipt, error)
	OnLook func(markers []string) (*channel.Receipt, error)
	// Says is what the next look brings.
	Says    []channel.Incoming
	Failing error
	// Letters are what it was sent, in order.
	Letters []channel.Letter
	taken   map[string]channel.Receipt
	numbers int
}

// NewVendor is one that has not been told anything.
func NewVendor(c *Clock) *Vendor { return &Vendor{Clock: c, taken: map[string]channel.Receipt{}} }

// Take is a vendor's usual answer: the letter is taken, a new case gets a reference.
func (v *Vendor) Take(l channel.Letter) channel.Receipt {
	r := channel.Receipt{At: v.Clock.Now()}
	if l.Action == route.Open {
		v.numbers++
		r.Reference = fmt.Sprintf("CV-%05d", 30000+v.numbers)
	}
	v.taken[l.Marker] = r
	return r
}

// Send is a letter's way there.
func (v *Vendor) Send(_ context.Context, l channel.Letter) (channel.Receipt, error) {
	v.Letters = append(v.Letters, l)
	if v.OnSend != nil {
		return v.OnSend(l)
	}
	return v.Take(l), nil
}

// Fails lets every letter from now on fail with an error; nil lets them be taken again.
func (v *Vendor) Fails(err error) {
	v.OnSend = nil
	if err != nil {
		v.OnSend = func(channel.Letter) (channel.Receipt, error) { return channel.Receipt{}, err }
	}
}

// Last is the letter that was sent last.
func (v *Vendor) Last() channel.Letter { return v.Letters[len(v.Letters)-1] }

// Collect gives what the vendor says, once.
func (v *Vendor) Collect(_ context.Context, cursor string) ([]channel.Incoming, string, error) {
	list := v.Says
	v.Says = nil
	return list, cursor, v.Failing
}

// LookUp finds a letter that was taken.
func (v *Vendor) LookUp(_ context.Context, _ route.Action, _ string, markers []string,
	_ time.Time) (*channel.Receipt, error) {
	if v.OnLook != nil {
		return v.OnLook(markers)
	}
	for m, r := range v.taken {
		if slices.Contains(markers, m) {
			return &r, nil
		}
	}
	return nil, nil
}

// Timeout is how long a call may last.
func (v *Vendor) Timeout() time.Duration { return 10 * time.Second }

// Settle is how long what it took may stay unseen.
func (v *Vendor) Settle() time.Duration { return time.Minute }

// TakesFiles says that it takes files.
func (v *Vendor) TakesFiles() bool { return true }

// Desk is a desk with the demo's people, calendars and vendors that have links, and no case.
type Desk struct {
	*whole.Desk
	T      testing.TB
	Store  *db.Store
	Clock  *Clock
	Vendor *Vendor
	Woken  []int64 // the deliveries that the queue was told of
}

// New is a fresh one.
func New(t testing.TB) *Desk {
	t.Helper()
	s, err := db.Open(t.Context(), testdb.Copy(t, "_desk", Fill), 8)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	return Over(t, s, NewClock(), nil, nil)
}

// CheapPasswords makes a password cost nearly nothing to check, which costs a tenth of a second in life.
func CheapPasswords() {
	people.PasswordCost = &argon2id.Params{Memory: 8, Iterations: 1, Parallelism: 1, SaltLength: 16, KeyLength: 32}
}

// Fill gives a new database what a desk begins with here.
func Fill(ctx context.Context, url string) error {
	CheapPasswords()
	s, err := db.Open(ctx, url, 4)
	if err != nil {
		return err
	}
	defer s.Close()
	if err := s.Migrate(ctx); err != nil {
		return err
	}
	_, err = firm.Register(ctx, whole.New(s, NewClock(), nil, nil), s, Monday.AddDate(0, -6, 0),
		func(string) (l inboxdb.Link, err error) {
			l.Description.V = []byte("{}")
			return l, nil
		})
	return err
}

// Over is a desk over a database that has been filled. Without a queue it only remembers what it is told; without
// channels each link leads to its one vendor.
func Over(t testing.TB, s *db.Store, clock *Clock, queue desk.Queue, channels desk.Channels) *Desk {
	d := &Desk{T: t, Store: s, Clock: clock}
	d.Vendor = NewVendor(d.Clock)
	if queue == nil {
		queue = d
	}
	if channels == nil {
		channels = func(inboxdb.Link) (desk.Channel, error) { return d.Vendor, nil }
	}
	d.Desk = whole.New(s, d.Clock, queue, channels)
	return d
}

// Deliver and Rebuild are the queue: it only remembers.
func (d *Desk) Deliver(_ context.Context, _ *db.Tx, delivery int64) error {
	d.Woken = append(d.Woken, delivery)
	return nil
}

// Rebuild is told of cases to be recalculated.
func (d *Desk) Rebuild(context.Context, *db.Tx) error { return nil }

// As is one of the demo's people, by the first name.
func (d *Desk) As(name string) desk.Actor {
	d.T.Helper()
	all, err := peopledb.All(d.T.Context(), d.Store.DB)
	if err != nil {
		d.T.Fatal(err)
	}
	for _, p := range all {
		if len(p.Name) > len(name) && p.Name[:len(name)] == name {
			return desk.Actor{Person: p}
		}
	}
	d.T.Fatalf("nobody is called %s", name)
	return desk.Actor{}
}

// VendorID is the id of a vendor, by its key.
func (d *Desk) VendorID(key string) int64 {
	d.T.Helper()
	v, err := registerdb.VendorByKey(d.T.Context(), d.Store.DB, key)
	if err != nil {
		d.T.Fatal(err)
	}
	return v.ID
}

// Change changes what is known of a vendor, by a merge patch, as the administrator.
func (d *Desk) Change(vendor, patch string) {
	d.T.Helper()
	tuva := d.As("Tuva")
	_, version, err := d.Register.VendorFacts(d.T.Context(), tuva, vendor)
	if err == nil {
		err = d.Register.ChangeVendor(d.T.Context(), tuva, vendor, version, []byte(patch))
	}
	if err != nil {
		d.T.Fatal(err)
	}
}

// Draft is a complete draft with Corvane, of Ragna's.
func (d *Desk) Draft(title string) int64 {
	d.T.Helper()
	ref, err := d.Drafts.Open(d.T.Context(), d.As("Ragna"), drafts.Draft{Vendor: "corvane", Title: title,
		Facts: casesdb.Facts{Environment: "production", Effect: "degraded", Reach: "few", Workaround: "easy"},
		Texts: casesdb.Texts{Happened: "Since this morning it answers slowly."}})
	if err != nil {
		d.T.Fatal(err)
	}
	return ref.ID
}

// Step takes a step as Ragna, on the case as it is.
func (d *Desk) Step(id int64, r cases.StepRequest) error {
	d.T.Helper()
	_, err := d.Cases.Step(d.T.Context(), d.As("Ragna"), id, d.Row(id).Version, r)
	return err
}

// Row is a case's row.
func (d *Desk) Row(id int64) casesdb.Case {
	d.T.Helper()
	c, err := casesdb.ByID(d.T.Context(), d.Store.DB, id)
	if err != nil {
		d.T.Fatal(err)
	}
	return c
}

// View is what a case's page shows to Ragna.
func (d *Desk) View(id int64) pages.View {
	d.T.Helper()
	v, err := d.Pages.Case(d.T.Context(), d.As("Ragna"), id)
	if err != nil {
		d.T.Fatal(err)
	}
	return v
}

// Filed is a case that the vendor has.
func (d *Desk) Filed(title string) int64 {
	d.T.Helper()
	id := d.Draft(title)
	if err := d.Step(id, cases.StepRequest{Step: casework.File}); err != nil {
		d.T.Fatal(err)
	}
	d.Sweep()
	if c := d.Row(id); c.State != casework.Open {
		d.T.Fatalf("it is %s after the filing", c.State)
	}
	return id
}

// Sweep takes every delivery as far as it goes now.
func (d *Desk) Sweep() {
	d.T.Helper()
	if _, err := d.Outbox.WakeDue(d.T.Context()); err != nil {
		d.T.Fatal(err)
	}
	woken := d.Woken
	d.Woken = nil
	for _, id := range woken {
		if err := d.Outbox.Deliver(d.T.Context(), id); err != nil {
			d.T.Fatal(err)
		}
	}
}

// First is the reference of the first case that a Vendor takes.
const First = "CV-30001"

// Said is what an engineer of the vendor's writes on its first case at an instant.
func Said(key, text string, at time.Time) channel.Incoming {
	return channel.Incoming{Key: key, Ticket: First, Kind: channel.Message, At: at, Text: text, Author: "Teo Brannigan"}
}

// Hear lets the vendor say something, and looks at its link.
func (d *Desk) Hear(vendor string, list ...channel.Incoming) {
	d.T.Helper()
	d.Vendor.Says = append(d.Vendor.Says, list...)
	links, err := inboxdb.LinksOf(d.T.Context(), d.Store.DB, d.VendorID(vendor))
	if err != nil || len(links) == 0 {
		d.T.Fatal(len(links), err)
	}
	if err := d.Inbox.Collect(d.T.Context(), links[0].Link.ID, 0); err != nil {
		d.T.Fatal(err)
	}
}

// Agrees fails the test where what is stored differs from what the record says.
func (d *Desk) Agrees() {
	d.T.Helper()
	sum, err := d.Record.Check(d.T.Context())
	if err != nil {
		d.T.Fatal(err)
	}
	for _, f := range sum.Findings {
		d.T.Errorf("%s %s: stored %s, recalculated %s", f.Case, f.What, f.Stored, f.Replayed)
	}
}
