package e2e

import (
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"roundhouse.example/internal/server/apigen"
)

// added posts a record and gives back where it is.
func (c *caller) added(path string, facts m) string {
	c.w.t.Helper()
	a := c.must(201, "POST", path, facts)
	return strings.TrimPrefix(a.header.Get("Location"), "/api/v1")
}

// patched changes a record as it now stands.
func (c *caller) patched(status int, path string, change m) answer {
	c.w.t.Helper()
	match := c.must(200, "GET", strings.Split(path, "?")[0], nil).header.Get("ETag")
	return c.must(status, "PATCH", path, change, "If-Match", match)
}

// The register by its API: what refers to what, what covers what, who may.
func TestTheRegister(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna, lead, auditor := w.as(0), w.as(2), w.as(3)
	product := ragna.added("/products",
		m{"vendor": "tallow", "name": "Array 40", "our_names": []string{"the big one"},
			"versions":     []m{{"name": "7.2", "supported_until": "2027-03-31"}, {"name": "7.3"}},
			"number_found": "On the pull-out tab at the front, left"})
	account := ragna.added("/accounts",
		m{"vendor": "tallow", "number": "TW-55018", "called": "site number", "regions": []string{"North", "South"},
			"country": "NO"})
	asset := ragna.added("/assets",
		m{"vendor": "tallow", "name": "Array Gannetholm-2", "serial": "TWS-40-0093187", "product": "array 40",
			"version": "7.2",
			"account": "TW-55018", "region": "North",
			"environment": "production", "attributes": m{"Rack": "H2/14"}})
	var a apigen.AssetRecord
	ragna.must(200, "GET", asset, nil).into(t, &a)
	// The demo's contract covers everything of the vendor.
	if a.Cover.State != "covered" || !contains(a.Cover.Words, "Covered by TW-C-7718 until") ||
		*a.NumberFound != "On the pull-out tab at the front, left" || a.Facts.Product != "Array 40" {
		t.Errorf("%+v", a)
	}
	spare := lead.added("/contracts",
		m{"vendor": "tallow", "number": "TW-SPARE", "starts": "2026-01-01", "ends": "2026-12-20", "notice": "2026-12-01",
			"products": []string{"Array 40"}, "allowance": m{"unit": "cases", "amount": 10},
			"terms": []m{{"deadline": "first-response", "level": 1, "target": "1h", "calendar": "round-the-clock"},
				{"deadline": "first-response", "level": 1, "target": "30m", "calendar": "round-the-clock", "kind": "fault"},
				{"deadline": "update", "level": 4, "target": "none"}}})
	ragna.must(200, "GET", asset, nil).into(t, &a)
	if a.Cover.State != "twice" {
		t.Errorf("covered by two contracts: %+v", a.Cover)
	}
	var k apigen.ContractRecord
	ragna.must(200, "GET", spare, nil).into(t, &k)
	if k.DaysLeft != 27 || len(k.Warnings) != 2 || *k.Within != 30 || len(k.Facts.Terms) != 3 ||
		k.Facts.OnChange != "restart-if-raised" {
		t.Errorf("%+v", k)
	}
	var page apigen.AssetPage
	for filter, n := range map[string]int{"cover=twice": 1, "cover=covered": 0, "cover=not-covered": 0,
		"vendor=corvane": 0, "words=tws400093": 1, "words=gann": 1, "site=moon": 0} {
		page = apigen.AssetPage{}
		if ragna.must(200, "GET", "/assets?"+filter, nil).into(t, &page); len(page.Items) != n {
			t.Errorf("%s: %d assets, want %d", filter, len(page.Items), n)
		}
	}

	// A renamed product is still the asset's; what something refers to stays.
	ragna.patched(200, product, m{"name": "Array 40 E", "our_names": nil})
	if ragna.must(200, "GET", asset, nil).into(t, &a); a.Facts.Product != "Array 40 E" {
		t.Errorf("after renaming: %s", a.Facts.Product)
	}
	tag := ragna.must(200, "GET", product, nil).header.Get("ETag")
	if p := ragna.must(409, "DELETE", product, nil, "If-Match", tag).problem(t); !contains(*p.Detail,
		"assets refer to it") && !contains(*p.Detail, "contracts refer to it") {
		t.Errorf("%+v", p)
	}
	free := ragna.added("/products", m{"vendor": "tallow", "name": "Shelf 12"})
	ragna.must(204, "DELETE", free, nil, "If-Match", `"v1"`)
	ragna.must(404, "GET", free, nil)

	// Two people change the same record: the second is told.
	tag = ragna.must(200, "GET", asset, nil).header.Get("ETag")
	ragna.must(200, "PATCH", asset, m{"site": "Gannetholm"}, "If-Match", tag)
	if p := lead.must(412, "PATCH", asset, m{"site": "Marrowby"}, "If-Match", tag).problem(t); !contains(*p.Detail,
		"read it again") {
		t.Errorf("%+v", p)
	}
	ragna.must(428, "PATCH", asset, m{"site": "Marrowby"})

	// Who may what.
	auditor.must(403, "POST", "/assets", m{"vendor": "tallow", "name": "x"})
	if p := ragna.must(403, "POST", "/contracts",
		m{"vendor": "tallow", "number": "x", "starts": "2026-01-01", "ends": "2026-02-01"}).problem(t); !contains(*p.Detail,
		"handler") {
		t.Errorf("%+v", p)
	}
	auditor.must(200, "GET", "/contracts?ending_on=2026-12-31", nil)

	// A change of promises says which open cases it concerns, and asks.
	name := ragna.filed("tallow", "Under the old terms [patient]")
	v, _ := ragna.get(name)
	var contract string
	var contracts apigen.ContractPage
	ragna.must(200, "GET", "/contracts?vendor=tallow", nil).into(t, &contracts)
	for _, c := range contracts.Items {
		if c.LiveCases > 0 {
			contract = fmt.Sprintf("/contracts/%d", c.Id)
		}
	}
	fewer := m{"terms": []m{{"deadline": "first-response", "level": 3, "target": "15m", "calendar": "round-the-clock"}}}
	if p := lead.patched(409, contract, fewer).problem(t); p.Type != problemType("touches-cases") ||
		!contains(*p.Detail, "This affects cases under this contract: 1 live case keeps the targets") {
		t.Errorf("%+v", p)
	}
	lead.patched(200, contract+"?confirm=true", fewer)
	after, _ := ragna.get(name)
	if len(after.Deadlines) != len(v.Deadlines) || !after.Deadlines[0].Due.Equal(*v.Deadlines[0].Due) {
		t.Error("a filed case lost the terms that it was filed under")
	}
	later := ragna.filed("tallow", "Under the new terms [patient]")
	if v, _ := ragna.get(later); v.Deadlines[0].Target != "15m" {
		t.Errorf("the next case runs under %s", v.Deadlines[0].Target)
	}
	_ = account
	w.replayed()
}

