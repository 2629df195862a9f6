package dates_test

import (
	"slices"
	"strings"
	"testing"
	"time"

	"roundhouse.example/internal/core/attention"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/dated"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/dates"
	"roundhouse.example/internal/desk/desktest"
	"roundhouse.example/internal/desk/drafts"
	"roundhouse.example/internal/desk/filing"
	"roundhouse.example/internal/desk/outbox"
	casesdb "roundhouse.example/internal/store/cases"
)

func (d tester) in(h time.Duration) dates.Due { return dates.Due{At: new(d.Clock.Now().Add(h))} }

func (d tester) send(id int64, m cases.Written) error {
	_, err := d.Cases.Send(d.t.Context(), d.As("Ragna"), id, m)
	return err
}

func (d tester) has(id int64, parts ...string) {
	d.t.Helper()
	got := d.told(id)
	for _, p := range parts {
		if strings.Count(got, p) != 1 {
			d.t.Errorf("once there should be %q in %s", p, got)
		}
	}
}

// open are the kinds of what is open on a case.
func (d tester) open(id int64) (out []string) {
	for _, x := range d.View(id).Dates {
		if x.EndedAt == nil {
			out = append(out, string(x.Kind))
		}
	}
	return out
}

// What a message asks and answers counts from when the vendor has it, not from when it was written.
func TestAMessageAsksAndAnswers(t *testing.T) {
	t.Parallel()
	d := tester{desktest.New(t), t}
	id := d.Filed("Gates say no")
	d.Clock.Move(time.Minute)
	d.Hear("corvane", desktest.Said("a", "Which bank?", d.Clock.Now()))
	d.must(d.set(id, dates.Setting{Kind: dated.Ask, Owed: deadline.Ours, Words: "Which bank?", Due: d.in(2 * time.Hour),
		Entry: d.View(id).Line.LastEntry}))
	d.must(d.set(id, dates.Setting{Kind: dated.Promise, Words: "A patch", Due: d.in(9 * time.Hour)}))
	along := d.Dates.Along([]dates.Setting{{Kind: dated.Ask, Owed: deadline.Theirs, Words: "The port counters",
		Due: d.in(5 * time.Hour), Details: dates.Details{Who: " Teo "}}}, []string{"1"})
	d.must(d.send(id, cases.Written{Text: "The second one. Please send the port counters.", Dates: along}))
	d.has(id, "1 ask ours running")
	if got := d.open(id); slices.Contains(got[1:], "ask") && strings.Count(strings.Join(got, " "), "ask") > 1 {
		t.Errorf("before it has left: %v", got)
	}
	d.Clock.Move(10 * time.Minute)
	d.Sweep()
	d.has(id, "1 ask ours met", "2 promise theirs running", "3 ask theirs running")
	for _, x := range d.View(id).Dates {
		if x.Name == "3" && (!x.SetAt.Equal(d.Clock.Now().Truncate(time.Second)) || x.Details.V.Who != "Teo") {
			t.Errorf("what is asked: %+v", x)
		}
	}
	d.Agrees()
	for field, x := range map[string]struct {
		set   []dates.Setting
		keeps []string
	}{"keeps[0]": {nil, []string{"1"}}, "keeps[1]": {nil, []string{"9", "2"}},
		"dates[0].text": {[]dates.Setting{{Kind: dated.Part, Due: d.in(time.Hour)}}, nil},
		"dates":         {make([]dates.Setting, 11), nil}} {
		err := d.send(id, cases.Written{Text: "No", Dates: d.Dates.Along(x.set, x.keeps)})
		if !slices.Contains(desktest.Fields(err), field) {
			t.Errorf("%s: %v", field, err)
		}
	}
	if d.Dates.Along(nil, nil) != nil {
		t.Error("nothing is something")
	}
}

