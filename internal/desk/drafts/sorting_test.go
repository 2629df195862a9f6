package drafts_test

import (
	"encoding/json"
	"slices"
	"strings"
	"testing"
	"time"

	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/casework"
	core "roundhouse.example/internal/core/register"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/desktest"
	"roundhouse.example/internal/desk/drafts"
	"roundhouse.example/internal/desk/register"
	casesdb "roundhouse.example/internal/store/cases"
)

// resold adds a vendor that is reached through corvane only, with an asset of it.
func resold(t *testing.T, d *desktest.Desk) (asset int64) {
	t.Helper()
	if _, err := d.Register.AddVendor(t.Context(), d.As("Tuva"), core.Vendor{Key: "quill", Name: "Quill Software",
		Zone: "UTC", Hours: "round-the-clock", Through: "corvane", Levels: []core.VendorLevel{{Label: "Any",
			Severities: []int{1, 2, 3, 4}}}, Ways: []core.Way{{Channel: "phone", Address: "+44 1632 960 111"}}}); err != nil {
		t.Fatal(err)
	}
	a, err := register.Assets.Add(t.Context(), d.Register, d.As("Ragna"), core.Asset{Vendor: "quill", Name: "The shop"})
	if err != nil {
		t.Fatal(err)
	}
	return a.ID
}

func required(d *desktest.Desk, id int64) (fields []string) {
	for _, n := range d.View(id).Needs {
		if n.Required {
			fields = append(fields, n.Field)
		}
	}
	return fields
}

// A case about something whose maker is reached through a reseller is the reseller's, with the maker beside it: its
// routes and levels, and the maker's status, which moves no clock.
func TestACaseThroughAReseller(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	asset := resold(t, d)
	ragna := d.As("Ragna")
	ref, err := d.Drafts.Open(t.Context(), ragna, drafts.Draft{Title: "The shop is empty", Asset: &asset,
		Facts: casesdb.Facts{Environment: "production", Effect: "degraded", Reach: "few", Workaround: "costly"},
		Texts: casesdb.Texts{Happened: "Nobody can buy"}})
	if err != nil {
		t.Fatal(err)
	}
	v := d.View(ref.ID)
	if v.Line.VendorKey != "corvane" || v.Line.Maker == nil || *v.Line.Maker != "Quill Software" ||
		*v.Line.AssetID != asset {
		t.Fatalf("with %s, maker %v", v.Line.VendorKey, v.Line.Maker)
	}
	if err := edit(t, d, ref.ID, drafts.Edit{GoOn: new("It is not covered yet.")}); err != nil {
		t.Fatal(err)
	}
	if _, err := d.Drafts.SetMakerStatus(t.Context(), ragna, ref.ID, "At the bench", d.Clock.Now()); err == nil {
		t.Error("the maker of a draft has a status")
	}
	if err := d.Step(ref.ID, cases.StepRequest{Step: casework.File}); err != nil {
		t.Fatal(err)
	}
	d.Sweep()
	before := *d.Row(ref.ID).Move
	if _, err := d.Drafts.SetMakerStatus(t.Context(), ragna, ref.ID, "At the bench", d.Clock.Now()); err != nil {
		t.Fatal(err)
	}
	if c := d.Row(ref.ID); c.MakerStatus != "At the bench" || *c.Move != before || c.State != casework.Open {
		t.Errorf("%+v", c)
	}
	d.Agrees()
	other := d.Filed("Gates say no")
	if _, err := d.Drafts.SetMakerStatus(t.Context(), ragna, other, "Open", d.Clock.Now()); err == nil {
		t.Error("a case with its vendor directly has a maker's status")
	}
}

