package table

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"errors"
	"io"
	"math/rand/v2"
	"reflect"
	"slices"
	"strings"
	"testing"
	"testing/iotest"

	"roundhouse.example/internal/core/register"
)

func readAll(t *testing.T, file string, kind Kind) (rows []Row, ignored []string, err error) {
	t.Helper()
	r, err := NewReader(strings.NewReader(file), kind)
	if err != nil {
		return nil, nil, err
	}
	for {
		row, err := r.Next()
		if err == io.EOF {
			return rows, r.Ignored, nil
		} else if err != nil {
			return rows, r.Ignored, err
		}
		rows = append(rows, row)
	}
}

// Columns go by their headers, in any order, case and with any separator.
func TestReading(t *testing.T) {
	for what, file := range map[string]string{
		"plain":         "vendor,name,serial\ntallow,Array,7\n",
		"lines of CRLF": "vendor,name,serial\r\ntallow,Array,7\r\n",
		"a mark":        "\xEF\xBB\xBFvendor,name,serial\ntallow,Array,7",
		"semicolons":    "Vendor;Name;Serial number\ntallow;Array;7\n",
		"tabs":          "VENDOR\tname\tS/N\ntallow\tArray\t7\n",
		"other order":   "Serial-No,name,vendor\n7,Array,tallow\n\n",
		"quotes":        "\"vendor\",\"name\",serial\n\"tallow\",\"Array\",\"7\"\n",
		"spaces":        " vendor , name , serial \n tallow , Array , 7 \n",
		"empty lines":   "vendor,name,serial\n\n\ntallow,Array,7\n\n",
		"guarded":       "vendor,name,serial\ntallow,Array,7\n",
	} {
		rows, ignored, err := readAll(t, file, Assets)
		if err != nil || len(ignored) > 0 || len(rows) != 1 ||
			!reflect.DeepEqual(rows[0].Members, map[string]any{"vendor": "tallow", "name": "Array", "serial": "7"}) ||
			len(rows[0].Wrong) > 0 {
			t.Errorf("%s: %+v %v %v", what, rows, ignored, err)
		}
	}
	rows, ignored, err := readAll(t,
		"vendor,name,Shoe size,platform.until,attributes.Rack row,serial,platform supported\ntallow,\"A \"\"big\"\" "+
			"one,\nreally\",44,2026-12-25,'=2,'-5,\n,,,,,,\n", Assets)
	want := map[string]any{"vendor": "tallow", "name": "A \"big\" one,\nreally",
		"platform": map[string]any{"until": "2026-12-25", "supported": nil}, "attributes": map[string]any{"Rack row": "=2"},
		"serial": "-5"}
	if err != nil || !reflect.DeepEqual(ignored, []string{"Shoe size"}) || len(rows) != 2 ||
		!reflect.DeepEqual(rows[0].Members, want) || rows[0].Line != 2 || rows[1].Line != 4 {
		t.Errorf("%+v %v %v", rows, ignored, err)
	}
	rows, _, err = readAll(t,
		"number,vendor,starts,ends,everything,products,terms,allowance.amount\n"+
			"K1,tallow,2026-01-01,2026-12-31,Yes,Array 40; Shelf,first-response 1 4h office kind=fault,12\n"+
			"K2,tallow,,,perhaps,\"a;b\n-\",first-response soon,many\nK3,tallow\n", Contracts)
	if err != nil || len(rows) != 3 {
		t.Fatal(rows, err)
	}
	if got, _ := json.Marshal(rows[0].Members); string(got) != `{"allowance":{"amount":12},`+
		`"ends":"2026-12-31","everything":true,"number":"K1",`+
		`"products":["Array 40","Shelf"],"starts":"2026-01-01",`+
		`"terms":[{"deadline":"first-response","level":1,"target":"4h","calendar":"office","kind":"fault"}],`+
		`"vendor":"tallow"}` {
		t.Errorf("%s", got)
	}
	if len(rows[1].Wrong) != 3 || rows[1].Wrong[0].Column != "everything" ||
		!reflect.DeepEqual(rows[1].Members["products"], []any{"a;b"}) {
		t.Errorf("%+v", rows[1])
	}
	if len(rows[2].Wrong) != 1 || rows[2].Wrong[0].Detail != "it has 2 cells, but the header has 8" {
		t.Errorf("%+v", rows[2])
	}
}

