package work_test

import (
	"context"
	"fmt"
	"io"
	"log/slog"
	"os"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"roundhouse.example/internal/channel"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/desktest"
	"roundhouse.example/internal/desk/drafts"
	"roundhouse.example/internal/desk/today"
	"roundhouse.example/internal/localpg"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	inboxdb "roundhouse.example/internal/store/inbox"
	"roundhouse.example/internal/testdb"
	"roundhouse.example/internal/work"
)

func TestMain(m *testing.M) { testdb.Main(m) }

// vendors are what the links lead to, each with a turn of its own.
type vendors struct {
	mu      sync.Mutex
	of      map[int64]*desktest.Vendor
	clock   *desktest.Clock
	onSend  func(ctx context.Context, l channel.Letter, take func() channel.Receipt) (channel.Receipt, error)
	onLook  func(link int64)
	letters map[string]int // how often each case was told to each vendor
}

type far struct {
	*vendors
	*desktest.Vendor
	link int64
}

func (v *vendors) channel(l inboxdb.Link) (desk.Channel, error) {
	v.mu.Lock()
	defer v.mu.Unlock()
	if v.of == nil {
		v.of, v.letters = map[int64]*desktest.Vendor{}, map[string]int{}
	}
	if v.of[l.ID] == nil {
		v.of[l.ID] = desktest.NewVendor(v.clock)
	}
	return far{v, v.of[l.ID], l.ID}, nil
}

func (f far) Send(ctx context.Context, l channel.Letter) (channel.Receipt, error) {
	take := func() channel.Receipt {
		f.mu.Lock()
		defer f.mu.Unlock()
		f.letters[l.Subject]++
		return f.Take(l)
	}
	if f.onSend != nil {
		return f.onSend(ctx, l, take)
	}
	return take(), nil
}

func (f far) Collect(_ context.Context, cursor string) ([]channel.Incoming, string, error) {
	if f.onLook != nil {
		f.onLook(f.link)
	}
	return nil, cursor, nil
}

func (f far) LookUp(ctx context.Context, a route.Action, ref string, marks []string,
	since time.Time) (*channel.Receipt, error) {
	f.mu.Lock()
	defer f.mu.Unlock()
	return f.Vendor.LookUp(ctx, a, ref, marks, since)
}

// running is a desk on a store with workers of its own.
func running(t *testing.T, s *db.Store, v *vendors, clock *desktest.Clock) (*desktest.Desk, *work.Workers) {
	t.Helper()
	q, err := work.NewQueue(s)
	if err != nil {
		t.Fatal(err)
	}
	if clock == nil {
		clock = desktest.NewClock()
	}
	v.clock = clock
	d := desktest.Over(t, s, clock, q, v.channel)
	w, err := work.Start(context.Background(), d.Desk, s, work.Options{Look: 20 * time.Millisecond,
		Sweep: 20 * time.Millisecond, Log: slog.New(slog.NewTextHandler(io.Discard, nil))})
	if err != nil {
		t.Fatal(err)
	}
	return d, w
}

func fresh(t *testing.T) *db.Store {
	t.Helper()
	s, err := db.Open(context.Background(), testdb.Copy(t, "_desk", desktest.Fill), 16)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	return s
}

// file files a case with a vendor, as Ragna.
func file(t *testing.T, d *desktest.Desk, vendor, title string) int64 {
	t.Helper()
	id := d.Draft(title)
	if vendor != "corvane" {
		ref, err := d.Drafts.Open(t.Context(), d.As("Ragna"), drafts.Draft{Vendor: vendor, Title: title,
			Facts: casesdb.Facts{Environment: "production", Effect: "degraded", Reach: "few", Workaround: "easy"},
			Texts: casesdb.Texts{Happened: "Since this morning it answers slowly."}})
		if err != nil {
			t.Fatal(err)
		}
		id = ref.ID
	}
	if err := d.Step(id, cases.StepRequest{Step: casework.File}); err != nil {
		t.Fatal(err)
	}
	return id
}