// A call dates what was said in it as of the call, and keeps what either side owed.
func TestACallPromises(t *testing.T) {
	t.Parallel()
	d := tester{desktest.New(t), t}
	id := d.Filed("Gates say no")
	d.must(d.set(id, dates.Setting{Kind: dated.Callback, Words: "They ring", Due: d.in(time.Hour)}))
	called := d.Clock.Now().Add(30 * time.Minute)
	d.Clock.Move(3 * time.Hour)
	_, err := d.Cases.AddCall(t.Context(), d.As("Ragna"), id, cases.Heard{With: "Teo", At: called, Text: "A patch comes.",
		Dates: d.Dates.Along([]dates.Setting{{Kind: dated.Promise, Words: "A patch",
			Due: dates.Due{At: new(called.Add(time.Hour))}}}, []string{"1"})})
	d.must(err)
	d.has(id, "1 callback theirs met ", "2 promise theirs late")
	d.Agrees()
	_, err = d.Cases.AddCall(t.Context(), d.As("Ragna"), id, cases.Heard{With: "Teo", At: called, Text: "It came.",
		Dates: d.Dates.Along(nil, []string{"7"})})
	if !slices.Equal(desktest.Fields(err), []string{"keeps[0]"}) {
		t.Errorf("a date that is not there: %v", err)
	}
}

// A message of the vendor's keeps a promise as of when it came, however late somebody says so; the first one since is
// proposed.
func TestKeptByAnEntry(t *testing.T) {
	t.Parallel()
	d := tester{desktest.New(t), t}
	id := d.Filed("Gates say no")
	d.must(d.set(id, dates.Setting{Kind: dated.Promise, Words: "A patch", Due: d.in(time.Hour)}))
	before := d.View(id).Line.LastEntry
	d.Clock.Move(20 * time.Minute)
	d.Hear("corvane", desktest.Said("a", "Here is the patch.", d.Clock.Now()))
	d.Hear("corvane", desktest.Said("b", "Did it work?", d.Clock.Now().Add(time.Second)))
	d.Clock.Move(5 * time.Hour)
	x := d.View(id).Dates[0]
	if x.Proposed == nil || *x.Proposed != before+1 {
		t.Fatalf("proposed is %v, not %d", x.Proposed, before+1)
	}
	for _, bad := range []int{1, before, 99} {
		if err := d.end(id, "1", dates.Ending{How: dates.Kept, Entry: bad}); !slices.Equal(desktest.Fields(err),
			[]string{"entry"}) {
			t.Errorf("kept by entry %d: %v", bad, err)
		}
	}
	d.must(d.end(id, "1", dates.Ending{How: dates.Kept, Entry: *x.Proposed}))
	d.has(id, "1 promise theirs met ")
	d.Agrees()
}

// One act says that a thing has come and dates what comes then; details are added to what is open.
func TestWhatComesThen(t *testing.T) {
	t.Parallel()
	d := tester{desktest.New(t), t}
	id := d.Filed("Gates say no")
	d.must(d.set(id, dates.Setting{Kind: dated.Part, Words: "Card reader", Due: d.in(48 * time.Hour),
		Details: dates.Details{Number: "PR-4410"}}))
	sent := d.Clock.Now().Add(-time.Hour)
	_, err := d.Dates.Detail(t.Context(), d.As("Ragna"), id, "1", dates.Details{SentAt: &sent, Who: "Nordlight Parcels"})
	d.must(err)
	if got := d.View(id).Dates[0].Details.V; got.Number != "PR-4410" || got.Who != "Nordlight Parcels" ||
		got.SentAt == nil {
		t.Errorf("details: %+v", got)
	}
	d.Clock.Move(time.Minute)
	d.must(d.end(id, "1", dates.Ending{How: dates.Moved, Text: "Held at the border", Due: d.in(60 * time.Hour),
		Details: dates.Details{Where: "Dock 2"}}))
	if got := d.View(id).Dates[0].Details.V; got.Number != "PR-4410" || got.Where != "Dock 2" {
		t.Errorf("details after a move: %+v", got)
	}
	then := &dates.Setting{Kind: dated.PartReturn, Words: "The old reader", Due: d.in(240 * time.Hour)}
	d.must(d.end(id, "1", dates.Ending{How: dates.Kept, Then: then}))
	d.has(id, "1 part theirs met ", "2 part-return ours running")
	d.Agrees()
	then.Words = ""
	if err := d.end(id, "2", dates.Ending{How: dates.Kept, Then: then}); !slices.Equal(desktest.Fields(err),
		[]string{"then.text"}) {
		t.Errorf("without words: %v", err)
	}
	if _, err := d.Dates.Detail(t.Context(), d.As("Ragna"), id, "2", dates.Details{}); len(desktest.Fields(err)) != 1 {
		t.Errorf("no details: %v", err)
	}
	if n := len(d.open(id)); n != 1 {
		t.Errorf("%d are open", n)
	}
}