// A draft that was begun with the maker goes to the reseller in one act, and back; going to the maker needs
// a reason.
func TestGoingThroughTheReseller(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	asset := resold(t, d)
	ref, err := d.Drafts.Open(t.Context(), d.As("Ragna"), drafts.Draft{Vendor: "quill", Title: "The shop is empty",
		Kind: "question", Ticket: "IT-1", Asset: &asset, Texts: casesdb.Texts{Happened: "Why?"}})
	if err != nil {
		t.Fatal(err)
	}
	if v := d.View(ref.ID); v.Filing.First == nil || v.Filing.First.Key != "corvane" ||
		!slices.Contains(required(d, ref.ID), "go_on_reason") {
		t.Errorf("first %+v, required %v", v.Filing.First, required(d, ref.ID))
	}
	if err := edit(t, d, ref.ID, drafts.Edit{Vendor: new("corvane")}); err != nil {
		t.Fatal(err)
	}
	v := d.View(ref.ID)
	if v.Line.VendorKey != "corvane" || v.Line.MakerKey == nil || *v.Line.MakerKey != "quill" || v.Line.AssetID == nil ||
		v.Filing.First != nil {
		t.Errorf("with the reseller: %s, maker %v, asset %v", v.Line.VendorKey, v.Line.MakerKey, v.Line.AssetID)
	}
	refs, err := casesdb.References(t.Context(), d.Store.DB, []int64{ref.ID})
	if err != nil || len(refs) != 1 || refs[0].Value != "IT-1" {
		t.Errorf("our ticket: %+v %v", refs, err)
	}
	if err := edit(t, d, ref.ID, drafts.Edit{Vendor: new("quill")}); err != nil {
		t.Fatal(err)
	}
	if c := d.Row(ref.ID); c.MakerID != nil || c.AssetID == nil {
		t.Errorf("with the maker again: maker %v, asset %v", c.MakerID, c.AssetID)
	}
	if err := edit(t, d, ref.ID, drafts.Edit{Maker: new("corvane")}); !slices.Equal(desktest.Fields(err),
		[]string{"maker"}) {
		t.Errorf("a maker that is not reached through it: %v", err)
	}
	d.Agrees()
}

// A draft of another vendor's lets go of what is not that vendor's.
func TestAnotherVendor(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	resold(t, d)
	gate, err := register.Assets.Add(t.Context(), d.Register, d.As("Ragna"), core.Asset{Vendor: "corvane", Name: "Gate 1"})
	if err != nil {
		t.Fatal(err)
	}
	ref, err := d.Drafts.Open(t.Context(), d.As("Ragna"), drafts.Draft{Title: "It is down", Asset: &gate.ID})
	if err != nil {
		t.Fatal(err)
	}
	if err := edit(t, d, ref.ID, drafts.Edit{Vendor: new("Quill Software")}); err != nil {
		t.Fatal(err)
	}
	if c := d.Row(ref.ID); c.AssetID != nil || c.MakerID != nil || c.ContractID != nil || c.Title != "It is down" {
		t.Errorf("%+v", c)
	}
	if err := edit(t, d, ref.ID, drafts.Edit{Vendor: new("nobody")}); !slices.Equal(desktest.Fields(err),
		[]string{"vendor"}) {
		t.Errorf("nobody: %v", err)
	}
	id := d.Filed("Gates say no")
	if err := edit(t, d, id, drafts.Edit{Vendor: new("quill")}); !slices.Equal(desktest.Fields(err),
		[]string{"vendor"}) {
		t.Errorf("a filed one: %v", err)
	}
}

// What the desk does not have blocks nobody: the case is kept to be sorted, and is sorted by naming what it is.
func TestToBeSorted(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	ragna := d.As("Ragna")
	unknown := casesdb.Unsorted{Vendor: "Whoever built the gauge", Product: "tide gauge", Kind: "complaint"}
	var ids []int64
	for range 2 {
		ref, err := d.Drafts.Open(t.Context(), ragna, drafts.Draft{Title: "The gauge sends nothing", Unsorted: unknown})
		if err != nil {
			t.Fatal(err)
		}
		ids = append(ids, ref.ID)
	}
	id := ids[0]
	if d.Row(ids[0]).VendorID != d.Row(ids[1]).VendorID || d.Row(id).Unsorted.V != unknown {
		t.Errorf("%+v", d.Row(id))
	}
	if got := required(d, id); !slices.Contains(got, "vendor") {
		t.Errorf("it can be filed: %v", got)
	}
	vendors, err := d.Register.Vendors(t.Context(), ragna, true)
	if err != nil || slices.ContainsFunc(vendors, func(v register.VendorView) bool { return v.Placeholder }) {
		t.Errorf("nobody is among the vendors: %v", err)
	}
	if hits, err := d.Register.Find(t.Context(), ragna, "not known yet", "", 5); err != nil || len(hits) != 0 {
		t.Errorf("nobody is found: %+v %v", hits, err)
	}
	if err := edit(t, d, id, drafts.Edit{Vendor: new("corvane"), Kind: new("fault")}); err != nil {
		t.Fatal(err)
	}
	if u := d.Row(id).Unsorted.V; u != (casesdb.Unsorted{Product: "tide gauge"}) {
		t.Errorf("after it has a vendor and a kind: %+v", u)
	}
	said := false
	for _, n := range d.View(id).Needs {
		said = said || strings.Contains(n.Text, `does not have "tide gauge"`)
	}
	if err := edit(t, d, id, drafts.Edit{Unsorted: json.RawMessage(`{"product": ""}`)}); err != nil || !said {
		t.Errorf("said %v, %v", said, err)
	}
	if u := d.Row(id).Unsorted.V; u != (casesdb.Unsorted{}) {
		t.Errorf("sorted: %+v", u)
	}
	d.Agrees()
}