// The database dies while the vendor has just taken a letter, its answer not yet written down. Once it is back, the
// same workers go on by themselves: each case is at the vendor once, under one number.
func TestADatabaseThatIsKilled(t *testing.T) {
	t.Parallel()
	dir, err := testdb.TempDir()
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(dir) })
	pg, err := localpg.Start(t.Context(), localpg.Options{Dir: dir})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { pg.Stop() })
	if err := desktest.Fill(t.Context(), pg.URL); err != nil {
		t.Fatal(err)
	}
	s, err := db.Open(context.Background(), pg.URL, 16)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	var killed atomic.Bool
	died := make(chan struct{})
	v := &vendors{}
	v.onSend = func(_ context.Context, l channel.Letter, take func() channel.Receipt) (channel.Receipt, error) {
		r := take()
		if l.Subject == "Case 3" && killed.CompareAndSwap(false, true) {
			if err := pg.Kill(); err != nil {
				t.Errorf("killing it: %v", err)
			}
			close(died)
		}
		return r, nil
	}
	d, w := running(t, s, v, nil)
	ragna := d.As("Ragna")
	var ids []int64
	for i := range 6 {
		ids = append(ids, d.Draft(fmt.Sprintf("Case %d", i)))
	}
	for _, id := range ids[:4] {
		// The last of these may fall into the fall: then it says so.
		_, err := d.Cases.Step(t.Context(), ragna, id, d.Row(id).Version, cases.StepRequest{Step: casework.File})
		if err != nil && id != ids[3] {
			t.Fatal(err)
		}
	}
	<-died
	// Its processes end one after the other.
	desktest.Until(t, "Today has nothing to answer from", func() bool {
		_, err := d.Today.Next(t.Context(), ragna, today.Filter{})
		return err != nil
	})
	pg, err = localpg.Start(t.Context(), localpg.Options{Dir: dir, Port: pg.Port()})
	if err != nil {
		t.Fatal(err)
	}
	for _, id := range ids[4:] {
		if err := d.Step(id, cases.StepRequest{Step: casework.File}); err != nil {
			t.Fatal(err)
		}
	}
	desktest.Until(t, "every case is open", func() bool {
		d.Clock.Move(10 * time.Second) // what is unsure is looked up once the vendor has settled
		for _, id := range ids {
			if c, err := casesdb.ByID(t.Context(), s.DB, id); err != nil || c.State != casework.Open {
				return false
			}
		}
		return true
	})
	if err := w.Stop(t.Context()); err != nil {
		t.Errorf("stopping: %v", err)
	}
	refs := map[string]bool{}
	list, err := casesdb.References(t.Context(), s.DB, ids)
	if err != nil {
		t.Fatal(err)
	}
	for _, r := range list {
		refs[r.Value] = true
	}
	for _, id := range ids {
		c := d.Row(id)
		if v.letters[c.Title] != 1 {
			t.Errorf("%s was told to the vendor %d times", c.Title, v.letters[c.Title])
		}
	}
	if len(refs) != len(ids) || len(list) != len(ids) {
		t.Errorf("%d numbers for %d cases: %+v", len(refs), len(ids), list)
	}
	d.Agrees()
}