// What was filed on a portal that gave no number back waits for a sign that it arrived, by the vendor's figure; any
// word of theirs is one. By the API it waits for none.
func TestAReceiptIsAwaited(t *testing.T) {
	t.Parallel()
	d := tester{desktest.New(t), t}
	if got := d.open(d.Filed("By the API")); len(got) != 0 {
		t.Errorf("by the API: %v", got)
	}
	d.Change("corvane", `{"receipt_within": "30m",
		"ways": [{"channel": "portal", "address": "https://help.corvane.example"}]}`)
	filed := func(title string, within time.Duration) int64 {
		id := d.Draft(title)
		d.must(d.Step(id, cases.StepRequest{Step: casework.File, Route: filing.Wanted{Channel: route.Portal}}))
		_, err := d.Outbox.Decide(t.Context(), d.As("Ragna"), id, d.View(id).Deliveries[0].ID,
			outbox.Decision{What: outbox.Arrived})
		d.must(err)
		for _, x := range d.View(id).Dates {
			if got := x.DueAt.Sub(x.SetAt); got != within {
				t.Errorf("%s: the receipt is due after %s, not %s", title, got, within)
			}
		}
		return id
	}
	id := filed("By the portal", 30*time.Minute)
	if got := d.open(id); !slices.Equal(got, []string{"receipt"}) {
		t.Fatalf("by the portal: %v", got)
	}
	d.Clock.Move(31 * time.Minute)
	if l := d.View(id).Next; l == nil || l.Step != attention.Confirm || !strings.Contains(l.Why(), "did it arrive?") {
		t.Errorf("Today says %+v", l)
	}
	_, err := d.Cases.AddCall(t.Context(), d.As("Ragna"), id,
		cases.Heard{With: "Teo", At: d.Clock.Now(), Text: "We have it."})
	d.must(err)
	d.has(id, "1 receipt theirs met-late")
	d.Agrees()
	d.Change("corvane", `{"receipt_within": "none"}`)
	if got := d.open(filed("They confirm nothing", 0)); len(got) != 0 {
		t.Errorf("a vendor that confirms nothing: %v", got)
	}
}

// The vendor closes a case that hears nothing from us for as long as its pack said when it was filed.
func TestTheVendorClosesByItself(t *testing.T) {
	t.Parallel()
	d := tester{desktest.New(t), t}
	d.Change("corvane", `{"closes_after_days": 10}`)
	id := d.Filed("Gates say no")
	d.Change("corvane", `{"closes_after_days": 3}`)
	if got := d.open(id); len(got) != 0 {
		t.Fatalf("while it is theirs: %v", got)
	}
	d.Hear("corvane", desktest.Said("a", "Which bank?", d.Clock.Now()))
	d.has(id, "closing closing ours running "+d.Clock.Now().AddDate(0, 0, 10).UTC().Format("Jan 2 15:04"))
	d.Clock.Move(time.Hour)
	d.must(d.send(id, cases.Written{Text: "Wait, we look.", Move: deadline.Ours}))
	d.Sweep()
	d.has(id, "closing closing ours met ", "closing closing ours running "+
		d.Clock.Now().AddDate(0, 0, 10).UTC().Format("Jan 2 15:04"))
	d.Agrees()
}

// The date by which the business needs it begins with the filing, and is kept by the end of the trouble.
func TestTheBusinessNeedsIt(t *testing.T) {
	t.Parallel()
	d := tester{desktest.New(t), t}
	id := d.Draft("Gates say no")
	facts := d.Row(id).Facts.V
	facts.NeededBy = new(d.Clock.Now().Add(72 * time.Hour))
	patch := []byte(`{"needed_by": "` + facts.NeededBy.Format(time.RFC3339) + `"}`)
	d.must(d.Drafts.Edit(t.Context(), d.As("Ragna"), id, d.Row(id).Version, drafts.Edit{Facts: patch}))
	d.must(d.Step(id, cases.StepRequest{Step: casework.File}))
	d.Sweep()
	d.has(id, "1 needed-by theirs running")
	if err := d.set(id, dates.Setting{Kind: dated.NeededBy, Due: d.in(time.Hour)}); err == nil {
		t.Error("it is needed by two dates")
	}
	twice := []dates.Setting{{Kind: dated.NeededBy, Due: d.in(time.Hour)}}
	if err := d.send(id, cases.Written{Text: "By then", Dates: d.Dates.Along(twice, nil)}); err == nil {
		t.Error("a message makes it needed by two dates")
	}
	d.must(d.set(id, dates.Setting{Kind: dated.CheckIn, Due: d.in(time.Hour)}))
	if err := d.end(id, "2", dates.Ending{How: dates.Kept, Then: &twice[0]}); err == nil {
		t.Error("what follows makes it needed by two dates")
	}
	d.must(d.end(id, "2", dates.Ending{How: dates.Kept}))
	d.must(d.Step(id, cases.StepRequest{Step: casework.Resolve, Reason: "Solved", Cause: "A setting"}))
	d.Sweep()
	d.has(id, "1 needed-by theirs met ")
	d.Agrees()
}

