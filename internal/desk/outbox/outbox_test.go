package outbox_test

import (
	"context"
	"errors"
	"slices"
	"strings"
	"testing"
	"time"

	"roundhouse.example/internal/channel"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/desktest"
	"roundhouse.example/internal/desk/filing"
	"roundhouse.example/internal/desk/outbox"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	outboxdb "roundhouse.example/internal/store/outbox"
	"roundhouse.example/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

// delivery is the newest of a case.
func delivery(t *testing.T, d *desktest.Desk, id int64) outboxdb.Delivery {
	t.Helper()
	all, err := outboxdb.Of(t.Context(), d.Store.DB, id)
	if err != nil || len(all) == 0 {
		t.Fatal(len(all), err)
	}
	return all[len(all)-1]
}

func attempts(t *testing.T, d *desktest.Desk, del int64) (out []string) {
	t.Helper()
	list, err := outboxdb.Attempts(t.Context(), d.Store.DB, del)
	if err != nil {
		t.Fatal(err)
	}
	for _, a := range list {
		out = append(out, a.Outcome)
	}
	return out
}

// An answer that is lost leaves the sending unsure: it is never just repeated, and once the vendor has had time to
// settle it is found there by its marker, with the number that was lost, and takes effect when the vendor had it.
func TestALostAnswerIsLookedUp(t *testing.T) {
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
	if c, del := d.Row(id), delivery(t, d, id); c.State != casework.Draft || del.State != casework.SendingUnsure {
		t.Fatalf("%s, %s", c.State, del.State)
	}
	d.Clock.Move(30 * time.Second)
	d.Sweep() // the vendor has not settled yet
	if n := len(d.Vendor.Letters); n != 1 || delivery(t, d, id).State != casework.SendingUnsure {
		t.Errorf("%d letters after half a minute", n)
	}
	d.Clock.Move(time.Minute)
	d.Sweep()
	c, del := d.Row(id), delivery(t, d, id)
	if c.State != casework.Open || del.State != casework.SendingArrived || len(d.Vendor.Letters) != 1 {
		t.Fatalf("%s, %s, %d letters", c.State, del.State, len(d.Vendor.Letters))
	}
	if c.FiledAt == nil || !c.FiledAt.Equal(desktest.Monday) {
		t.Errorf("filed at %v, the vendor had it at %v", c.FiledAt, desktest.Monday)
	}
	refs, err := casesdb.References(t.Context(), d.Store.DB, []int64{id})
	if err != nil || len(refs) != 1 || refs[0].Value != "CV-30001" {
		t.Errorf("%v %v", refs, err)
	}
	d.Agrees()
}

// What a vendor does not have goes out again only after it has said so twice, a settling time apart, and then under a
// marker of its own.
func TestWhatNeverArrivedGoesOutAgain(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	id := d.Draft("Gates say no")
	d.Vendor.Fails(errors.New("no answer within 10s"))
	if err := d.Step(id, cases.StepRequest{Step: casework.File}); err != nil {
		t.Fatal(err)
	}
	d.Sweep()
	d.Vendor.OnSend = nil
	for range 2 {
		d.Clock.Move(2 * time.Minute)
		d.Sweep()
		if len(d.Vendor.Letters) != 1 {
			t.Fatalf("%d letters before it was looked for twice", len(d.Vendor.Letters))
		}
	}
	d.Sweep() // what was decided by the second look
	if c := d.Row(id); c.State != casework.Open || len(d.Vendor.Letters) != 2 ||
		d.Vendor.Letters[0].Marker == d.Vendor.Letters[1].Marker {
		t.Fatalf("%s after %d letters", c.State, len(d.Vendor.Letters))
	}
	if got := attempts(t, d, delivery(t, d, id).ID); !slices.Equal(got, []string{"unsure", "arrived"}) {
		t.Errorf("attempts %v", got)
	}
	d.Agrees()
}

// A vendor that has said "not there" once and shows the letter at the second look has it: nothing goes out twice.
func TestAVendorThatShowsItLate(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	id := d.Draft("Gates say no")
	var marker string
	d.Vendor.OnSend = func(l channel.Letter) (channel.Receipt, error) {
		marker = l.Marker
		return channel.Receipt{}, errors.New("the vendor's API answered 504")
	}
	looks := 0
	d.Vendor.OnLook = func(markers []string) (*channel.Receipt, error) {
		if looks++; looks == 1 || !slices.Contains(markers, marker) {
			return nil, nil
		}
		return &channel.Receipt{Reference: "CV-30077", At: desktest.Monday.Add(time.Second)}, nil
	}
	if err := d.Step(id, cases.StepRequest{Step: casework.File}); err != nil {
		t.Fatal(err)
	}
	for range 3 {
		d.Sweep()
		d.Clock.Move(2 * time.Minute)
	}
	if c := d.Row(id); c.State != casework.Open || len(d.Vendor.Letters) != 1 || looks != 2 {
		t.Errorf("%s, %d letters, %d looks", c.State, len(d.Vendor.Letters), looks)
	}
	d.Agrees()
}

// Whoever made the call and died before the answer was recorded leaves an attempt that nobody ends: once its lease has
// run out it counts as unsure, is looked up, and never sent blindly.
func TestAnAttemptThatNobodyEnded(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	id := d.Draft("Gates say no")
	if err := d.Step(id, cases.StepRequest{Step: casework.File}); err != nil {
		t.Fatal(err)
	}
	ctx, kill := context.WithCancel(t.Context())
	d.Vendor.OnSend = func(l channel.Letter) (channel.Receipt, error) {
		r := d.Vendor.Take(l)
		kill()
		d.Store.Pool.Reset()
		_, err := d.Store.DB.Exec("alter table delivery_attempt rename to delivery_attempt_away")
		return r, err
	}
	if err := d.Outbox.Deliver(ctx, delivery(t, d, id).ID); err == nil {
		t.Fatal("the answer was recorded all the same")
	}
	if _, err := d.Store.DB.Exec("alter table delivery_attempt_away rename to delivery_attempt"); err != nil {
		t.Fatal(err)
	}
	if del := delivery(t, d, id); del.State != casework.SendingUnderWay {
		t.Fatalf("it is %s", del.State)
	}
	d.Vendor.OnSend = nil
	d.Clock.Move(5 * time.Second)
	d.Sweep() // the lease still runs
	if len(d.Vendor.Letters) != 1 || delivery(t, d, id).State != casework.SendingUnderWay {
		t.Error("somebody took it while its lease ran")
	}
	for range 3 {
		d.Clock.Move(2 * time.Minute)
		d.Sweep()
	}
	if c := d.Row(id); c.State != casework.Open || len(d.Vendor.Letters) != 1 {
		t.Errorf("%s after %d letters", c.State, len(d.Vendor.Letters))
	}
	d.Agrees()
}

// A definite no stops at once, says why on the case, and holds up the messages behind it until a person has decided.
func TestARefusalWaitsForAPerson(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	ragna := d.As("Ragna")
	id := d.Filed("Gates say no")
	d.Vendor.Fails(&channel.Refused{Why: "422: too long."})
	for _, text := range []string{"The first", "The second"} {
		if _, err := d.Cases.Send(t.Context(), ragna, id, cases.Written{Text: text}); err != nil {
			t.Fatal(err)
		}
	}
	d.Sweep()
	all, err := outboxdb.Of(t.Context(), d.Store.DB, id)
	if err != nil || len(all) != 3 || all[1].State != casework.SendingRefused || all[2].State != casework.SendingWaiting {
		t.Fatalf("%+v %v", all, err)
	}
	if v := d.View(id); v.Next == nil || !strings.Contains(v.Next.Why(), "422: too long") {
		t.Errorf("Today says %+v", v.Next)
	}
	d.Clock.Move(time.Hour)
	d.Sweep()
	if len(d.Vendor.Letters) != 2 {
		t.Errorf("%d letters: a refusal was repeated, or overtaken", len(d.Vendor.Letters))
	}
	d.Vendor.OnSend = nil
	if _, err := d.Outbox.Decide(t.Context(), ragna, id, all[1].ID, outbox.Decision{What: outbox.DontSend}); err != nil {
		t.Fatal(err)
	}
	d.Sweep()
	if last := d.Vendor.Last(); last.Text != "The second" || last.Reference != "CV-30001" {
		t.Errorf("then went %+v", last)
	}
	if _, err := d.Outbox.Decide(t.Context(), ragna, id, all[1].ID, outbox.Decision{What: outbox.SendAgain}); err == nil {
		t.Error("what was not to be sent can be sent again")
	}
	d.Agrees()
}

// A vendor that cannot be reached loses nothing and is asked less and less often; what is known not to have left
// needs no look.
func TestAVendorThatIsAway(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	id := d.Filed("Gates say no")
	d.Vendor.Fails(&channel.NotSent{Why: "connection refused"})
	d.Vendor.OnLook = func([]string) (*channel.Receipt, error) {
		t.Error("it was looked up, though nothing had left")
		return nil, nil
	}
	if _, err := d.Cases.Send(t.Context(), d.As("Ragna"), id, cases.Written{Text: "Are you there?"}); err != nil {
		t.Fatal(err)
	}
	var waits []time.Duration
	for range 12 {
		d.Sweep()
		del := delivery(t, d, id)
		if del.State != casework.SendingWaiting || del.NextAt == nil || !strings.Contains(del.Problem, "connection refused") {
			t.Fatalf("%+v", del)
		}
		waits = append(waits, del.NextAt.Sub(d.Clock.Now()))
		d.Clock.Move(waits[len(waits)-1])
	}
	if !slices.IsSorted(waits) || waits[0] > 5*time.Second || waits[11] != 5*time.Minute {
		t.Errorf("it waits %v", waits)
	}
	d.Vendor.OnSend = nil
	d.Sweep()
	if delivery(t, d, id).State != casework.SendingArrived {
		t.Error("it does not go out once the vendor is back")
	}
}

// Looking up that keeps failing is handed to a person, who may say that it arrived, with its number, or have it sent
// again, and the record says that it may be a repeat.
func TestAPersonDecidesWhatNobodyCanKnow(t *testing.T) {
	t.Parallel()
	for what, dec := range map[string]outbox.Decision{
		"arrived": {What: outbox.Arrived, Reference: "CV-20417"}, "again": {What: outbox.SendAgain}} {
		t.Run(what, func(t *testing.T) {
			t.Parallel()
			d := desktest.New(t)
			id := d.Draft("Gates say no")
			d.Vendor.Fails(errors.New("502"))
			d.Vendor.OnLook = func([]string) (*channel.Receipt, error) { return nil, errors.New("503") }
			if err := d.Step(id, cases.StepRequest{Step: casework.File}); err != nil {
				t.Fatal(err)
			}
			for range 20 {
				d.Sweep()
				d.Clock.Move(2 * time.Minute)
			}
			del := delivery(t, d, id)
			if del.State != casework.SendingUnsure || !del.NeedsPerson {
				t.Fatalf("after forty minutes: %+v", del)
			}
			d.Vendor.OnSend = nil
			_, err := d.Outbox.Decide(t.Context(), d.As("Ragna"), id, del.ID, outbox.Decision{What: outbox.Arrived})
			if wrong := (*desk.Invalid)(nil); dec.Reference != "" && !errors.As(err, &wrong) {
				t.Errorf("a filing arrived without its number: %v", err)
			} else if dec.Reference == "" && err == nil {
				t.Error("a filing arrived without its number")
			}
			if _, err := d.Outbox.Decide(t.Context(), d.As("Ragna"), id, del.ID, dec); err != nil {
				t.Fatal(err)
			}
			d.Sweep()
			if c := d.Row(id); c.State != casework.Open {
				t.Errorf("it is %s", c.State)
			}
			said := false
			for _, e := range entries(t, d, id) {
				said = said || strings.Contains(e, "it may be a repeat")
			}
			if said != (what == "again") {
				t.Errorf("the record says that it may be a repeat: %v", said)
			}
			d.Agrees()
		})
	}
}

func entries(t *testing.T, d *desktest.Desk, id int64) (out []string) {
	t.Helper()
	list, _, err := d.Pages.Entries(t.Context(), d.As("Ragna"), id, 0, 500)
	if err != nil {
		t.Fatal(err)
	}
	for _, e := range list {
		out = append(out, e.Body)
	}
	return out
}

// What is to be sent by a person counts from when it was sent, and not before it was written or in the future; the
// vendor's reference has to look like one.
func TestSentByAPerson(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	ragna := d.As("Ragna")
	d.Change("corvane", `{"ways": [{"channel": "phone", "address": "+44 1632 960 111"}],
		"reference_pattern": "CV-[0-9]{5}"}`)
	id := d.Draft("Gates say no")
	if err := d.Step(id, cases.StepRequest{Step: casework.File, Route: filing.Wanted{Channel: route.Phone}}); err != nil {
		t.Fatal(err)
	}
	d.Sweep()
	del := delivery(t, d, id)
	if del.State != casework.SendingToSend || len(d.Vendor.Letters) != 0 {
		t.Fatalf("%+v, %d letters", del, len(d.Vendor.Letters))
	}
	d.Clock.Move(20 * time.Minute)
	for what, dec := range map[string]outbox.Decision{
		"before it was written":       {What: outbox.Arrived, At: new(desktest.Monday.Add(-time.Second))},
		"in the future":               {What: outbox.Arrived, At: new(d.Clock.Now().Add(time.Second))},
		"under a number that is none": {What: outbox.Arrived, Reference: "twelve"},
		"by a link":                   {What: outbox.SendAgain},
	} {
		if _, err := d.Outbox.Decide(t.Context(), ragna, id, del.ID, dec); err == nil {
			t.Errorf("it was sent %s", what)
		}
	}
	at := desktest.Monday.Add(5 * time.Minute)
	if _, err := d.Outbox.Decide(t.Context(), ragna, id, del.ID,
		outbox.Decision{What: outbox.Arrived, At: &at, Reference: "CV-20417"}); err != nil {
		t.Fatal(err)
	}
	if c := d.Row(id); c.State != casework.Open || !c.FiledAt.Equal(at) {
		t.Errorf("%s, filed at %v", c.State, c.FiledAt)
	}
	if _, err := d.Outbox.Decide(t.Context(), d.As("Aksel"), id, del.ID,
		outbox.Decision{What: outbox.DontSend}); err == nil {
		t.Error("an auditor decides")
	}
	if _, err := d.Outbox.Decide(t.Context(), ragna, d.Draft("Another"), del.ID,
		outbox.Decision{What: outbox.DontSend}); !errors.Is(err, db.ErrNotFound) {
		t.Errorf("another case's delivery: %v", err)
	}
	d.Agrees()
}