func problemType(kind string) string { return "https://roundhouse.example/problems/" + kind }

// Each mistake is said where it is, and nothing is half done.
func TestMistakesInTheRegister(t *testing.T) {
	t.Parallel()
	w := still(t)
	lead := w.as(2)
	count := func() (n int) {
		if err := w.desk.Store.DB.Get(&n,
			`select (select count(*) from product) + (select count(*) from asset) + (select count(*)
				from account) + (select count(*) from contract) + (select count(*) from terms) + (select count(*)
				from findable)`); err != nil {
			t.Fatal(err)
		}
		return n
	}
	lead.added("/accounts", m{"vendor": "corvane", "number": "saltmarsh-prod", "regions": []string{"Ern", "Marrowby"}})
	lead.added("/products", m{"vendor": "corvane", "name": "Machines", "versions": []m{{"name": "2"}}})
	before := count()
	term := func(more m) m {
		x := m{"deadline": "update", "level": 1, "target": "1h", "calendar": "round-the-clock"}
		for k, v := range more {
			x[k] = v
		}
		return x
	}
	contract := func(more m) m {
		x := m{"vendor": "corvane", "number": "K-1", "starts": "2026-01-01", "ends": "2026-12-31"}
		for k, v := range more {
			x[k] = v
		}
		return x
	}
	for _, x := range []struct {
		path  string
		facts m
		field string
		say   string
	}{
		{"/assets", m{"vendor": "nobody", "name": "x"}, "vendor", "there is no vendor"},
		{"/assets", m{"vendor": "corvane", "name": strings.Repeat("x", 10_000)}, "name", "10000 characters"},
		{"/assets", m{"vendor": "corvane", "name": "x", "account": "saltmarsh-test"}, "account", "no account"},
		{"/assets", m{"vendor": "corvane", "name": "x", "account": "saltmarsh-prod", "region": "Moon"}, "region",
			"has no region"},
		{"/assets", m{"vendor": "corvane", "name": "x", "product": "Machines", "version": "9"}, "version", "it has 2"},
		{"/assets", m{"vendor": "corvane", "name": "x", "colour": "red"}, "colour", "no such field"},
		{"/assets", m{"vendor": "corvane", "name": "x", "environment": "moon"}, "environment", "production, other"},
		{"/accounts", m{"vendor": "corvane", "number": "SALTMARSH-PROD"}, "number", "another account"},
		{"/products", m{"vendor": "corvane", "name": "machines"}, "name", "another product"},
		{"/contracts", contract(m{"ends": "2025-01-01"}), "ends", "is before"},
		{"/contracts", contract(m{"ends": "2026-02-30"}), "ends", "not a date"},
		{"/contracts", contract(m{"products": []string{"Boats"}}), "products[0]", "no product"},
		{"/contracts", contract(m{"terms": []m{term(nil), term(nil)}}), "terms[1]", "overlaps terms[0]"},
		{"/contracts", contract(m{"terms": []m{term(m{"level": 77})}}), "terms[0].level", "no level 77"},
		{"/contracts", contract(m{"terms": []m{term(m{"calendar": "lunar"})}}), "terms[0].calendar", "no calendar"},
		{"/contracts", contract(m{"terms": []m{term(m{"target": "4 hours"})}}), "terms[0].target", "not understood"},
		{"/contracts", contract(m{"terms": []m{term(m{"kind": "fault"}), term(m{"channel": "phone"})}}), "terms[1]",
			"neither is narrower"},
	} {
		p := lead.must(422, "POST", x.path, x.facts).problem(t)
		found := false
		for _, f := range *p.Errors {
			found = found || f.Field == x.field && strings.Contains(f.Detail, x.say)
		}
		if !found {
			t.Errorf("%s %v: want %s: %s in %+v", x.path, x.facts, x.field, x.say, *p.Errors)
		}
	}
	if after := count(); after != before {
		t.Errorf("%d rows before the mistakes, %d after", before, after)
	}
	at := lead.added("/assets", m{"vendor": "corvane", "name": "x"})
	for _, x := range []struct {
		change m
		say    string
	}{{m{"name": nil}, "it is empty: fill it in"}, {m{"name": 7}, "a text"}, {m{"colour": "red"}, "no such field"},
		{m{"vendor": "tallow"}, "the vendor cannot be changed"},
		{m{"serial": []string{"x"}}, "serial: it has to be a text or null"},
		{m{"platform": m{"until": 3}}, "platform.until: it has to be a text or null"},
		{m{"attributes": m{"Rack": false}}, "attributes.Rack: it has to be a text or null"}} {
		if p := lead.patched(422, at, x.change).problem(t); !contains(*p.Detail, x.say) {
			t.Errorf("%v: %s", x.change, *p.Detail)
		}
	}
}

