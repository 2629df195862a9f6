package drafts_test

import (
	"slices"
	"strings"
	"testing"

	"roundhouse.example/internal/core/casework"
	core "roundhouse.example/internal/core/register"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/desktest"
	"roundhouse.example/internal/desk/drafts"
	"roundhouse.example/internal/desk/register"
	casesdb "roundhouse.example/internal/store/cases"
)

// What was filed under the wrong account is withdrawn and filed again under the right one, in one act: the vendor is
// told of both, each case names the other, and what was confirmed stays confirmed.
func TestTheWrongAccount(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	ragna := d.As("Ragna")
	lab, err := register.Accounts.Add(t.Context(), d.Register, ragna, core.Account{Vendor: "corvane", Number: "salt-lab"})
	if err != nil {
		t.Fatal(err)
	}
	id := d.Filed("Gates say no")
	refs, err := casesdb.References(t.Context(), d.Store.DB, []int64{id})
	if err != nil || len(refs) == 0 {
		t.Fatal(refs, err)
	}
	refile := func(r drafts.Refiling) (int64, string, error) {
		ref, err := d.Drafts.Refile(t.Context(), ragna, id, d.Row(id).Version, r)
		return ref.ID, ref.Warning, err
	}
	if _, _, err := refile(drafts.Refiling{Reason: "Wrong"}); !slices.Equal(desktest.Fields(err), []string{"account"}) {
		t.Errorf("under nothing else: %v", err)
	}
	if _, _, err := refile(drafts.Refiling{Account: &lab.ID}); err == nil || d.Row(id).State != casework.Open {
		t.Errorf("without a reason: %v, %s", err, d.Row(id).State)
	}
	if _, _, err := refile(drafts.Refiling{Reason: "Wrong", Account: new(int64(999))}); err == nil ||
		d.Row(id).State != casework.Open {
		t.Errorf("an account that there is not: %v, %s", err, d.Row(id).State)
	}
	d.Woken = nil // what was rolled back woke nobody
	again, warning, err := refile(drafts.Refiling{Reason: "It is the lab that is down.", Account: &lab.ID})
	if err != nil || warning != "" {
		t.Fatal(warning, err)
	}
	for range 3 {
		d.Sweep()
	}
	old, now := d.View(id).Line, d.View(again).Line
	if old.State != casework.Withdrawn || now.State != casework.Open || old.RefiledAsNumber == nil ||
		*old.RefiledAsNumber != now.Number || now.InsteadOfNumber == nil || *now.InsteadOfNumber != old.Number ||
		*now.AccountID != lab.ID || now.Title != old.Title {
		t.Errorf("%s, then %s: %v %v", old.State, now.State, old.RefiledAsNumber, now.InsteadOfNumber)
	}
	told := ""
	for _, l := range d.Vendor.Letters {
		told += string(l.Action) + ": " + l.Text + "\n"
	}
	if !strings.Contains(told, "We withdraw this request. Please close it.\n\nIt is the lab that is down.") ||
		!strings.Contains(told, "In place of your reference: "+refs[0].Value) || !strings.Contains(told, "salt-lab") {
		t.Errorf("the vendor was told:\n%s", told)
	}
	d.Agrees()
	if _, _, err := refile(drafts.Refiling{Reason: "Again", Account: &lab.ID}); err == nil {
		t.Error("a withdrawn case is filed again")
	}
}