// A vendor that hangs holds a few workers at most: what goes to another arrives meanwhile.
func TestAVendorThatHangs(t *testing.T) {
	t.Parallel()
	v := &vendors{}
	var hanging, most atomic.Int64
	letGo := make(chan struct{})
	s := fresh(t)
	v.onSend = func(_ context.Context, l channel.Letter, take func() channel.Receipt) (channel.Receipt, error) {
		if l.Subject != "To the other" {
			n := hanging.Add(1)
			for old := most.Load(); n > old && !most.CompareAndSwap(old, n); old = most.Load() {
			}
			<-letGo
			hanging.Add(-1)
		}
		return take(), nil
	}
	d, w := running(t, s, v, nil)
	var held []int64
	for i := range 8 {
		held = append(held, file(t, d, "corvane", fmt.Sprintf("Held %d", i)))
	}
	desktest.Until(t, "the vendor hangs", func() bool { return hanging.Load() > 1 })
	other := file(t, d, "ninefathom", "To the other")
	desktest.Until(t, "the other vendor has its case", func() bool { return d.Row(other).State == casework.Open })
	if n := most.Load(); n > 3 {
		t.Errorf("%d workers waited for one vendor", n)
	}
	close(letGo)
	desktest.Until(t, "all have arrived", func() bool {
		for _, id := range held {
			if d.Row(id).State != casework.Open {
				return false
			}
		}
		return true
	})
	if err := w.Stop(t.Context()); err != nil {
		t.Error(err)
	}
	d.Agrees()
}

// Of two services on one database one looks at a link at a time, and a case is told once.
func TestTwoServices(t *testing.T) {
	t.Parallel()
	v := &vendors{}
	var mu sync.Mutex
	at, both, looks := map[int64]int{}, 0, map[int64]int{}
	v.onLook = func(link int64) {
		mu.Lock()
		at[link]++
		looks[link]++
		if at[link] > 1 {
			both++
		}
		mu.Unlock()
		time.Sleep(3 * time.Millisecond) // as long as a look takes, so that a second one would meet it
		mu.Lock()
		at[link]--
		mu.Unlock()
	}
	s := fresh(t)
	one, w1 := running(t, s, v, nil)
	two, w2 := running(t, s, v, one.Clock)
	var ids []int64
	for i := range 10 {
		ids = append(ids, file(t, []*desktest.Desk{one, two}[i%2], "corvane", fmt.Sprintf("Case %d", i)))
	}
	desktest.Until(t, "all are open, and links were looked at", func() bool {
		one.Clock.Move(time.Second)
		for _, id := range ids {
			if one.Row(id).State != casework.Open {
				return false
			}
		}
		mu.Lock()
		defer mu.Unlock()
		n := 0
		for _, k := range looks {
			n += k
		}
		return n > 20
	})
	for _, w := range []*work.Workers{w1, w2} {
		if err := w.Stop(t.Context()); err != nil {
			t.Error(err)
		}
	}
	if both != 0 {
		t.Errorf("a link was looked at by both %d times", both)
	}
	for title, n := range v.letters {
		if n != 1 {
			t.Errorf("%s was told %d times", title, n)
		}
	}
	one.Agrees()
}

// Stopping waits for what is under way, so that its answer is written down; it does not wait longer than it may.
func TestStopping(t *testing.T) {
	t.Parallel()
	v := &vendors{}
	begun, letGo := make(chan struct{}), make(chan struct{})
	v.onSend = func(ctx context.Context, _ channel.Letter, take func() channel.Receipt) (channel.Receipt, error) {
		close(begun)
		select {
		case <-letGo:
			return take(), nil
		case <-ctx.Done():
			return channel.Receipt{}, ctx.Err()
		}
	}
	d, w := running(t, fresh(t), v, nil)
	id := file(t, d, "corvane", "Under way")
	<-begun
	stopped := make(chan error, 1)
	go func() { stopped <- w.Stop(context.Background()) }()
	select {
	case err := <-stopped:
		t.Fatalf("it stopped while a letter was under way: %v", err)
	case <-time.After(100 * time.Millisecond):
	}
	close(letGo)
	if err := <-stopped; err != nil {
		t.Error(err)
	}
	refs, err := casesdb.References(t.Context(), d.Store.DB, []int64{id})
	if c := d.Row(id); c.State != casework.Open || err != nil || len(refs) != 1 {
		t.Errorf("what was under way came to %s, %+v %v", c.State, refs, err)
	}
}