// One box finds everything, exact hits first, whatever the marks, and forgives a slip.
func TestFind(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	ragna.added("/assets", m{"vendor": "tallow", "name": "Array Gannetholm-2", "serial": "TWS-40-0093187",
		"model": "T40 double"})
	ragna.added("/assets", m{"vendor": "corvane", "name": "Timetable database", "resource_id": "ern.db.timetable-1"})
	ragna.added("/accounts", m{"vendor": "corvane", "number": "saltmarsh-prod"})
	ragna.added("/products", m{"vendor": "tallow", "name": "Array 40", "our_names": []string{"cupboard"}})
	name := ragna.filed("tallow", "Controller B restarts under snapshot load [patient]")
	v, _ := ragna.get(name)
	for _, x := range []struct{ words, kind, name, how string }{
		{"TWS-40-0093187", "asset", "TWS-40-0093187", "exact"}, {"tws 40 0093187", "asset", "TWS-40-0093187", "exact"},
		{"tws400093", "asset", "TWS-40-0093187", ""},
		{"TWS-40-0093178", "asset", "TWS-40-0093187", ""},
		{"ern db timetable 1", "asset", "Timetable database", "exact"}, {"timetable", "asset", "Timetable database", ""},
		{"Saltmarsh_Prod", "account", "saltmarsh-prod", "exact"}, {"cupboard", "product", "Array 40", "exact"},
		{"TW-C-7718", "contract", "TW-C-7718", "exact"},
		{strings.ToLower(strings.ReplaceAll(*v.Line.Reference, "/", " ")), "case", name, "exact"},
		{name, "case", name, "exact"}, {strings.TrimPrefix(name, "C-"), "case", name, "exact"},
		{"snapshot contr", "case", name, ""}, {"snapshto", "case", name, ""},
		{"Corvane Cloud", "vendor", "corvane", "exact"}, {"tallwo", "vendor", "tallow", ""},
	} {
		var hits apigen.Hits
		ragna.must(200, "GET", "/find?words="+escape(x.words), nil).into(t, &hits)
		if len(hits.Items) == 0 || string(hits.Items[0].Kind) != x.kind || hits.Items[0].Name != x.name ||
			hits.Items[0].Exact != (x.how == "exact") {
			t.Errorf("%q found %+v, want %s %s %s", x.words, hits.Items, x.how, x.kind, x.name)
		}
	}
	for _, words := range []string{"zzzzqqqq", "%", "'; drop table findable", "_", "\\", "a & b", "((("} {
		var hits apigen.Hits
		if ragna.must(200, "GET", "/find?words="+escape(words), nil).into(t, &hits); len(hits.Items) > 0 && words != "_" {
			t.Errorf("%q found %+v", words, hits.Items)
		}
	}
}

