package e2e

import (
	"bufio"
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"roundhouse.example/internal/server/apigen"
)

// table takes a table in by the API and gives its rows, its sum and its problem.
func (c *caller) table(path string,
	file io.Reader) (rows []apigen.TableRow, sum *apigen.TableSum, problem *apigen.Problem) {
	c.w.t.Helper()
	a := c.raw("POST", "/tables/"+path, "text/csv", file)
	if a.status != 200 {
		c.w.t.Fatalf("%s: %d %s", path, a.status, a.body)
	}
	lines := bufio.NewScanner(bytes.NewReader(a.body))
	lines.Buffer(nil, 8<<20)
	for lines.Scan() {
		var l apigen.TableLine
		if err := json.Unmarshal(lines.Bytes(), &l); err != nil {
			c.w.t.Fatalf("%v: %s", err, lines.Bytes())
		}
		switch {
		case l.Row != nil:
			rows = append(rows, *l.Row)
		case l.Sum != nil:
			sum = l.Sum
		case l.Problem != nil:
			problem = l.Problem
		}
	}
	return rows, sum, problem
}

func (c *caller) exported(path string) string {
	c.w.t.Helper()
	return string(c.must(200, "GET", "/tables/"+path, nil).body)
}

// A table adds, changes and refuses, row by row with reasons; all of it or nothing.
func TestTables(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna, admin := w.as(0), w.as(4)
	head := "vendor,name,serial,product,version,site,note,attributes.Rack,Shelf life\n"
	ragna.must(201, "POST", "/products",
		m{"vendor": "tallow", "name": "Array 40", "versions": []m{{"name": "7.2"}, {"name": "7.3"}}})
	first := head + "tallow,Array Gannetholm-1,S-1,Array 40,7.2,Gannetholm,,2,x\nTallow & Wick Storage,Array " +
		"Gannetholm-2,S-2,,,Gannetholm,\"two\nlines\",,\ncorvane,Array Gannetholm-1,,,,,,,\n"
	rows, sum, problem := ragna.table("assets?dry_run=true", strings.NewReader(first))
	if problem != nil || sum.Done || sum.Added != 3 || len(rows) != 3 || rows[1].Line != 3 || rows[2].Line != 5 ||
		rows[0].What != "added" || len(sum.Ignored) != 1 || sum.Ignored[0] != "Shelf life" {
		t.Fatalf("%+v %+v %+v", rows, sum, problem)
	}
	if out := ragna.exported("assets"); strings.Count(out, "\r\n") != 1 {
		t.Errorf("a look wrote:\n%s", out)
	}
	if _, sum, _ = ragna.table("assets", strings.NewReader(first)); !sum.Done || sum.Added != 3 {
		t.Fatalf("%+v", sum)
	}
	if _, sum, _ = ragna.table("assets", strings.NewReader(first)); !sum.Done || sum.Same != 3 {
		t.Errorf("a second time: %+v", sum)
	}
	// Every reason stands beside its row, and one is enough for nothing to be done.
	second := head + "tallow,Array Gannetholm-1,S-1,Array 40,7.3,Ern,,,\n" + // changed: version, site, and the rack goes
		"tallow,Array Gannetholm-9,S-2,,,,,,\n" + // known by its serial: another name
		"tallow,Array Gannetholm-3,S-3,Array 40,9.9,,,,\n" +
		"moon,Array,,,,,,,\n" + "tallow,,S-4,,,,,,\n" + "tallow,Array Gannetholm-3,S-5,,,,,,\n" + "tallow,Other,S-1,,,,,,\n" +
		"tallow,Short\n" + "tallow,Array Gannetholm-2,S-1,,,,,,\n"
	rows, sum, _ = ragna.table("assets?dry_run=true", strings.NewReader(second))
	want := []string{
		`2 changed Array Gannetholm-1 [version: "7.2" -> "7.3" site: "Gannetholm" -> "Ern" attributes.Rack: "2" -> ""]`,
		`3 changed Array Gannetholm-9 [name: "Array Gannetholm-2" -> "Array Gannetholm-9" site: "Gannetholm" -> "" ` +
			`note: "two\nlines" -> ""]`,
		`4 refused Array Gannetholm-3 [version: Array 40 has no version "9.9" in the register; it has 7.2, 7.3]`,
		`5 refused Array [vendor: there is no vendor "moon"]`,
		`6 refused tallow [name: it is empty: fill it in]`,
		`7 refused Array Gannetholm-3 [name: line 4 has name "Array Gannetholm-3" already]`,
		`8 refused Other [serial: line 2 has serial "S-1" already]`,
		`9 refused tallow [it has 2 cells and the header 9]`,
		`10 refused Array Gannetholm-2 [serial: line 2 has serial "S-1" already]`,
	}
	for i, r := range rows {
		if got := fmt.Sprint(r.Line, " ", r.What, " ", r.Name, " ", r.Said); i >= len(want) || got != want[i] &&
			!(i == 7 && strings.Contains(got, "it has 2 cells")) {
			t.Errorf("%s", got)
		}
	}
	if len(rows) != 9 || sum.Refused != 7 || sum.Changed != 2 {
		t.Errorf("%d rows, %+v", len(rows), sum)
	}
	before := ragna.exported("assets")
	if rows, sum, _ = ragna.table("assets", strings.NewReader(second)); sum.Done || len(rows) != 7 ||
		ragna.exported("assets") != before {
		t.Errorf("something was done: %+v", sum)
	}
	if _, sum, _ = ragna.table("assets",
		strings.NewReader(strings.Join(strings.SplitAfterN(second, "\n", 4)[:3], ""))); !sum.Done || sum.Changed != 2 {
		t.Errorf("%+v", sum)
	}
	// Of two that exchange their names nothing is lost.
	swap := "vendor,name,serial\ntallow,Array Gannetholm-1,S-2\ntallow,Array Gannetholm-9,S-1\n"
	if _, _, problem = ragna.table("assets", strings.NewReader(swap)); problem == nil && sum == nil {
		t.Error("an exchange of serials")
	}
	// A broken file names its line, and nothing of it is taken.
	before = ragna.exported("assets")
	for what, x := range map[string]struct{ file, say string }{
		"a broken line": {head + strings.Repeat("tallow,Zz,,,,,,,\n", 0) +
			"tallow,Za,,,,,,,\ntallow,\"Zb\" x,,,,,,,\ntallow,Zc,,,,,,,\n", "line 3: there is a quote"},
		"another encoding": {head + "tallow,Za,,,,,,,\ntallow,Zb\xF8,,,,,,,\n", "line 3: this is not UTF-8"},
		"a column twice":   {"vendor,name,Name\ntallow,Za,Zb\n", "columns 2 and 3 are both name"},
		"no header":        {"tallow,Za\n", "there is no column vendor, nor name"},
		"nothing":          {"", "it is empty"},
	} {
		if _, _, p := ragna.table("assets", strings.NewReader(x.file)); p == nil || !strings.Contains(*p.Detail, x.say) ||
			!strings.Contains(*p.Detail, "nothing was changed") {
			t.Errorf("%s: %+v", what, p)
		}
	}
	if ragna.exported("assets") != before {
		t.Error("a broken file left something")
	}
	// Who may not, may not; another type is refused.
	if a := w.as(3).raw("POST", "/tables/assets", "text/csv", strings.NewReader(first)); a.status != 403 {
		t.Errorf("an auditor: %d %s", a.status, a.body)
	}
	if a := ragna.raw("POST", "/tables/people", "text/csv",
		strings.NewReader("email,name\na@b.example,A\n")); a.status != 403 {
		t.Errorf("people by a handler: %d %s", a.status, a.body)
	}
	if a := ragna.raw("POST", "/tables/assets", "application/json", strings.NewReader("{}")); a.status != 415 {
		t.Errorf("%d %s", a.status, a.body)
	}
	if a := ragna.raw("POST", "/tables/shoes", "text/csv", strings.NewReader("x")); a.status != 400 && a.status != 422 &&
		a.status != 404 {
		t.Errorf("%d %s", a.status, a.body)
	}

	// People: new ones come without a password, the last administrator stays.
	_, sum, _ = admin.table("people",
		strings.NewReader("mail;name;role;phone;active\nnew@saltmarsh.example;New One;lead;'+44 1632 960 1;yes\n"))
	if !sum.Done || sum.Added != 1 {
		t.Errorf("%+v", sum)
	}
	if a := (&caller{w: w}).do("POST", "/sign-in", m{"email": "new@saltmarsh.example", "password": "!"}); a.status != 401 {
		t.Errorf("signed in without a password: %d", a.status)
	}
	rows, _, _ = admin.table("people",
		strings.NewReader("mail,name,role\ntuva@saltmarsh.example,Tuva Holm,handler\nx,No Mail,lead\ny@z.example,Y,king\n"))
	if len(rows) != 3 || !strings.Contains(rows[0].Said[0], "last administrator") ||
		!strings.Contains(rows[1].Said[0], "not an email address") ||
		!strings.Contains(rows[2].Said[0], "the role is handler") {
		t.Errorf("%+v", rows)
	}

	// Contracts that open cases run under ask first.
	name := ragna.filed("tallow", "Under the contract [mute]")
	_ = name
	change := "vendor,number,ends\ntallow,TW-C-7718,2031-01-31\n"
	if rows, sum, _ = w.as(2).table("contracts", strings.NewReader(change)); sum.Done || len(rows) != 1 ||
		!strings.Contains(fmt.Sprint(rows[0].Said), "live case keeps the targets") {
		t.Errorf("%+v %+v", rows, sum)
	}
	if _, sum, _ = w.as(2).table("contracts?confirm=true", strings.NewReader(change)); !sum.Done || sum.Changed != 1 {
		t.Errorf("%+v", sum)
	}
}

