package cases_test

import (
	"errors"
	"slices"
	"strings"
	"testing"
	"time"

	"roundhouse.example/internal/channel"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/desktest"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

func said(d *desktest.Desk, key string, offers deadline.Offer) channel.Incoming {
	in := desktest.Said(key, "Try it now.", d.Clock.Now())
	in.Offers = offers
	return in
}

// standing is how a case's clock of a kind stands; the newest, where there are several.
func standing(d *desktest.Desk, id int64, kind deadline.Kind) (out deadline.Standing) {
	for _, x := range d.View(id).Deadlines {
		if x.Clock.Kind == kind {
			out = x.Standing
		}
	}
	return out
}

// A fix stops the vendor's clocks; rejected, they run on as if they had never stopped, and nothing is so until the
// vendor has been told.
func TestARejectedFix(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	id := d.Filed("Gates say no")
	d.Clock.Move(time.Hour)
	d.Hear("corvane", said(d, "1", "fix"))
	if c := d.Row(id); c.State != casework.FixOffered || standing(d, id, deadline.Resolution) != deadline.StandsMet ||
		standing(d, id, deadline.Verification) != deadline.Running {
		t.Fatalf("%s, resolution %s, verification %s", c.State, standing(d, id, deadline.Resolution),
			standing(d, id, deadline.Verification))
	}
	d.Clock.Move(time.Hour)
	if err := d.Step(id, cases.StepRequest{Step: casework.RejectFix}); err == nil {
		t.Error("rejected without a reason")
	}
	if err := d.Step(id, cases.StepRequest{Step: casework.RejectFix, Reason: "It failed again"}); err != nil {
		t.Fatal(err)
	}
	if c := d.Row(id); c.State != casework.FixOffered {
		t.Errorf("it is %s before the vendor has been told", c.State)
	}
	d.Sweep()
	if c := d.Row(id); c.State != casework.Open || standing(d, id, deadline.Resolution) != deadline.Running {
		t.Errorf("%s, resolution %s", c.State, standing(d, id, deadline.Resolution))
	}
	if last := d.Vendor.Last().Text; last !=
		"The fix does not work for us.\n\nIt failed again" {
		t.Errorf("the vendor reads %q", last)
	}
	d.Agrees()
}

// One outward step at a time: a second one waits until the first has left, and says for what.
func TestOneOutwardStepAtATime(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	id := d.Filed("Gates say no")
	d.Vendor.Fails(&channel.NotSent{Why: "connection refused"})
	if err := d.Step(id, cases.StepRequest{Step: casework.Resolve, Reason: "It was our own change"}); err != nil {
		t.Fatal(err)
	}
	d.Sweep()
	err := d.Step(id, cases.StepRequest{Step: casework.Close, Reason: "x"})
	var no *casework.Refusal
	if !errors.As(err, &no) || !strings.Contains(no.Why, "is still being sent to the vendor") {
		t.Errorf("closing behind it: %v", err)
	}
	if err := d.Step(id, cases.StepRequest{Step: casework.ChangeSeverity, To: 2, Reason: "More are hit"}); err != nil {
		t.Errorf("what the vendor is not told of: %v", err)
	}
	d.Vendor.OnSend = nil
	d.Clock.Move(time.Hour)
	d.Sweep()
	if c := d.Row(id); c.State != casework.Resolved {
		t.Errorf("it is %s", c.State)
	}
	d.Agrees()
}

// Parked by us alone only our clocks stop; by agreement both do, once the vendor knows; the date ends it by itself.
func TestParking(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	alone, agreed := d.Filed("Parked by us"), d.Filed("Parked by agreement")
	until := d.Clock.Now().Add(48 * time.Hour)
	if err := d.Step(alone, cases.StepRequest{Step: casework.Park, Until: new(d.Clock.Now()), Reason: "x"}); err == nil {
		t.Error("parked until now")
	}
	for id, both := range map[int64]bool{alone: false, agreed: true} {
		if err := d.Step(id, cases.StepRequest{Step: casework.Park, Until: &until, Agreed: both,
			Reason: "Change window"}); err !=
			nil {
			t.Fatal(err)
		}
	}
	if c := d.Row(agreed); c.Parked {
		t.Error("parked by agreement before the vendor knows")
	}
	d.Clock.Move(time.Minute)
	d.Sweep()
	if got := standing(d, alone, deadline.FirstResponse); got != deadline.Running {
		t.Errorf("parked by us, the vendor's clock is %s", got)
	}
	if got := standing(d, agreed, deadline.FirstResponse); got != deadline.Paused {
		t.Errorf("parked by agreement, the vendor's clock is %s", got)
	}
	d.Clock.Move(72 * time.Hour)
	if n, err := d.Waking.Due(t.Context()); err != nil || n != 2 {
		t.Fatalf("%d woken, %v", n, err)
	}
	for _, id := range []int64{alone, agreed} {
		if c := d.Row(id); c.Parked || c.ParkedUntil != nil {
			t.Errorf("%s is still parked", casework.Name(c.Number))
		}
	}
	if n, err := d.Waking.Due(t.Context()); err != nil || n != 0 {
		t.Errorf("woken again: %d, %v", n, err)
	}
	d.Agrees()
}

// Two people with the same page before them: the second one's step is refused as stale and changes nothing, and what
// a vendor says in between makes nobody's step stale.
func TestTwoPeopleAtOnce(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	id := d.Filed("Gates say no")
	seen := d.Row(id).Version
	d.Hear("corvane", said(d, "1", ""))
	if got := d.Row(id).Version; got != seen {
		t.Errorf("a vendor's message makes version %d of %d", got, seen)
	}
	both := []desk.Actor{d.As("Ragna"), d.As("Emil")}
	desktest.AtOnce(t, len(both), func(i int) error {
		_, err := d.Cases.Step(t.Context(), both[i], id, seen,
			cases.StepRequest{Step: casework.ChangeSeverity, To: i + 1, Reason: both[i].Name})
		return err
	})
	if _, err := d.Cases.Step(t.Context(), d.As("Emil"), id, 0, cases.StepRequest{Step: casework.Take}); err == nil {
		t.Error("a step without a version")
	}
	d.Agrees()
}

// Whoever writes without having seen the vendor's last message is shown it first; nothing is sent.
func TestANewerMessageIsShownFirst(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	id := d.Filed("Gates say no")
	seen := d.Row(id).LastEntry
	d.Clock.Move(time.Minute)
	d.Hear("corvane", said(d, "1", ""))
	_, err := d.Cases.Send(t.Context(), d.As("Ragna"), id, cases.Written{Text: "Any news?", Seen: &seen})
	var newer *desk.NewerMessage
	if !errors.As(err, &newer) || newer.Entry != d.Row(id).LastEntry {
		t.Fatalf("%v", err)
	}
	d.Sweep()
	if len(d.Vendor.Letters) != 1 {
		t.Error("it was sent")
	}
	if _, err := d.Cases.Send(t.Context(), d.As("Ragna"), id, cases.Written{Text: "Thank you, I try it.",
		Seen: &newer.Entry}); err != nil {
		t.Error(err)
	}
}

// A note is nobody's but ours: it has no effect, is not sent, and an auditor reads it.
func TestANoteStaysHere(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	id := d.Filed("Gates say no")
	before := d.Row(id)
	if _, err := d.Cases.AddNote(t.Context(), d.As("Ragna"), id, "Ask the contractor first"); err != nil {
		t.Fatal(err)
	}
	d.Clock.Move(time.Hour)
	d.Sweep()
	if after := d.Row(id); len(d.Vendor.Letters) != 1 || *after.Move != *before.Move || after.State != before.State {
		t.Errorf("%d letters, %s", len(d.Vendor.Letters), after.State)
	}
	if _, err := d.Cases.AddNote(t.Context(), d.As("Ragna"), id, " \n "); err == nil {
		t.Error("an empty note")
	}
	if _, err := d.Cases.AddNote(t.Context(), d.As("Aksel"), id, "By an auditor"); err == nil {
		t.Error("an auditor writes")
	}
	list, _, err := d.Pages.Entries(t.Context(), d.As("Aksel"), id, 0, 100)
	if err != nil || list[len(list)-1].Body != "Ask the contractor first" {
		t.Errorf("the auditor reads %v %v", list, err)
	}
}

// A call counts at the instant it was, before what has come in since, and not before the filing or in the future.
func TestACallCountsWhenItWas(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	ragna := d.As("Ragna")
	id := d.Filed("Gates say no")
	d.Clock.Move(time.Hour)
	for what, at := range map[string]time.Time{"before the filing": desktest.Monday.Add(-time.Minute),
		"in the future": d.Clock.Now().Add(time.Minute)} {
		if _, err := d.Cases.AddCall(t.Context(), ragna, id, cases.Heard{With: "Teo", At: at, Text: "x"}); err == nil {
			t.Errorf("a call %s", what)
		}
	}
	if _, err := d.Cases.AddCall(t.Context(), ragna, id,
		cases.Heard{With: " ", At: d.Clock.Now(), Text: "x"}); err == nil {
		t.Error("a call with nobody")
	}
	at := desktest.Monday.Add(20 * time.Minute)
	if _, err := d.Cases.AddCall(t.Context(), ragna, id,
		cases.Heard{With: "Teo Brannigan", At: at, Text: "They look at it", Move: deadline.Theirs,
			Status: "with engineering"}); err != nil {
		t.Fatal(err)
	}
	// What was said before does not stand over what was said later.
	if _, err := d.Cases.AddCall(t.Context(), ragna, id,
		cases.Heard{With: "Teo", At: at.Add(-time.Minute), Text: "x", Status: "logged"}); err != nil {
		t.Fatal(err)
	}
	if c := d.Row(id); c.VendorStatus != "with engineering" || c.VendorStatusAt == nil || !c.VendorStatusAt.Equal(at) {
		t.Errorf("the vendor status is %q of %v", c.VendorStatus, c.VendorStatusAt)
	}
	for _, x := range d.View(id).Deadlines {
		if x.Clock.Kind == deadline.FirstResponse && (x.Standing != deadline.StandsMet || x.Counted != 19*60) {
			t.Errorf("first response %s after %d s", x.Standing, x.Counted)
		}
	}
	d.Agrees()
}

// Another level is asked of the vendor under the conditions of a filing at it: each one confirmed, and a contact round
// the clock; the vendor's clocks change once it has the request.
func TestAnotherLevel(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	id := d.Filed("Gates say no")
	ask := cases.StepRequest{Step: casework.ChangeLevel, To: 1, Reason: "The whole region is down"}
	if err := d.Step(id, ask); len(desktest.Fields(err)) != 3 {
		t.Fatalf("without conditions and contact: %v", err)
	}
	for _, l := range func() []int64 {
		var ids []int64
		if err := d.Store.DB.Select(&ids, `select c.id from level_criterion c join vendor_level l on l.id = c.level_id
			join vendor v on v.id = l.vendor_id where v.key = 'corvane' and l.rank = 1 order by c.position`); err != nil {
			t.Fatal(err)
		}
		return ids
	}() {
		ask.Confirmed = append(ask.Confirmed, l)
	}
	if err := d.Step(id, ask); !slices.Equal(desktest.Fields(err), []string{"contact"}) {
		t.Fatalf("without a contact: %v", err)
	}
	ask.Contact = "Duty phone, +44 1632 960 004"
	if err := d.Step(id, ask); err != nil {
		t.Fatal(err)
	}
	if d.Row(id).LevelRank == nil || *d.Row(id).LevelRank == 1 {
		t.Error("the level changed before the vendor has the request")
	}
	d.Clock.Move(time.Hour)
	d.Sweep()
	if last := d.Row(id).LastWordAt; last == nil || !last.Equal(d.Clock.Now().Truncate(time.Second)) {
		t.Errorf("the last word was at %v, not when the vendor was told", last)
	}
	letter := d.Vendor.Last()
	if c := d.Row(id); *c.LevelRank != 1 || letter.Level != "Alarm" ||
		!strings.Contains(letter.Text, "confirmed by Ragna Lie") || !strings.Contains(letter.Text, "+44 1632 960 004") {
		t.Errorf("level %d, the vendor reads %q %q", *c.LevelRank, letter.Level, letter.Text)
	}
	d.Agrees()
}

// What is offered in a message is marked by a person, once; a second fix while one is verified is refused.
func TestAnOfferIsMarked(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	id := d.Filed("Gates say no")
	d.Clock.Move(time.Minute)
	automatic := said(d, "0", "")
	automatic.Automatic = true
	d.Hear("corvane", automatic, said(d, "1", ""), said(d, "2", ""))
	n := d.Row(id).LastEntry
	for what, r := range map[string]cases.StepRequest{
		"nothing":       {Step: casework.MarkOffer, Entry: n},
		"our own words": {Step: casework.MarkOffer, Entry: 2, Offers: "fix"},
		"no such entry": {Step: casework.MarkOffer, Entry: 77, Offers: "fix"},
		"a receipt":     {Step: casework.MarkOffer, Entry: n - 2, Offers: "fix"},
	} {
		if err := d.Step(id, r); err == nil {
			t.Errorf("%s was marked", what)
		}
	}
	if err := d.Step(id, cases.StepRequest{Step: casework.MarkOffer, Entry: n - 1, Offers: "workaround"}); err != nil {
		t.Fatal(err)
	}
	if err := d.Step(id, cases.StepRequest{Step: casework.MarkOffer, Entry: n, Offers: "fix"}); err != nil {
		t.Fatal(err)
	}
	if c := d.Row(id); c.State != casework.FixOffered || !c.WorkaroundOffered {
		t.Errorf("%s, workaround %v", c.State, c.WorkaroundOffered)
	}
	if err := d.Step(id, cases.StepRequest{Step: casework.MarkOffer, Entry: n - 1, Offers: "fix"}); err == nil {
		t.Error("a second fix while one is verified")
	}
	d.Agrees()
}

// A case is given to somebody who can have it, and taken from anybody.
func TestOwners(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	id := d.Filed("Gates say no")
	for _, who := range []string{"nobody@saltmarsh.example", "aksel@saltmarsh.example"} { // an auditor owns nothing
		if err := d.Step(id, cases.StepRequest{Step: casework.Give, Person: who}); err == nil {
			t.Errorf("given to %s", who)
		}
	}
	if err := d.Step(id, cases.StepRequest{Step: casework.Give, Person: "EMIL@saltmarsh.example"}); err != nil {
		t.Fatal(err)
	}
	if owner := d.Row(id).OwnerID; owner == nil || *owner != d.As("Emil").ID {
		t.Errorf("the owner is %v", owner)
	}
	if err := d.Step(id, cases.StepRequest{Step: casework.Take}); err != nil {
		t.Fatal(err)
	}
	if owner := d.Row(id).OwnerID; *owner != d.As("Ragna").ID {
		t.Errorf("the owner is %v", owner)
	}
	d.Agrees()
}

// A withdrawn draft ends without a word to anybody; a filed case is withdrawn with one, and neither comes back.
func TestWithdrawing(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	draft, filed := d.Draft("A draft"), d.Filed("A case")
	letters := len(d.Vendor.Letters)
	if err := d.Step(draft, cases.StepRequest{Step: casework.Withdraw}); err != nil {
		t.Fatal(err)
	}
	if err := d.Step(filed, cases.StepRequest{Step: casework.Withdraw}); err == nil {
		t.Error("a filed case without a reason")
	}
	if err := d.Step(filed, cases.StepRequest{Step: casework.Withdraw, Reason: "Opened by mistake"}); err != nil {
		t.Fatal(err)
	}
	d.Sweep()
	if n := len(d.Vendor.Letters) - letters; n != 1 {
		t.Errorf("%d letters", n)
	}
	for _, id := range []int64{draft, filed} {
		if c := d.Row(id); c.State != casework.Withdrawn || c.NextAt != nil {
			t.Errorf("%s, next %v", c.State, c.NextAt)
		}
		if err := d.Step(id, cases.StepRequest{Step: casework.Reopen, Reason: "x"}); err == nil {
			t.Error("a withdrawn case came back")
		}
	}
	d.Agrees()
}

// The record cannot be rewritten, not even by whoever has the database's password and a statement.
func TestTheRecordIsAppendOnly(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	d.Filed("Gates say no")
	for _, sql := range []string{"update case_entry set happened_at = now()", "delete from case_entry",
		"truncate case_entry cascade", "update case_entry set effect = null where effect is not null"} {
		if _, err := d.Store.DB.Exec(sql); err == nil || !strings.Contains(err.Error(), "append-only") {
			t.Errorf("%s: %v", sql, err)
		}
	}
	var c casesdb.Case
	if err := d.Store.DB.Get(&c.LastEntry, "select max(number) from case_entry"); err != nil || c.LastEntry == 0 {
		t.Errorf("%d %v", c.LastEntry, err)
	}
}
