package register_test

import (
	"errors"
	"slices"
	"strings"
	"testing"

	core "roundhouse.example/internal/core/register"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/desktest"
	"roundhouse.example/internal/desk/register"
	"roundhouse.example/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

func product(t *testing.T, d *desktest.Desk) register.Thing[core.Product] {
	t.Helper()
	p, err := register.Products.Add(t.Context(), d.Register, d.As("Ragna"),
		core.Product{Vendor: "tallow", Name: "Array 40",
			Versions: []core.Version{{Name: "7.2"}, {Name: "8.0"}}})
	if err != nil {
		t.Fatal(err)
	}
	return p
}

// What an asset names must be there, with its vendor; all that is wrong is said at once, and nothing is half there.
func TestAnAssetNamesWhatIsThere(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	ragna := d.As("Ragna")
	product(t, d)
	_, err := register.Assets.Add(t.Context(), d.Register, ragna, core.Asset{Vendor: "tallow", Name: "Gannetholm-2",
		Product: "Array 40", Version: "9.9", Account: "A-1", Contract: "K-1"})
	if got := desktest.Fields(err); !slices.Equal(got, []string{"account", "contract", "version"}) {
		t.Errorf("%v: %v", got, err)
	}
	// The product is tallow's: another vendor does not have it.
	_, err = register.Assets.Add(t.Context(), d.Register, ragna, core.Asset{Vendor: "corvane", Name: "Gannetholm-2",
		Product: "Array 40"})
	if got := desktest.Fields(err); !slices.Equal(got, []string{"product"}) {
		t.Errorf("%v: %v", got, err)
	}
	a, err := register.Assets.Add(t.Context(), d.Register, ragna, core.Asset{Vendor: "tallow", Name: "Gannetholm-2",
		Product: "array 40", Version: "7.2", Serial: "TWS-40-1"})
	if err != nil || a.Facts.Product != "Array 40" {
		t.Errorf("%+v %v", a.Facts, err)
	}
	for field, x := range map[string]core.Asset{"name": {Vendor: "tallow", Name: "gannetholm-2"},
		"serial": {Vendor: "tallow", Name: "Gannetholm-3", Serial: "TWS-40-1"}, "vendor": {Vendor: "moon", Name: "Far"}} {
		if _, err := register.Assets.Add(t.Context(), d.Register, ragna, x); !slices.Equal(desktest.Fields(err),
			[]string{field}) {
			t.Errorf("%+v: %v", x, err)
		}
	}
	if _, err := register.Assets.Add(t.Context(), d.Register, d.As("Aksel"), core.Asset{Vendor: "tallow",
		Name: "Mine"}); err == nil {
		t.Error("an auditor added an asset")
	}
}

// A change is made to what somebody has seen: of several at once one wins, and the others are told.
func TestSeveralChangeAThing(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	ragna := d.As("Ragna")
	p := product(t, d)
	won := desktest.AtOnce(t, 5, func(i int) error {
		_, err := register.Products.Change(t.Context(), d.Register, ragna, p.ID, p.Version,
			[]byte(`{"note": "`+strings.Repeat("n", i+1)+`"}`), false)
		return err
	})
	is, err := register.Products.Get(t.Context(), d.Register, ragna, p.ID)
	if err != nil || len(is.Facts.Note) != won+1 || len(is.Facts.Versions) != 2 {
		t.Errorf("%d won, and it is %+v, %v", won, is.Facts, err)
	}
	for patch, field := range map[string]string{`{"shoe_size": 44}`: "shoe_size", `{"name": ""}`: "name",
		`{"name": 7}`: "name", `{"versions": [{"name": "1"}, {"name": "1"}]}`: "versions[1].name"} {
		if _, err := register.Products.Change(t.Context(), d.Register, ragna, p.ID, is.Version, []byte(patch),
			false); !slices.Contains(desktest.Fields(err), field) {
			t.Errorf("%s: %v", patch, err)
		}
	}
	if now, _ := register.Products.Get(t.Context(), d.Register, ragna, p.ID); now.Version != is.Version {
		t.Error("a refused change changed it")
	}
}

// A change of targets asks first where live cases are under them; what was promised to those stays.
func TestTargetsUnderLiveCases(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	tuva := d.As("Tuva")
	id := d.Filed("Gates say no")
	row := d.Row(id)
	if row.ContractID == nil {
		t.Fatal("the case is under no contract")
	}
	k, err := register.Contracts.Get(t.Context(), d.Register, tuva, *row.ContractID)
	if err != nil {
		t.Fatal(err)
	}
	before := d.View(id)
	patch := []byte(`{"terms": [{"deadline": "first-response", "level": 1, "target": "5m",
		"calendar": "round-the-clock"}]}`)
	_, err = register.Contracts.Change(t.Context(), d.Register, tuva, k.ID, k.Version, patch, false)
	if asks := (*desk.Touches)(nil); !errors.As(err, &asks) || !strings.Contains(asks.Words, "1 live case keeps") {
		t.Fatalf("it does not ask: %v", err)
	}
	if now, _ := register.Contracts.Get(t.Context(), d.Register, tuva, k.ID); now.Version != k.Version {
		t.Error("it was changed before it was confirmed")
	}
	now, err := register.Contracts.Change(t.Context(), d.Register, tuva, k.ID, k.Version, patch, true)
	if err != nil || len(now.Facts.Terms) != 1 || now.Facts.Terms[0].Target != "5m" {
		t.Errorf("%+v %v", now.Facts.Terms, err)
	}
	if after := d.View(id); len(after.Deadlines) != len(before.Deadlines) {
		t.Errorf("the case had %d clocks and has %d", len(before.Deadlines), len(after.Deadlines))
	}
	d.Agrees()
	// A note alone concerns no case.
	if _, err := register.Contracts.Change(t.Context(), d.Register, tuva, k.ID, now.Version,
		[]byte(`{"note": "Ask Imke"}`),
		false); err != nil {
		t.Error(err)
	}
	inUse := (*desk.InUse)(nil)
	now, _ = register.Contracts.Get(t.Context(), d.Register, tuva, k.ID)
	if err := register.Contracts.Remove(t.Context(), d.Register, tuva, k.ID, now.Version); !errors.As(err, &inUse) {
		t.Errorf("a contract with a case under it: %v", err)
	}
}

// What others refer to stays; a thing that nobody names goes, once.
func TestRemoving(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	ragna := d.As("Ragna")
	p := product(t, d)
	a, err := register.Assets.Add(t.Context(), d.Register, ragna, core.Asset{Vendor: "tallow", Name: "Gannetholm-2",
		Product: "Array 40"})
	if err != nil {
		t.Fatal(err)
	}
	inUse, stale := (*desk.InUse)(nil), (*desk.Stale)(nil)
	if err := register.Products.Remove(t.Context(), d.Register, ragna, p.ID, p.Version); !errors.As(err, &inUse) ||
		!strings.Contains(inUse.Why, "assets refer to it") {
		t.Errorf("%v", err)
	}
	if err := register.Assets.Remove(t.Context(), d.Register, ragna, a.ID, a.Version+1); !errors.As(err, &stale) {
		t.Errorf("%v", err)
	}
	for i, err := range []error{register.Assets.Remove(t.Context(), d.Register, ragna, a.ID, a.Version),
		register.Products.Remove(t.Context(), d.Register, ragna, p.ID, p.Version)} {
		if err != nil {
			t.Errorf("%d: %v", i, err)
		}
	}
	if err := register.Assets.Remove(t.Context(), d.Register, ragna, a.ID, a.Version); err == nil {
		t.Error("removed twice")
	}
}

// A vendor's levels stay as long as a live case has one; a check says the same as the change, and changes nothing.
func TestAVendorsLevels(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	tuva := d.As("Tuva")
	d.Filed("Gates say no")
	_, version, err := d.Register.VendorFacts(t.Context(), tuva, "corvane")
	if err != nil {
		t.Fatal(err)
	}
	one := []byte(`{"levels": [{"label": "Only", "severities": [1, 2, 3, 4]}]}`)
	changed, checked := d.Register.ChangeVendor(t.Context(), tuva, "corvane", version, one),
		d.Register.CheckVendor(t.Context(), tuva, "corvane", one)
	for _, err := range []error{changed, checked} {
		if !slices.Equal(desktest.Fields(err), []string{"levels"}) {
			t.Errorf("%v", err)
		}
	}
	if err := d.Register.CheckVendor(t.Context(), tuva, "corvane", []byte(`{"note": "Ask Imke"}`)); err != nil {
		t.Errorf("%v", err)
	}
	f, now, err := d.Register.VendorFacts(t.Context(), tuva, "corvane")
	if err != nil || now != version || f.Note == "Ask Imke" {
		t.Errorf("a check changed it: version %d, %v", now, err)
	}
	for patch, field := range map[string]string{`{"zone": "Europe/Moon"}`: "zone", `{"hours": "lunar"}`: "hours",
		`{"reference_pattern": "("}`: "reference_pattern", `{"through": "moon"}`: "through"} {
		if err := d.Register.ChangeVendor(t.Context(), tuva, "corvane", version,
			[]byte(patch)); !slices.Equal(desktest.Fields(err),
			[]string{field}) {
			t.Errorf("%s: %v", patch, err)
		}
	}
	if err := d.Register.RemoveVendor(t.Context(), tuva, "corvane", version); err == nil {
		t.Error("a vendor with a live case was removed")
	}
}

// Whatever somebody reads off a label is found, however it is written there; what nobody has is not.
func TestFinding(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	ragna := d.As("Ragna")
	product(t, d)
	if _, err := register.Assets.Add(t.Context(), d.Register, ragna, core.Asset{Vendor: "tallow", Name: "Gannetholm-2",
		Product: "Array 40", Serial: "TWS-40-0093187"}); err != nil {
		t.Fatal(err)
	}
	d.Filed("Gates say no")
	for words, want := range map[string]string{"tws 40 0093187": "asset Gannetholm-2",
		"TWS400093187": "asset Gannetholm-2",
		"gannetholm":   "asset Gannetholm-2", "array 40": "product Array 40", "cv-30001": "case Gates say no",
		"gates": "case Gates say no"} {
		hits, err := d.Register.Find(t.Context(), ragna, words, "", 10)
		if err != nil || len(hits) == 0 || string(hits[0].Kind)+" "+hits[0].Title != want {
			t.Errorf("%q: %+v %v", words, hits, err)
		}
	}
	for _, words := range []string{"zzqq", "TWS-41-1193188"} {
		if hits, err := d.Register.Find(t.Context(), ragna, words, "", 10); err != nil || len(hits) > 0 {
			t.Errorf("%q: %+v %v", words, hits, err)
		}
	}
	// One digit misread is found too, and said to be that.
	if hits, err := d.Register.Find(t.Context(), ragna, "TWS-40-0093188", "", 10); err != nil || len(hits) != 1 ||
		!hits[0].Slip || hits[0].Exact {
		t.Errorf("%+v %v", hits, err)
	}
	if hits, err := d.Register.Find(t.Context(), ragna, "gates", "asset", 10); err != nil || len(hits) > 0 {
		t.Errorf("a case is no asset: %+v %v", hits, err)
	}
}
