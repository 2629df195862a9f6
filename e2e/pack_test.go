package e2e

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"roundhouse.example/internal/core/pack"
	"roundhouse.example/internal/demo/firm"
)

// A vendor leaves as a pack, is changed by hand and checked without a service.
func TestVendorPacks(t *testing.T) {
	t.Parallel()
	w := still(t)
	sh := w.shell(4)
	w.as(4).patched(200, "/vendors/tallow",
		m{"note": "Ask for Sione.", "access": []m{{"person": "ragna@saltmarsh.example", "login": true}},
			"reference_pattern": `TW/\d+-\d+`,
			"ways":              []m{{"channel": "phone", "address": "+44 1632 960 151", "calendar": "round-the-clock"}}})
	file := filepath.Join(sh.home, "tallow.yaml")
	written := sh.ok(words("vendor export tallow"), "vendor_pack: 2", "key: tallow", "Grade I", "tallow-office:",
		"round-the-clock:", "Pacific/Apia")
	if contains(written, "ragna") || contains(written, "Sione") {
		t.Errorf("what is ours left with it:\n%s", written)
	}
	keep := func(text string) {
		if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	keep(written)
	alone := &shell{t: t, home: t.TempDir()} // no service, nobody signed in
	alone.ok([]string{"vendor", "check", file},
		"is a valid pack for Tallow & Wick Storage (tallow) with 4 levels and 2 calendars")
	if out, code := alone.run(written, "vendor", "check", "-"); code != 0 ||
		!contains(out, "standard input is a valid pack for Tallow") {
		t.Errorf("from standard input: status %d: %s", code, out)
	}
	keep(strings.NewReplacer("hours: tallow-office", "hours: moon-office", "label: Grade II\n",
		"lable: Grade II\n").Replace(written))
	out, code := alone.run("", "vendor", "check", file)
	if code != 1 || !contains(out, "lable: there is no such field", "label is missing", "has 2 mistakes") {
		t.Errorf("spoilt: status %d: %s", code, out)
	}
	out, code = alone.run("", "vendor", "check", file, "-o", "json")
	var found []struct {
		Line   int
		Field  string
		Detail string
	}
	if err := json.NewDecoder(strings.NewReader(out)).Decode(&found); code != 1 || err != nil || len(found) != 2 ||
		found[0].Line == 0 || !strings.HasPrefix(found[0].Field, "vendor.levels[1]") {
		t.Errorf("for programs: status %d, %v: %s", code, err, out)
	}
	var schema map[string]any
	if err := json.Unmarshal([]byte(alone.ok(words("vendor schema"))), &schema); err != nil ||
		schema["$schema"] != "https://json-schema.org/draft/2020-12/schema" {
		t.Errorf("the schema: %v", err)
	}
	if out, code := alone.run("", "vendor", "check", filepath.Join(sh.home, "none.yaml")); code != 1 ||
		!contains(out, "no such file") {
		t.Errorf("a file that there is not: status %d: %s", code, out)
	}
}

// Every pack that ships comes in, goes out the same, is changed by hand and comes
// in again: only what differs is changed, and what is ours alone stays.
func TestPacksComeIn(t *testing.T) {
	t.Parallel()
	w := still(t)
	sh := w.shell(4)
	files, err := firm.Packs()
	if err != nil || len(files) != 9 {
		t.Fatalf("%d packs, %v", len(files), err)
	}
	at := func(key string) string { return filepath.Join(sh.home, key+".yaml") }
	for key, file := range files {
		if p, findings := pack.Read(file); len(findings) > 0 || p.Vendor.Key != key {
			t.Errorf("%s: %v", key, findings)
		}
		if err := os.WriteFile(at(key), file, 0o600); err != nil {
			t.Fatal(err)
		}
		sh.ok([]string{"vendor", "import", at(key), "--yes"}, "is imported")
		sh.ok([]string{"vendor", "import", at(key)}, "already matches the pack; there is nothing to do")
		out := sh.ok([]string{"vendor", "export", key}, "key: "+key)
		p, findings := pack.Read([]byte(out))
		q, _ := pack.Read(file)
		if d, err := pack.Differences(q, p); len(findings) > 0 || err != nil || len(d) > 0 {
			t.Errorf("%s comes back otherwise: %v %v %v", key, findings, d, err)
		}
	}
	admin := w.as(4)
	admin.patched(200, "/vendors/emberline",
		m{"note": "Ask for Bronte.", "access": []m{{"person": "ragna@saltmarsh.example", "login": true}}})

	// By hand: a level more, other hours of its own, and shared ones written otherwise.
	changed := strings.NewReplacer("closes_after_days: 10", "closes_after_days: 12", `fri: ["08:00-18:00"]`,
		`fri: ["08:00-15:00"]`, "label: Asks\n", "label: Asks kindly\n",
		"  round-the-clock:\n    always: true",
		"  round-the-clock:\n    zone: Australia/Adelaide\n    always: true").Replace(string(files["emberline"]))
	if err := os.WriteFile(at("emberline"), []byte(changed), 0o600); err != nil {
		t.Fatal(err)
	}
	before := sh.ok(words("vendor export emberline"))
	sh.ok([]string{"vendor", "import", at("emberline")}, "Emberline Backup (emberline): 5 differences",
		"~ closes_after_days: 10 -> 12",
		"- levels (Asks)", "+ levels (Asks kindly)", "week fri: 08:00-18:00 -> 08:00-15:00",
		"The calendar emberline-days changes from 2026-11-24", "the vendor gets its own calendar",
		"Nothing was changed. To apply the changes, repeat it with --yes")
	if now := sh.ok(words("vendor export emberline")); now != before {
		t.Errorf("looking changed it:\n%s", now)
	}
	sh.ok([]string{"vendor", "import", at("emberline"), "--yes"}, "Emberline Backup is imported")
	sh.ok([]string{"vendor", "import", at("emberline"), "--yes"}, "there is nothing to do")
	sh.ok(words("vendor show emberline"), "Asks kindly", "Ask for Bronte.", "ragna@saltmarsh.example",
		"closes by itself    after 12 days")
	if p, _ := pack.Read([]byte(sh.ok(words("vendor export thornwatch")))); p.Calendars["round-the-clock"].Zone != "" {
		t.Error("hours that others count in were changed")
	}

	// What was seen is what is changed: another change in between is said.
	var seen struct {
		Seen        string
		Differences []any
	}
	one := strings.Replace(changed, "closes_after_days: 12", "closes_after_days: 13", 1)
	admin.must(200, "POST", "/packs", m{"pack": one, "dry_run": true}).into(t, &seen)
	admin.patched(200, "/vendors/emberline", m{"reopens_within_days": 46})
	if p := admin.must(412, "POST", "/packs", m{"pack": one, "seen": seen.Seen}).problem(t); !strings.Contains(p.Type,
		"stale") {
		t.Errorf("%+v", p)
	}
	admin.must(412, "POST", "/packs", m{"pack": one})
	// A mistake anywhere and nothing is done; who may not, may not.
	bad := admin.must(422, "POST", "/packs",
		m{"pack": strings.Replace(one, "severities: [4]", "severities: [5]", 1)}).problem(t)
	if bad.Errors == nil || len(*bad.Errors) == 0 || !strings.Contains((*bad.Errors)[0].Detail, "line ") {
		t.Errorf("%+v", bad)
	}
	w.as(0).must(403, "POST", "/packs", m{"pack": one, "dry_run": true})
	// A name that another vendor goes by is not taken over.
	if p := admin.must(422, "POST", "/packs",
		m{"pack": strings.Replace(one, "key: emberline", "key: emberline-2", 1),
			"dry_run": true}).problem(t); !contains((*p.Errors)[0].Detail,
		"the desk knows this vendor under the key emberline") {
		t.Errorf("%+v", *p.Errors)
	}

	// A contract begins with what is usual, and the vendor can go again with its hours.
	sh.ok(words("contract add --vendor ledgerwell --number LW-9 --starts 2026-01-01 --ends 2027-01-01 --everything "+
		"--usual-terms"), "LW-9")
	sh.ok(words("vendor show ledgerwell"), "The run is at risk  First response  30 minutes       ledgerwell-run-days")
	if out, code := sh.run("", "vendor", "remove", "ledgerwell"); code != 4 || !contains(out, "contracts refer to it") {
		t.Errorf("status %d: %s", code, out)
	}
	sh.ok(words("vendor remove brackwater"), "Removed")
	if out := sh.ok(words("calendar list")); contains(out, "brackwater") {
		t.Errorf("its hours stayed:\n%s", out)
	}
}
