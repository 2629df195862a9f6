package drafts_test

import (
	"encoding/json"
	"errors"
	"slices"
	"strings"
	"testing"
	"time"

	"roundhouse.example/internal/channel"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/intake"
	core "roundhouse.example/internal/core/register"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/desktest"
	"roundhouse.example/internal/desk/drafts"
	"roundhouse.example/internal/desk/register"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

func edit(t *testing.T, d *desktest.Desk, id int64, ch drafts.Edit) error {
	t.Helper()
	return d.Drafts.Edit(t.Context(), d.As("Ragna"), id, d.Row(id).Version, ch)
}

// Who opens a case is whom the vendor may contact, where a phone number of theirs is known.
func TestWhoTheVendorMayContact(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	if id := d.Draft("Gates say no"); d.Row(id).Texts.V.Contact != "" {
		t.Errorf("without a phone: %q", d.Row(id).Texts.V.Contact)
	}
	if _, err := d.Store.DB.Exec("update person set phone = '+44 1632 960 101' where name = 'Ragna Lie'"); err != nil {
		t.Fatal(err)
	}
	if id := d.Draft("Doors say no"); d.Row(id).Texts.V.Contact != "Ragna Lie, +44 1632 960 101" {
		t.Errorf("with a phone: %q", d.Row(id).Texts.V.Contact)
	}
}

// What is wrong with a new draft is said by field, and no case is begun.
func TestADraftThatCannotBe(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	for field, n := range map[string]drafts.Draft{
		"title":  {Vendor: "corvane", Title: " \t "},
		"vendor": {Vendor: "nobody", Title: "Gates say no"},
		"asset":  {Vendor: "corvane", Title: "Gates say no", Asset: new(int64(77))},
		"answers.tenant": {Vendor: "corvane", Title: "Gates say no",
			Answers: map[string]string{"tenant": "saltmarsh-prod"}},
	} {
		_, err := d.Drafts.Open(t.Context(), d.As("Ragna"), n)
		if got := desktest.Fields(err); len(got) == 0 || got[0] != field {
			t.Errorf("%s: %v", field, err)
		}
	}
	if _, err := d.Drafts.Open(t.Context(), d.As("Aksel"), drafts.Draft{Vendor: "corvane", Title: "x"}); err == nil {
		t.Error("an auditor opens a case")
	}
	var n int
	if err := d.Store.DB.Get(&n, "select count(*) from support_case"); err != nil || n != 0 {
		t.Errorf("%d cases were begun, %v", n, err)
	}
}

// A draft's severity follows from its facts as they change, until somebody sets another, with a reason.
func TestTheSeverityFollowsTheFacts(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	id := d.Draft("Gates say no")
	if s := d.Row(id).Severity; s == nil || *s != 3 {
		t.Fatalf("severity %v", s)
	}
	if err := edit(t, d, id, drafts.Edit{Facts: json.RawMessage(`{"effect": "stopped", "reach": "everyone",
		"workaround": "none"}`)}); err != nil {
		t.Fatal(err)
	}
	if s := d.Row(id).Severity; *s != 1 {
		t.Errorf("severity %d of what has stopped for everyone", *s)
	}
	if err := edit(t, d, id, drafts.Edit{Severity: new(new(2))}); err != nil {
		t.Fatal(err)
	}
	v := d.View(id)
	if *v.Line.Severity != 2 || v.Warning == "" {
		t.Errorf("severity %d, %q", *v.Line.Severity, v.Warning)
	}
	missing := ""
	for _, n := range v.Needs {
		if n.Required {
			missing += n.Field + " "
		}
	}
	if !strings.Contains(missing, "severity_reason") {
		t.Errorf("missing: %s", missing)
	}
	var none *int
	if err := edit(t, d, id, drafts.Edit{Severity: &none, Facts: json.RawMessage(`{"workaround": "easy"}`)}); err != nil {
		t.Fatal(err)
	}
	if s := d.Row(id).Severity; *s != 2 {
		t.Errorf("severity %d with an easy workaround", *s)
	}
	if err := edit(t, d, id, drafts.Edit{Facts: json.RawMessage(`{"colour": "red"}`)}); err == nil {
		t.Error("a fact that there is not")
	}
	if err := edit(t, d, id, drafts.Edit{Facts: json.RawMessage(`{"effect": "purple"}`)}); err == nil &&
		d.Row(id).Severity != nil {
		t.Error("an effect that there is not is graded")
	}
}

// A patch changes what it names and leaves the rest; null clears; what two people write does not overwrite each other
// unseen.
func TestPatches(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	id := d.Draft("Gates say no")
	seen := d.Row(id).Version
	if err := edit(t, d, id, drafts.Edit{Texts: json.RawMessage(`{"since": "nine", "tried": "a restart"}`)}); err != nil {
		t.Fatal(err)
	}
	if err := edit(t, d, id,
		drafts.Edit{Texts: json.RawMessage(`{"since": null}`), Title: new("Gates say no, all")}); err !=
		nil {
		t.Fatal(err)
	}
	if err := edit(t, d, id, drafts.Edit{Title: new(" ")}); !slices.Equal(desktest.Fields(err), []string{"title"}) {
		t.Errorf("no title: %v", err)
	}
	c := d.Row(id)
	if x := c.Texts.V; c.Title != "Gates say no, all" || x.Since != "" || x.Tried != "a restart" || x.Happened == "" {
		t.Errorf("%q %+v", c.Title, x)
	}
	err := d.Drafts.Edit(t.Context(), d.As("Emil"), id, seen, drafts.Edit{Title: new("Mine")})
	if stale := (*desk.Stale)(nil); !errors.As(err, &stale) || len(stale.Fields) != 1 || d.Row(id).Title == "Mine" {
		t.Errorf("over what Ragna wrote: %v", err)
	}
	// What she did not write he can change, and what both say alike is no difference.
	if err := d.Drafts.Edit(t.Context(), d.As("Emil"), id, seen, drafts.Edit{Title: new("Gates say no, all"),
		Texts: json.RawMessage(`{"expected": "Yes"}`)}); err != nil || d.Row(id).Texts.V.Expected != "Yes" {
		t.Errorf("beside what Ragna wrote: %v", err)
	}
}

// A filed case keeps what it was graded by; its title and our ticket's number can be corrected, and the record says so.
func TestWhatWasFiledStays(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	id := d.Filed("Gates say no")
	if err := edit(t, d, id, drafts.Edit{Facts: json.RawMessage(`{"effect": "none"}`)}); err == nil {
		t.Error("the facts were changed after the filing")
	}
	if err := edit(t, d, id, drafts.Edit{Title: new("Gate 3 says no"), Ticket: new("IT-5791")}); err != nil {
		t.Fatal(err)
	}
	refs, err := casesdb.References(t.Context(), d.Store.DB, []int64{id})
	if err != nil || len(refs) != 2 || d.Row(id).Title != "Gate 3 says no" {
		t.Errorf("%+v %v", refs, err)
	}
	if err := edit(t, d, id, drafts.Edit{Reference: new("CV-30001")}); err != nil {
		t.Errorf("the reference that it has: %v", err)
	}
	other := d.Filed("Another")
	if err := edit(t, d, other, drafts.Edit{Reference: new("CV-30001")}); err == nil {
		t.Error("two cases with one reference")
	}
	d.Agrees()
}

// While a filing is on its way nothing of the draft can be changed; a filing that was refused, and is not to be sent
// again, leaves the draft as it was.
func TestADraftThatIsBeingFiled(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	id := d.Draft("Gates say no")
	d.Vendor.Fails(&channel.Refused{Why: "the tenant is unknown"})
	if err := d.Step(id, cases.StepRequest{Step: casework.File}); err != nil {
		t.Fatal(err)
	}
	if err := edit(t, d, id, drafts.Edit{Texts: json.RawMessage(`{"happened": "Too late"}`)}); err == nil {
		t.Error("changed while it is being filed")
	}
	d.Sweep()
	d.Clock.Move(time.Minute)
	if err := d.Step(id, cases.StepRequest{Step: casework.Withdraw}); err != nil {
		t.Fatalf("a refused filing: %v", err)
	}
	if c := d.Row(id); c.State != casework.Withdrawn || len(d.Vendor.Letters) != 1 {
		t.Errorf("%s after %d letters", c.State, len(d.Vendor.Letters))
	}
	d.Agrees()
}

// A filing lacks nothing that is required: each missing thing is named, and nothing is sent.
func TestWhatAFilingNeeds(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	ref, err := d.Drafts.Open(t.Context(), d.As("Ragna"), drafts.Draft{Vendor: "corvane", Title: "Gates say no",
		Facts: casesdb.Facts{Environment: "production", Effect: "stopped", Reach: "everyone", Workaround: "none"}})
	if err != nil {
		t.Fatal(err)
	}
	err = d.Step(ref.ID, cases.StepRequest{Step: casework.File})
	if got := strings.Join(desktest.Fields(err), " "); got != "texts.happened criteria criteria texts.contact_always" {
		t.Errorf("it lacks %s: %v", got, err)
	}
	d.Sweep()
	if c := d.Row(ref.ID); c.State != casework.Draft || len(d.Vendor.Letters) != 0 {
		t.Errorf("%s, %d letters", c.State, len(d.Vendor.Letters))
	}
}

// What a draft says is affected follows its asset, until somebody writes it in words of their own.
func TestTheAffectedFollowsTheAsset(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	var assets []*int64
	for _, name := range []string{"Gate 1", "Gate 2"} {
		a, err := register.Assets.Add(t.Context(), d.Register, d.As("Ragna"), core.Asset{Vendor: "corvane", Name: name})
		if err != nil {
			t.Fatal(err)
		}
		assets = append(assets, &a.ID)
	}
	id := d.Draft("Gates say no")
	for _, x := range []struct {
		edit drafts.Edit
		want string
	}{
		{drafts.Edit{Asset: &assets[0]}, "Gate 1"},
		{drafts.Edit{Asset: &assets[1]}, "Gate 2"},
		{drafts.Edit{Texts: json.RawMessage(`{"affected": "All the gates"}`)}, "All the gates"},
		{drafts.Edit{Asset: &assets[0]}, "All the gates"},
	} {
		if err := edit(t, d, id, x.edit); err != nil {
			t.Fatal(err)
		}
		if got := d.Row(id).Texts.V.Affected; got != x.want {
			t.Errorf("affected is %q, not %q", got, x.want)
		}
	}
}

// What is completed after the filing is marked as untold until a message carries it, and only what changed before that
// message was written.
func TestCompletedAfterTheFiling(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	id := d.Filed("Gates say no")
	complete := func(texts string) {
		t.Helper()
		if err := edit(t, d, id, drafts.Edit{Texts: json.RawMessage(texts)}); err != nil {
			t.Fatal(err)
		}
	}
	untold := func() (out []string) {
		for _, u := range d.View(id).Untold {
			out = append(out, u.Label)
		}
		return out
	}
	if got := untold(); len(got) != 0 {
		t.Errorf("right after the filing: %v", got)
	}
	before := intake.Measure(d.View(id).Pieces)
	complete(`{"steps": "1. Hold a card to gate 3", "often": "always", "contact": "Ragna Lie"}`)
	if got := untold(); !slices.Equal(got, []string{"Contact", "How often", "Steps to reproduce"}) {
		t.Errorf("not told: %v", got)
	}
	if now := intake.Measure(d.View(id).Pieces); now <= before {
		t.Errorf("complete by %d after %d", now, before)
	}
	d.Agrees()
	if _, err := d.Cases.Send(t.Context(), d.As("Ragna"), id, cases.Written{Untold: true}); err != nil {
		t.Fatal(err)
	}
	complete(`{"error": "E-44"}`) // while the message is on its way
	d.Sweep()
	letter := d.Vendor.Letters[len(d.Vendor.Letters)-1].Text
	for _, want := range []string{"How often: always", "Steps to reproduce\n1. Hold a card to gate 3",
		"Contact\nRagna Lie"} {
		if !strings.Contains(letter, want) {
			t.Errorf("the message lacks %q:\n%s", want, letter)
		}
	}
	if got := untold(); !slices.Equal(got, []string{"Error text"}) || strings.Contains(letter, "E-44") {
		t.Errorf("after the message: %v\n%s", got, letter)
	}
	complete(`{"error": ""}`)
	if _, err := d.Cases.Send(t.Context(), d.As("Ragna"), id, cases.Written{Text: "So far.", Untold: true}); err != nil {
		t.Fatal(err)
	}
	d.Sweep()
	letter = d.Vendor.Letters[len(d.Vendor.Letters)-1].Text
	if !strings.Contains(letter, "So far.\n\nError text: this no longer applies") || len(untold()) != 0 {
		t.Errorf("what was cleared: %v\n%s", untold(), letter)
	}
	if _, err := d.Cases.Send(t.Context(), d.As("Ragna"), id, cases.Written{Untold: true}); err == nil {
		t.Error("a message with nothing in it")
	}
	d.Agrees()
}

// A level whose conditions change while somebody writes is confirmed anew: what was confirmed was another condition.
func TestConditionsThatChangeMeanwhile(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	ref, err := d.Drafts.Open(t.Context(), d.As("Ragna"), drafts.Draft{Vendor: "corvane", Title: "Gates say no",
		Facts: casesdb.Facts{Environment: "production", Effect: "stopped", Reach: "everyone", Workaround: "none"},
		Texts: casesdb.Texts{Happened: "All of them", ContactAlways: "Ragna Lie, +44 1632 960 101"}})
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range d.View(ref.ID).Level.Criteria {
		if err := d.Step(ref.ID, cases.StepRequest{Step: casework.Confirm, Criterion: c.ID}); err != nil {
			t.Fatal(err)
		}
	}
	if got := required(d, ref.ID); len(got) != 0 {
		t.Fatalf("with all confirmed it lacks %v", got)
	}
	d.Change("corvane", `{"levels": [{"label": "Critical", "severities": [1], "round_the_clock": true,
		"criteria": ["Every harbour is dark"]}, {"label": "Regular", "severities": [2, 3, 4]}]}`)
	err = d.Step(ref.ID, cases.StepRequest{Step: casework.File})
	if got := desktest.Fields(err); !slices.Equal(got, []string{"criteria"}) ||
		!strings.Contains(err.Error(), "Every harbour is dark") {
		t.Errorf("filed under conditions that nobody confirmed: %v", err)
	}
}