func escape(s string) string { return url.QueryEscape(s) }

// Everything of the register from the terminal: added, shown, found, changed by
// flags, by a file and in the editor, removed; and a case opened from an asset.
func TestTheRegisterInTheTerminal(t *testing.T) {
	t.Parallel()
	w := still(t)
	handler, lead := w.shell(0), w.shell(2)
	handler.ok([]string{"product", "add", "--vendor", "tallow", "--name", "Array 40", "--our-name", "the big cupboard",
		"--component", "controller", "--component", "drive"}, "Array 40, Tallow", "controller, drive")
	handler.ok([]string{"account", "add", "--vendor", "tallow", "--number", "TW-55018", "--called", "site number",
		"--region", "North"}, "TW-55018, Tallow")
	lead.ok([]string{"contract", "add", "--vendor", "tallow", "--number", "TW-N-1", "--starts", "2026-06-01", "--ends",
		"2026-12-31", "--product", "Array 40", "--allowance-unit", "hours", "--allowance-amount", "12",
		"--term", "first-response 3 30m round-the-clock kind=fault", "--term", "first-response 3 2h round-the-clock",
		"--term", "update 3 none"}, "38 days left", "First response", "30 minutes", "Fault")
	file := filepath.Join(handler.home, "asset.yaml")
	if err := os.WriteFile(file,
		[]byte("vendor: tallow\nname: Array Gannetholm-2\nserial: TWS-40-0093187\nproduct: the big cupboard\nenvironment: "+
			"production\nplatform: {supported: \"no\", source: list of versions}\nattributes: {Rack: H2}\n"),
		0o600); err != nil {
		t.Fatal(err)
	}
	if out, code := handler.run("", "asset", "add", "--from", file); code != 4 ||
		!contains(out, "product: the vendor has no product") {
		t.Errorf("status %d: %s", code, out)
	}
	handler.ok([]string{"asset", "add", "--from", file, "--product", "Array 40", "--account", "TW-55018", "--region",
		"North", "--contract", "TW-N-1"}, "Covered twice, by TW-C-7718 and TW-N-1", "Rack H2", "platform supported  No")
	handler.ok(words("asset show tws400093187"), "Array Gannetholm-2")
	handler.ok(words("asset list --cover twice --product the_big_cupboard --vendor tallow"), "Array Gannetholm-2")
	handler.ok(words("asset list -o csv"), "id,vendor,name,serial,model",
		",tallow,Array Gannetholm-2,TWS-40-0093187,,Array 40,")
	handler.ok(words("asset change tws-40-0093187 --note =1+1 --attribute Rack= --site Gannetholm"),
		"site                Gannetholm")
	if out := handler.ok(words("asset show array_gannetholm-2 -o json")); contains(out, "Rack") ||
		!contains(out, `"note": "=1+1"`) {
		t.Errorf("after the change: %s", out)
	}
	handler.env = append(handler.env, `EDITOR=sed -i s/Gannetholm$/Marrowby/`)
	handler.ok(words("asset change tws400093187 --edit"), "site                Marrowby")
	handler.ok(words("find tws 40 0093187"), "Asset", "exact")
	handler.ok(words("find controller --kind account -o json"), "[]")
	if out, code := handler.run("", "asset", "show", "TWS-40-0093178"); code != 3 ||
		!contains(out, "did you mean TWS-40-0093187") {
		t.Errorf("a slip of the pen: status %d: %s", code, out)
	}
	if out, code := handler.run("", "contract", "change", "TW-N-1", "--ends", "2027-12-31"); code != 4 ||
		!contains(out, "handler") {
		t.Errorf("a handler changes a contract: status %d: %s", code, out)
	}
	handler.ok([]string{"case", "open", "--asset", "TWS 40 0093187", "--contract", "TW-N-1",
		"Controller B restarts [patient]", "--effect", "degraded", "--reach", "few", "--workaround", "costly", "--happened",
		"Six times since noon", "--file"}, "Controller B restarts")
	var hits apigen.Hits
	w.as(0).must(200, "GET", "/find?words=controller&kind=case", nil).into(t, &hits)
	w.as(0).untilState(hits.Items[0].Name, "open")
	handler.ok(words("case show "+hits.Items[0].Name), "Array Gannetholm-2", "TW-N-1", "Serial: TWS-40-0093187",
		"Site number: TW-55018", "Region: North")
	handler.ok(words("case deadlines "+hits.Items[0].Name), "30 minutes") // narrowed by kind
	if out, code := lead.run("", "contract", "change", "TW-N-1", "--ends", "2027-12-31"); code != 4 ||
		!contains(out, "1 live case keeps", "--confirm") {
		t.Errorf("a change that touches: status %d: %s", code, out)
	}
	lead.ok(words("contract change TW-N-1 --ends 2099-12-31 --confirm"), "73 years left")
	lead.ok(words("contract change TW-N-1 --ends 2027-12-31 --confirm"), "403 days left")
	if out, code := handler.run("", "asset", "remove", "Array", "Gannetholm-2"); code != 2 {
		t.Errorf("two names: status %d: %s", code, out)
	}
	if out, code := handler.run("", "asset", "remove", "Array Gannetholm-2"); code != 4 ||
		!contains(out, "cases refer to it") {
		t.Errorf("removing what a case is about: status %d: %s", code, out)
	}
	handler.ok([]string{"asset", "add", "--vendor", "tallow", "--name", "Spare"}, "Covered by TW-C-7718")
	handler.ok(words("asset remove spare"), "Removed.")
	for args, say := range map[string]string{"__complete case show ": hits.Items[0].Name + "\tController B",
		"__complete vendor show ":        "tallow\tTallow & Wick Storage",
		"__complete asset show array":    "TWS-40-0093187\tArray Gannetholm-2",
		"__complete case open --vendor ": "corvane\t", "completion bash": "bash completion",
		"contract list --ending-on 2028-01-01": "TW-N-1"} {
		if out, code := handler.run("", strings.Split(args, " ")...); code != 0 || !contains(out, say) {
			t.Errorf("%s: status %d, want %q in\n%.600s", args, code, say, out)
		}
	}
	for args, say := range map[string]string{"case show " + hits.Items[0].Name + " -o csv": "csv is for lists",
		"asset add": "describe it with flags or with --from FILE", "asset change Array_Gannetholm-2": "say what to change",
		"contract add --vendor tallow --term rubbish": "--term: write a target as DEADLINE LEVEL TARGET",
		"asset add --attribute x":                     "NAME=VALUE", "contract add --allowance-amount many": "whole number"} {
		if out, code := handler.run("", words(args)...); code != 2 || !contains(out, say) {
			t.Errorf("%s: status %d, want %q in\n%.600s", args, code, say, out)
		}
	}
	w.replayed()
}