// What was exported comes in unchanged, also through a spreadsheet; nothing in it can
// become a formula.
func TestTablesThereAndBack(t *testing.T) {
	t.Parallel()
	w := still(t)
	lead, admin := w.as(2), w.as(4)
	lead.must(201, "POST", "/products",
		m{"vendor": "tallow", "name": "=HYPERLINK(1)", "our_names": []string{"one; two", "-three"},
			"versions": []m{{"name": "+1", "supported_until": "2027-01-31", "note": "a = b"}, {"name": "'2"}},
			"note":     "Line one\nline \"two\"; with, all"})
	lead.must(201, "POST", "/accounts",
		m{"vendor": "corvane", "number": "007", "regions": []string{"Ern"}, "called": "tenant", "note": "'=kept"})
	lead.must(201, "POST", "/contracts",
		m{"vendor": "tallow", "number": "-K/7", "starts": "2026-01-01", "ends": "2026-12-31",
			"products": []string{"=HYPERLINK(1)"}, "rights": []string{"only; one"}, "allowance": m{"unit": "hours", "amount": 5},
			"terms": []m{{"deadline": "update", "level": 1, "target": "2bd", "calendar": "tallow-office", "kind": "fault",
				"country": "NO"}, {"deadline": "update", "level": 2, "target": "none"}}})
	lead.must(201, "POST", "/assets",
		m{"vendor": "tallow", "name": "@sum", "serial": "0071102", "product": "=HYPERLINK(1)", "version": "'2",
			"contract": "-K/7", "attributes": m{"Rack": "+1", "Row left": "=x"},
			"platform": m{"supported": "yes", "until": "2027-01-31"}, "note": "Bøyë € 船"})
	for _, kind := range []string{"assets", "contracts", "accounts", "products", "people"} {
		for _, style := range []string{"", "?semicolons=true&mark=true"} {
			out := admin.exported(kind + style)
			for i, line := range strings.Split(out, "\r\n") {
				for _, cell := range strings.FieldsFunc(line, func(r rune) bool {
					return r == ',' || r == ';' || r == '"' || r == '\n'
				}) {
					if i > 0 && kind != "products" && cell != "" && strings.ContainsAny(cell[:1], "=@") {
						t.Errorf("%s: a cell is a formula: %q", kind, line)
					}
				}
			}
			rows, sum, problem := admin.table(kind, strings.NewReader(out))
			if problem != nil || !sum.Done || sum.Rows == 0 || sum.Same != sum.Rows {
				t.Errorf("%s%s: %+v %+v %+v\n%s", kind, style, rows, sum, problem, out)
			}
		}
	}
	soffice, err := exec.LookPath("soffice")
	if err != nil {
		t.Log("LibreOffice is not installed, so nothing goes through a spreadsheet here")
		return
	}
	dir := t.TempDir()
	for _, kind := range []string{"assets", "contracts", "accounts", "products"} {
		file := filepath.Join(dir, kind+".csv")
		if err := os.WriteFile(file, []byte(admin.exported(kind)), 0o600); err != nil {
			t.Fatal(err)
		}
		columns := make([]string, 40) // every one a text, as one says when opening it
		for i := range columns {
			columns[i] = fmt.Sprintf("%d/2", i+1)
		}
		for _, args := range [][]string{{"--infilter=CSV:44,34,76,1," + strings.Join(columns, "/"), "--convert-to", "ods",
			"--outdir", dir, file}, {"--convert-to", "csv:Text - txt - csv (StarCalc):59,34,76,1,,0,false,true,false",
			"--outdir", dir, filepath.Join(dir, kind+".ods")}} {
			cmd := exec.Command(soffice,
				append([]string{"-env:UserInstallation=file://" + dir + "/profile", "--headless"}, args...)...)
			if out, err := cmd.CombinedOutput(); err != nil {
				t.Fatalf("%v: %s", err, out)
			}
		}
		back, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		rows, sum, problem := admin.table(kind+"?dry_run=true", bytes.NewReader(back))
		if problem != nil || sum.Rows == 0 || sum.Same != sum.Rows {
			t.Errorf("%s through a spreadsheet: %+v %+v %+v\n%s", kind, rows, sum, problem, back)
		}
	}
}