// A case like another takes what is true of both, and neither when that began nor what was tried.
func TestLikeThisOne(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	id := d.Draft("Gates say no")
	if err := edit(t, d, id, drafts.Edit{Texts: json.RawMessage(`{"since": "nine", "tried": "a restart",
		"steps": "1. Hold a card to it", "contact": "Emil"}`)}); err != nil {
		t.Fatal(err)
	}
	name := casework.Name(d.Row(id).Number)
	ref, err := d.Drafts.Open(t.Context(), d.As("Ragna"), drafts.Draft{Like: name, Title: "Gate 4 too",
		Texts: casesdb.Texts{Contact: "Ragna"}})
	if err != nil {
		t.Fatal(err)
	}
	from, c := d.Row(id), d.Row(ref.ID)
	x := c.Texts.V
	if c.VendorID != from.VendorID || c.Title != "Gate 4 too" || c.Facts.V.Effect != from.Facts.V.Effect ||
		x.Steps == "" || x.Since != "" || x.Tried != "" || x.Contact != "Ragna" || c.State != casework.Draft {
		t.Errorf("%+v", c)
	}
	if ref, err = d.Drafts.Open(t.Context(), d.As("Ragna"), drafts.Draft{Like: name}); err != nil ||
		d.Row(ref.ID).Title != "Gates say no" {
		t.Errorf("without a title: %v", err)
	}
	if _, err := d.Drafts.Open(t.Context(), d.As("Ragna"), drafts.Draft{Like: "C-12345"}); err == nil {
		t.Error("like nothing")
	}
}

// Words point at vendors by what we have of them, with whom to go to first.
func TestWhom(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	resold(t, d)
	list, err := d.Filing.Whom(t.Context(), d.As("Ragna"), "Nothing can be bought in the SHOP today")
	if err != nil || len(list) != 1 || list[0].Vendor.Key != "quill" || list[0].First == nil ||
		list[0].First.Key != "corvane" || !slices.Equal(list[0].Why, []string{"Asset: The shop"}) {
		t.Errorf("%+v %v", list, err)
	}
	for _, text := range []string{"", "it is so", "'; drop table findable; --", "nothing like that & | ! ( :*"} {
		if list, err := d.Filing.Whom(t.Context(), d.As("Ragna"), text); err != nil || len(list) != 0 {
			t.Errorf("%q: %+v %v", text, list, err)
		}
	}
}

// Whether somebody is on the phone now is said before one writes, where the phone has hours of its own.
func TestHoursOfThePhone(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	if _, err := d.Hours.AddCalendar(t.Context(), d.As("Tuva"), "late-shift", "", calendar.Definition{Zone: "UTC",
		Week: map[string][]string{"mon": {"20:00-23:00"}}}); err != nil {
		t.Fatal(err)
	}
	d.Change("corvane", `{"ways": [{"channel": "phone", "address": "+44 1632 960 101", "calendar": "late-shift"},
		{"channel": "portal", "address": "https://help.corvane.example", "calendar": "late-shift"}]}`)
	id := d.Draft("Gates say no")
	h := d.View(id).Hours
	if len(h) != 1 || h[route.Phone].Open || h[route.Phone].Until.Format("15:04") != "20:00" {
		t.Errorf("in the morning: %+v", h)
	}
	if d.Clock.Move(12 * time.Hour); !d.View(id).Hours[route.Phone].Open {
		t.Errorf("in the evening: %+v", d.View(id).Hours)
	}
}

// A contract that ends between draft and filing is said, and going on under it needs a reason.
func TestAContractThatEndsMeanwhile(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	id := d.Draft("Gates say no")
	if got := required(d, id); len(got) != 0 {
		t.Fatalf("a complete draft lacks %v", got)
	}
	if _, err := d.Store.DB.Exec(`update contract set starts_on = '2025-01-01', ends_on = '2026-11-01',
		facts = facts || '{"starts": "2025-01-01", "ends": "2026-11-01"}'
		where id = (select contract_id from support_case where id = $1)`, id); err != nil {
		t.Fatal(err)
	}
	err := d.Step(id, cases.StepRequest{Step: casework.File})
	if got := desktest.Fields(err); !slices.Equal(got, []string{"go_on_reason"}) ||
		!strings.Contains(err.Error(), "is not in force") {
		t.Errorf("filed under a contract that is over: %v", err)
	}
	if err := edit(t, d, id, drafts.Edit{GoOn: new("The renewal is signed.")}); err != nil {
		t.Fatal(err)
	}
	if err := d.Step(id, cases.StepRequest{Step: casework.File}); err != nil {
		t.Errorf("with a reason: %v", err)
	}
}