// Filed again with a vendor that asks for more, it stays a draft that says what is missing; the old one is withdrawn.
func TestFiledAgainElsewhere(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	resold(t, d)
	id := d.Filed("Gates say no")
	d.Change("quill", `{"forms":[{"kind":"any","type":"text","key":"shop","label":"Shop","required":true}],
		"through": ""}`)
	ref, err := d.Drafts.Refile(t.Context(), d.As("Ragna"), id, d.Row(id).Version,
		drafts.Refiling{Vendor: "quill", Reason: "It is the shop."})
	if err != nil || !strings.Contains(ref.Warning, "answers.shop") {
		t.Fatalf("%q %v", ref.Warning, err)
	}
	d.Sweep()
	if c := d.Row(ref.ID); c.State != casework.Draft || d.Row(id).State != casework.Withdrawn {
		t.Errorf("%s, the old one %s", c.State, d.Row(id).State)
	}
	if strings.Contains(d.View(ref.ID).Preview, "In place of") {
		t.Error("another vendor is told of a number that it did not give")
	}
	if err := d.Step(ref.ID, cases.StepRequest{Step: casework.Withdraw}); err != nil {
		t.Error(err)
	}
	d.Agrees()
}

// An answer that the form no longer asks for holds nobody up who files a case again or opens one like it.
func TestAFieldThatTheFormNoLongerHas(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	ragna := d.As("Ragna")
	d.Change("corvane", `{"forms":[{"kind":"any","type":"text","key":"tenant","label":"Tenant"},
		{"kind":"any","type":"text","key":"shift","label":"Shift"}]}`)
	id := d.Draft("Gates say no")
	if err := edit(t, d, id, drafts.Edit{Answers: []byte(`{"tenant": "saltmarsh", "shift": "night"}`)}); err != nil {
		t.Fatal(err)
	}
	if err := d.Step(id, cases.StepRequest{Step: casework.File}); err != nil {
		t.Fatal(err)
	}
	d.Sweep()
	d.Change("corvane", `{"forms":[{"kind":"any","type":"text","key":"tenant","label":"Tenant"}]}`)
	lab, err := register.Accounts.Add(t.Context(), d.Register, ragna, core.Account{Vendor: "corvane", Number: "salt-lab"})
	if err != nil {
		t.Fatal(err)
	}
	like, err := d.Drafts.Open(t.Context(), ragna, drafts.Draft{Like: casework.Name(d.Row(id).Number)})
	if err != nil {
		t.Fatal(err)
	}
	again, err := d.Drafts.Refile(t.Context(), ragna, id, d.Row(id).Version,
		drafts.Refiling{Account: &lab.ID, Reason: "It is the lab."})
	if err != nil {
		t.Fatal(err)
	}
	for _, id := range []int64{like.ID, again.ID} {
		if a := d.Row(id).Answers.V; len(a) != 1 || a["tenant"] != "saltmarsh" {
			t.Errorf("%d answers %v", id, a)
		}
	}
}

// The only account that we have with a vendor fills itself in; of two a person chooses.
func TestTheOnlyAccount(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	ragna := d.As("Ragna")
	account := func(vendor, number string) int64 {
		t.Helper()
		a, err := register.Accounts.Add(t.Context(), d.Register, ragna, core.Account{Vendor: vendor, Number: number})
		if err != nil {
			t.Fatal(err)
		}
		return a.ID
	}
	opened := func(vendor string) *int64 {
		t.Helper()
		ref, err := d.Drafts.Open(t.Context(), ragna, drafts.Draft{Vendor: vendor, Title: "It prints twice"})
		if err != nil {
			t.Fatal(err)
		}
		return d.Row(ref.ID).AccountID
	}
	only := account("tallow", "TW-1")
	if got := opened("tallow"); got == nil || *got != only {
		t.Errorf("with one account: %v", got)
	}
	moved, to := d.Draft("Gates say no"), "tallow"
	if got := d.Row(moved).AccountID; got != nil {
		t.Errorf("with no account: %v", *got)
	}
	if err := edit(t, d, moved, drafts.Edit{Vendor: &to}); err != nil {
		t.Fatal(err)
	}
	if got := d.Row(moved).AccountID; got == nil || *got != only {
		t.Errorf("given to a vendor with one account: %v", got)
	}
	account("tallow", "TW-2")
	if got := opened("tallow"); got != nil {
		t.Errorf("of two: %v", *got)
	}
}