// What cannot be read is said with its line.
func TestBadFiles(t *testing.T) {
	head := "vendor,name,serial\n"
	for what, x := range map[string]struct{ file, want string }{
		"nothing":               {"", "it is empty"},
		"blank":                 {" \n\n", "it is empty"},
		"UTF-16":                {"\xFF\xFEv\x00e\x00", "line 1: this is UTF-16"},
		"a spreadsheet's own":   {"PK\x03\x04xxxx", "a spreadsheet file"},
		"Latin-1":               {head + "tallow,Array,1\ntallow,B\xF8ye,2\n", "line 3: this is not UTF-8"},
		"Latin-1 in the header": {"vendor,name,\xE6\n", "line 1: this is not UTF-8"},
		"cut inside a letter":   {head + "tallow,Array,\xC3", "line 2: this is not UTF-8"},
		"no text":               {head + "tallow,\x00,1\n", "line 2: it has a NUL"},
		"a column twice": {"vendor,name,Serial,serial number\n",
			"line 1: columns 3 and 4 are both serial (\"Serial\" and \"serial number\")"},
		"no key": {"serial,note\n",
			"line 1: there is no column vendor, nor name; the columns of assets are vendor, name, serial,"},
		"a broken line": {head + "tallow,a,1\ntallow,\"b\"c,2\ntallow,d,3\n",
			"line 3: there is a quote where none is allowed, at character"},
		"a bare quote":         {head + "tallow,a\"b,1\n", "line 2: there is a quote inside a cell"},
		"a quote never closed": {head + "tallow,\"a,1\ntallow,b,2\n", "(the row began in line 2)"},
		"a row without an end": {head + "tallow,\"" + strings.Repeat("long ", 300_000) + "\",1\n",
			"line 2: the row that starts here has 1500"},
		"too many columns": {strings.Repeat("a,", 500) + "\n", "line 1: it has 501 columns"},
	} {
		if _, _, err := readAll(t, x.file, Assets); err == nil || !strings.Contains(err.Error(), x.want) {
			t.Errorf("%s: %v, want %q", what, err, x.want)
		}
	}
	// A letter that two reads cut is whole again.
	r, err := NewReader(iotest.OneByteReader(strings.NewReader(head+"tallow,Bøyë €,1\n")), Assets)
	if err != nil {
		t.Fatal(err)
	}
	if row, err := r.Next(); err != nil || row.Members["name"] != "Bøyë €" {
		t.Errorf("%+v %v", row, err)
	}
	var p *Problem
	if _, err := NewReader(iotest.ErrReader(errors.New("the disk")), Assets); err == nil || errors.As(err, &p) &&
		p.Detail == "" {
		t.Error(err)
	}
}

func TestGuard(t *testing.T) {
	for cell, want := range map[string]string{"": "", "a": "a", "=1+1": "'=1+1", "+44 1632": "'+44 1632", "-5": "'-5",
		"@sum": "'@sum", "\tx": "'\tx", "\rx": "'\rx", "'t Hof": "'t Hof", "'=x": "''=x", "''@": "'''@", "a=b": "a=b",
		"'": "'"} {
		if got := Guard(cell); got != want {
			t.Errorf("%q: %q, want %q", cell, got, want)
		}
		if got := Unguard(Guard(cell)); got != cell {
			t.Errorf("%q comes back as %q", cell, got)
		}
	}
	for cell, want := range map[string]string{"'=1": "=1", "''=1": "'=1", "'t Hof": "'t Hof", "=1": "=1", "'1": "'1"} {
		if got := Unguard(cell); got != want {
			t.Errorf("%q: %q, want %q", cell, got, want)
		}
	}
}

// words are made of what cells are spoilt by.
func words(r *rand.Rand) string {
	pieces := []string{"a", "Array", " = ", ";", ",", "\"", "'", "=", "+", "@", "-", "ø", "€", "x y", "7", "'="}
	s := ""
	for range 1 + r.IntN(5) {
		s += pieces[r.IntN(len(pieces))]
	}
	if s = strings.TrimSpace(s); s == "" || s == onlyOne {
		return "v"
	}
	return s
}