// A parking says what it waits for.
func TestAParkingWaitsForAPart(t *testing.T) {
	t.Parallel()
	d := tester{desktest.New(t), t}
	id := d.Filed("Gates say no")
	until := d.Clock.Now().Add(72 * time.Hour)
	part := d.Dates.Along([]dates.Setting{{Kind: dated.Part, Words: "Card reader", Due: d.in(48 * time.Hour)}}, nil)
	d.must(d.Step(id, cases.StepRequest{Step: casework.Park, Reason: "A part", Until: &until, Dates: part}))
	d.has(id, "1 part theirs running")
	other := d.Filed("Another")
	d.must(d.Step(other, cases.StepRequest{Step: casework.Park, Reason: "A part", Until: &until, Agreed: true,
		Dates: part}))
	if got := d.open(other); len(got) != 0 {
		t.Errorf("before the vendor was told: %v", got)
	}
	d.Sweep()
	d.has(other, "1 part theirs running")
	d.Agrees()
	if err := d.Step(id, cases.StepRequest{Step: casework.Resume, Dates: part}); !slices.Equal(desktest.Fields(err),
		[]string{"dates"}) {
		t.Errorf("dates with another step: %v", err)
	}
}

// A wish of a low severity may be quiet for longer than a fault, by our policy; a severe one may not.
func TestAWishHasACalmerRhythm(t *testing.T) {
	t.Parallel()
	d := tester{desktest.New(t), t}
	_, err := d.Register.AddVendor(t.Context(), d.As("Tuva"), register.Vendor{Key: "lark", Name: "Lark Printing",
		Zone: "UTC", Hours: "round-the-clock", ReceiptWithin: "none",
		Levels: []register.VendorLevel{{Label: "Any", Severities: []int{1, 2, 3, 4}}},
		Ways:   []register.Way{{Channel: route.Portal, Address: "https://help.lark.example"}}})
	d.must(err)
	next := func(kind string, severity int) string {
		t.Helper()
		ref, err := d.Drafts.Open(t.Context(), d.As("Ragna"), drafts.Draft{Vendor: "lark", Title: "By kind", Kind: kind,
			Severity: &severity, SeverityReason: "Agreed", GoOn: "No contract is needed",
			Facts: casesdb.Facts{Environment: "production", Effect: "degraded", Reach: "few", Workaround: "easy"},
			Texts: casesdb.Texts{Happened: "Since this morning."}})
		d.must(err)
		d.must(d.Step(ref.ID, cases.StepRequest{Step: casework.File}))
		_, err = d.Outbox.Decide(t.Context(), d.As("Ragna"), ref.ID, d.View(ref.ID).Deliveries[0].ID,
			outbox.Decision{What: outbox.Arrived})
		d.must(err)
		return d.Row(ref.ID).NextAt.UTC().Format("Jan 2 15:04")
	}
	// Monday 10:00 in Oslo: three and ten business days of ours, or twenty.
	for _, x := range []struct {
		kind     string
		severity int
		want     string
	}{{"fault", 3, "Nov 26 15:00"}, {"fault", 4, "Dec 7 15:00"}, {"wish", 4, "Dec 21 15:00"},
		{"capacity", 3, "Dec 21 15:00"}, {"work", 2, "Nov 24 15:00"}} {
		if got := next(x.kind, x.severity); got != x.want {
			t.Errorf("a %s of severity %d asks for attention at %s, not %s", x.kind, x.severity, got, x.want)
		}
	}
	d.Agrees()
}