// A table longer than any memory that the service takes is read as it comes.
func TestALongTable(t *testing.T) {
	t.Parallel()
	w := still(t)
	// 52 MB of rows, the last but one of which is broken: all of it is read, nothing of it stays.
	const rows = 12_000
	note := strings.Repeat("n", 4380)
	r, to := io.Pipe()
	go func() {
		b := bufio.NewWriter(to)
		fmt.Fprint(b, "vendor,name,note\n")
		for i := range rows {
			name := fmt.Sprintf("Asset %d", i)
			if i == rows-2 {
				name = "\"Broken\" here"
			}
			fmt.Fprintf(b, "tallow,%s,%s\n", name, note)
		}
		to.CloseWithError(b.Flush())
	}()
	_, sum, problem := w.as(0).table("assets?dry_run=true", r)
	if problem == nil || !strings.Contains(*problem.Detail, fmt.Sprintf("line %d: there is a quote", rows)) {
		t.Errorf("%+v %+v", sum, problem)
	}
}

// The terminal takes tables in and out.
func TestTablesInTheTerminal(t *testing.T) {
	t.Parallel()
	w := still(t)
	sh := w.shell(2)
	file := filepath.Join(sh.home, "assets.csv")
	write := func(text string) {
		t.Helper()
		if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	write("Vendor;Name;Serial number;Colour\ntallow;One;S-1;red\ntallow;Two;S-2;blue\n")
	sh.ok([]string{"asset", "import", file, "--dry-run"}, "assets.csv:2: added One",
		"Ignored, as not recognised: column Colour.", "2 rows: 2 would be added")
	sh.ok([]string{"asset", "import", file}, "2 rows: 2 added")
	sh.ok(words("asset export"), "vendor,name,serial", "tallow,One,S-1")
	to := filepath.Join(sh.home, "out.csv")
	sh.ok([]string{"asset", "export", "--vendor", "tallow", "--to", to, "--semicolons", "--mark"})
	if raw, err := os.ReadFile(to); err != nil || !strings.HasPrefix(string(raw), "\xEF\xBB\xBFvendor;name;serial") {
		t.Errorf("%v %.80q", err, raw)
	}
	if out, code := sh.run("", "asset", "export", "--to", to); code != 1 || !contains(out, "exists already") {
		t.Errorf("over a file that is there: %d %s", code, out)
	}
	sh.ok([]string{"asset", "import", to}, "0 changed, 2 the same")
	if out, code := sh.run("vendor,name,serial\ntallow,Three,S-1\nmoon,Four,\n", "asset", "import", "-",
		"--dry-run"); code != 1 ||
		!contains(out, "standard input:2: changed Three: name: \"One\" -> \"Three\"",
			"standard input:3: refused Four: vendor: there is no vendor", "1 row is refused") {
		t.Errorf("%d %s", code, out)
	}
	if out, code := sh.run("vendor,name\ntallow,\"a\"b\n", "asset", "import", "-"); code != 4 && code != 1 ||
		!contains(out, "line 2: there is a quote where none is allowed", "nothing was changed") {
		t.Errorf("%d %s", code, out)
	}
	if out, code := sh.run("vendor,name\ntallow,Five\n", "asset", "import", "-", "-o", "json"); code != 0 ||
		!contains(out, `"added":1`, `"done":true`) {
		t.Errorf("%d %s", code, out)
	}
	if out, code := sh.run("", "asset", "import", filepath.Join(sh.home, "none.csv")); code != 1 ||
		!contains(out, "no such file") {
		t.Errorf("%d %s", code, out)
	}
	sh.ok(words("person export"), "email,name,role")
}

// A service that is killed in the middle of a table leaves nothing of it, and the
// table comes in whole afterwards.
func TestATableThatIsKilled(t *testing.T) {
	t.Parallel()
	w := still(t)
	s := &served{t: t, db: w.db, listen: freeAddress(t), token: w.people[0].Token, files: w.filesAt()}
	s.start("")
	defer s.kill()
	s.ask("GET", "/me", "", "", nil, nil)
	var file strings.Builder
	file.WriteString("vendor,name,serial\n")
	const rows = 6000
	for i := range rows {
		fmt.Fprintf(&file, "tallow,Box %d,B-%d\n", i, i)
	}
	send := func() (*http.Response, error) {
		req, err := http.NewRequest("POST", "http://"+s.listen+"/api/v1/tables/assets", strings.NewReader(file.String()))
		if err != nil {
			t.Fatal(err)
		}
		req.Header.Set("Content-Type", "text/csv")
		req.Header.Set("Authorization", "Bearer "+s.token)
		return http.DefaultClient.Do(req)
	}
	count := func() (n int) {
		t.Helper()
		if err := w.desk.Store.DB.GetContext(t.Context(), &n, "select count(*) from asset"); err != nil {
			t.Fatal(err)
		}
		return n
	}
	res, err := send()
	if err != nil {
		t.Fatal(err)
	}
	line, err := bufio.NewReader(res.Body).ReadString('\n')
	s.kill()
	res.Body.Close()
	if err != nil || !strings.Contains(line, "progress") {
		t.Fatalf("%q, %v", line, err)
	}
	if n := count(); n != 0 {
		t.Errorf("%d rows are there", n)
	}
	s.alive()
	s.ask("GET", "/me", "", "", nil, nil)
	if res, err = send(); err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	all, err := io.ReadAll(res.Body)
	if err != nil || !strings.Contains(string(all), `"done":true`) || count() != rows {
		t.Errorf("%d rows, %v: %.300s", count(), err, all[max(0, len(all)-300):])
	}
}