func through[T any](t *testing.T, kind Kind, pairs []string, style Style, record T) T {
	t.Helper()
	var b bytes.Buffer
	w, err := NewWriter(&b, kind, pairs, style)
	if err != nil {
		t.Fatal(err)
	}
	if err := errors.Join(w.Write(record), w.Flush()); err != nil {
		t.Fatal(err)
	}
	raw := csv.NewReader(strings.NewReader(strings.TrimPrefix(b.String(), "\uFEFF")))
	if style.Semicolons {
		raw.Comma = ';'
	}
	cells, err := raw.ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	for _, cell := range slices.Concat(cells...) {
		if cell != "" && strings.ContainsAny(cell[:1], "=+-@\t\r") {
			t.Errorf("a cell is a formula: %q", cell)
		}
	}
	rows, ignored, err := readAll(t, b.String(), kind)
	if err != nil || len(rows) != 1 || len(ignored) > 0 || len(rows[0].Wrong) > 0 {
		t.Fatalf("%v %v %+v in\n%s", err, ignored, rows, b.String())
	}
	members := map[string]any{}
	Apply(members, rows[0].Members)
	said, err := json.Marshal(members)
	if err != nil {
		t.Fatal(err)
	}
	var back T
	if err := json.Unmarshal(said, &back); err != nil {
		t.Fatal(err)
	}
	return back
}

// Whatever a record says, its row says the same when it is read again.
func TestThereAndBack(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	list := func(n int) (out []string) {
		for range r.IntN(n + 1) {
			out = append(out, words(r))
		}
		return out
	}
	maybe := func() string {
		if r.IntN(2) == 0 {
			return ""
		}
		return words(r)
	}
	for range 3000 {
		style := Style{Semicolons: r.IntN(2) == 0, Mark: r.IntN(2) == 0}
		a := register.Asset{Vendor: "tallow", Name: words(r), Serial: maybe(), Product: maybe(), Site: maybe(), Note: maybe()}
		if r.IntN(3) == 0 {
			a.Platform = &register.Platform{Supported: "no", Source: maybe()}
			a.Attributes = map[string]string{"Rack": words(r), "Row": words(r)}
		}
		if got := through(t, Assets, []string{"Rack", "Row"}, style, a); !reflect.DeepEqual(got, a) {
			t.Fatalf("%+v, not %+v", got, a)
		}
		k := register.Contract{Vendor: "tallow", Number: words(r), Starts: "2026-01-01", Ends: "2026-12-31", Rights: list(3),
			Products: list(2), Everything: r.IntN(2) == 0, Exclusions: maybe(), Kinds: list(2)}
		for range r.IntN(3) {
			k.Terms = append(k.Terms,
				register.Term{Deadline: "update", Level: 1 + r.IntN(4), Target: "2bd", Calendar: "office",
					Kind: []string{"", "fault"}[r.IntN(2)], Country: []string{"", "NO"}[r.IntN(2)]})
		}
		if r.IntN(3) == 0 {
			k.Allowance = &register.Allowance{Unit: "hours", Amount: r.IntN(100), Used: r.IntN(9)}
		}
		if got := through(t, Contracts, nil, style, k); !reflect.DeepEqual(got, k) {
			t.Fatalf("%+v, not %+v", got, k)
		}
		p := register.Product{Vendor: "tallow", Name: words(r), OurNames: list(2), Components: list(3)}
		for i := range r.IntN(3) {
			v := register.Version{Name: strings.ReplaceAll(words(r), " = ", "") + string(rune('a'+i)),
				SupportedUntil: []string{"", "2027-01-01"}[r.IntN(2)], Note: []string{"", "updates ended", "a = b"}[r.IntN(3)]}
			p.Versions = append(p.Versions, v)
		}
		if got := through(t, Products, nil, style, p); !reflect.DeepEqual(got, p) {
			t.Fatalf("%+v, not %+v", got, p)
		}
	}
}

// FuzzNext: whatever the file, reading it ends, with rows of the header's width or a
// problem that names its line.
func FuzzNext(f *testing.F) {
	f.Add("vendor,name\ntallow,Array\n")
	f.Add("vendor;name;attributes.x\n\"a\nb\";'=1;2\n")
	f.Fuzz(func(t *testing.T, file string) {
		r, err := NewReader(strings.NewReader(file), Assets)
		for n := 0; err == nil; n++ {
			var row Row
			row, err = r.Next()
			if err == nil && (row.Line < 1 || row.Members == nil || n > len(file)) {
				t.Fatalf("%+v", row)
			}
		}
		var p *Problem
		if err != io.EOF && !errors.As(err, &p) {
			t.Errorf("%v", err)
		}
	})
}
