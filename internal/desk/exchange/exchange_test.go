package exchange_test

import (
	"bytes"
	"errors"
	"fmt"
	"strings"
	"testing"

	"roundhouse.example/internal/core/table"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/desktest"
	"roundhouse.example/internal/desk/exchange"
	"roundhouse.example/internal/desk/register"
	peopledb "roundhouse.example/internal/store/people"
	"roundhouse.example/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

func assets(t *testing.T, d *desktest.Desk, text string, o exchange.Options) (exchange.Sum, []exchange.Row, error) {
	t.Helper()
	var rows []exchange.Row
	o.Row = func(r exchange.Row) error {
		rows = append(rows, r)
		return nil
	}
	sum, err := exchange.ImportTable(t.Context(), d.Exchange, register.Assets, d.As("Ragna"), table.Assets,
		strings.NewReader(text), o)
	return sum, rows, err
}

func counted(t *testing.T, d *desktest.Desk, table string) (n int) {
	t.Helper()
	if err := d.Store.DB.Get(&n, "select count(*) from "+table); err != nil {
		t.Fatal(err)
	}
	return n
}

// A table comes in whole or not at all: one row that cannot be keeps out a thousand that can.
func TestATableIsAllOrNothing(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	before := counted(t, d, "asset")
	var b strings.Builder
	b.WriteString("vendor,name,serial\n")
	for i := range 1200 {
		fmt.Fprintf(&b, "tallow,Gate %d,G-%d\n", i, i)
	}
	good := b.String()
	sum, rows, err := assets(t, d, good+"moon,Far,F-1\ntallow,Gate 7,G-7b\n", exchange.Options{})
	if err != nil || sum.Done || sum.Refused != 2 || sum.Rows != 1202 || len(rows) != 2 || rows[0].Line != 1202 ||
		!strings.Contains(rows[1].Said[0], "line 9 has") {
		t.Errorf("%+v %+v %v", sum, rows, err)
	}
	if n := counted(t, d, "asset"); n != before {
		t.Errorf("%d came in", n-before)
	}
	if sum, _, err = assets(t, d, good, exchange.Options{Look: true}); err != nil || sum.Done || sum.Added != 1200 {
		t.Errorf("%+v %v", sum, err)
	}
	if n := counted(t, d, "asset"); n != before {
		t.Errorf("looking brought %d in", n-before)
	}
	if sum, _, err = assets(t, d, good, exchange.Options{}); err != nil || !sum.Done || sum.Added != 1200 ||
		counted(t, d, "asset") != before+1200 {
		t.Errorf("%+v %v", sum, err)
	}
	// The same once more changes nothing; one cell is one change.
	if sum, _, err = assets(t, d, strings.Replace(good, "G-11\n", "G-11b\n", 1), exchange.Options{}); err != nil ||
		sum.Changed != 1 || sum.Same != 1199 {
		t.Errorf("%+v %v", sum, err)
	}
	// Whoever takes the rows can end it, and then nothing is done.
	stop := errors.New("enough")
	_, err = exchange.ImportTable(t.Context(), d.Exchange, register.Assets, d.As("Ragna"), table.Assets,
		strings.NewReader(strings.ReplaceAll(good, "Gate", "Door")),
		exchange.Options{Progress: func(rows int, _ int64) error { return map[bool]error{true: stop}[rows > 500] }})
	if !errors.Is(err, stop) || counted(t, d, "asset") != before+1200 {
		t.Errorf("%v, and %d assets", err, counted(t, d, "asset"))
	}
}

// What goes out comes in again as it was, and a desk of nothing gets the same from it.
func TestOutAndIn(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	text := "vendor,name,serial,site,attributes.Rack,note\n" +
		"tallow,Gannetholm-2,TWS-1,Gannetholm,H2,\"He said \"\"no\"\", twice\"\n" +
		"corvane,=SUM(A1),,,, leading\n"
	if sum, rows, err := assets(t, d, text, exchange.Options{}); err != nil || !sum.Done {
		t.Fatalf("%+v %+v %v", sum, rows, err)
	}
	out := func(d *desktest.Desk) string {
		var b bytes.Buffer
		if err := exchange.ExportTable(t.Context(), d.Exchange, register.Assets, d.As("Ragna"), table.Assets, "", &b,
			table.Style{}); err != nil {
			t.Fatal(err)
		}
		return b.String()
	}
	first := out(d)
	if strings.Contains(first, "\n=SUM") || strings.Contains(first, ",=SUM") || !strings.Contains(first, "Gannetholm-2") {
		t.Errorf("a spreadsheet would compute it:\n%s", first)
	}
	if sum, rows, err := assets(t, d, first, exchange.Options{}); err != nil || sum.Same != sum.Rows || sum.Rows == 0 {
		t.Errorf("%+v %+v %v", sum, rows, err)
	}
	other := desktest.New(t)
	if _, err := other.Store.DB.Exec("delete from asset"); err != nil {
		t.Fatal(err)
	}
	if sum, rows, err := assets(t, other, first, exchange.Options{}); err != nil || !sum.Done {
		t.Fatalf("%+v %+v %v", sum, rows, err)
	}
	if second := out(other); second != first {
		t.Errorf("it was\n%s\nand is\n%s", first, second)
	}
}

// People come in without a way to sign in, and nobody is made more than the table's reader may make them.
func TestPeopleComeIn(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	read := func(who, text string) (exchange.Sum, error) {
		return d.Exchange.ReadPeople(t.Context(), d.As(who), strings.NewReader(text), exchange.Options{})
	}
	if _, err := read("Ragna", "email,name,role\ntove@saltmarsh.example,Tove Aas,admin\n"); err == nil {
		t.Error("a handler made an administrator")
	}
	sum, err := read("Tuva",
		"email,name,role\ntove@saltmarsh.example,Tove Aas,handler\nragna@saltmarsh.example,Ragna Lie,handler\n")
	if err != nil || !sum.Done || sum.Added != 1 {
		t.Fatalf("%+v %v", sum, err)
	}
	p, err := peopledb.ByEmail(t.Context(), d.Store.DB, "tove@saltmarsh.example")
	if err != nil || !p.Active {
		t.Errorf("%+v %v", p, err)
	}
	for _, word := range []string{"", "!", "tove"} {
		if _, err := d.People.SignIn(t.Context(), p.Email, word); err == nil {
			t.Errorf("she signs in with %q", word)
		}
	}
	for _, text := range []string{"email,name,role\nnobody,No One,handler\n",
		"email,name,role\nx@saltmarsh.example,X,king\n",
		"email,name,role\ny@saltmarsh.example,Y,handler\nY@saltmarsh.example,Y,handler\n"} {
		if sum, err := read("Tuva", text); err != nil || sum.Done || sum.Refused != 1 {
			t.Errorf("%q: %+v %v", text, sum, err)
		}
	}
}

// A pack is only brought in as it was shown: a desk that has changed since is not written over.
func TestAPackIsBroughtInAsShown(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	tuva := d.As("Tuva")
	p, err := d.Exchange.Pack(t.Context(), tuva, "corvane")
	if err != nil {
		t.Fatal(err)
	}
	file, err := p.Write()
	if err != nil {
		t.Fatal(err)
	}
	if same, err := d.Exchange.ImportPack(t.Context(), tuva, file, "", true); err != nil || len(same.Differences) != 0 {
		t.Errorf("what went out differs: %+v %v", same.Differences, err)
	}
	p.Vendor.Does = "Ask Imke first"
	if file, err = p.Write(); err != nil {
		t.Fatal(err)
	}
	shown, err := d.Exchange.ImportPack(t.Context(), tuva, file, "", true)
	if err != nil || shown.Done || shown.New || len(shown.Differences) != 1 || shown.Seen == "" {
		t.Fatalf("%+v %v", shown, err)
	}
	d.Change("corvane", `{"closes_after_days": 21}`)
	stale := (*desk.Stale)(nil)
	if r, err := d.Exchange.ImportPack(t.Context(), tuva, file, shown.Seen, false); !errors.As(err, &stale) {
		t.Errorf("written over: %+v %v", r, err)
	}
	f, _, err := d.Register.VendorFacts(t.Context(), tuva, "corvane")
	if err != nil || f.Does == "Ask Imke first" || f.ClosesAfterDays != 21 {
		t.Errorf("%q %d %v", f.Does, f.ClosesAfterDays, err)
	}
	if shown, err = d.Exchange.ImportPack(t.Context(), tuva, file, "", true); err != nil {
		t.Fatal(err)
	}
	if r, err := d.Exchange.ImportPack(t.Context(), tuva, file, shown.Seen, false); err != nil || !r.Done {
		t.Errorf("%+v %v", r, err)
	}
	if _, err := d.Exchange.ImportPack(t.Context(), d.As("Ragna"), file, "", true); err == nil {
		t.Error("a handler brought a pack in")
	}
	bad := []byte("format: 2\nvendor:\n  key: x\n  shoe_size: 4\n")
	wrong := (*desk.Invalid)(nil)
	if _, err := d.Exchange.ImportPack(t.Context(), tuva, bad, "", true); !errors.As(err, &wrong) ||
		!strings.Contains(fmt.Sprint(wrong.Fields), "line 4") {
		t.Errorf("%v", err)
	}
}
