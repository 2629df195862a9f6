package e2e

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// A vendor leaves as a pack, is changed by hand and checked without a service.
func TestVendorPacks(t *testing.T) {
	t.Parallel()
	w := still(t)
	sh := &shell{t: t, home: t.TempDir(), env: []string{"ROUNDHOUSE_URL=" + w.url, "ROUNDHOUSE_TOKEN=" + w.people[4].Token}}
	w.as(4).patched(200, "/vendors/tallow", m{"note": "Ask for Sione.", "access": []m{{"person": "ragna@saltmarsh.example", "login": true}}, "reference_pattern": `TW/\d+-\d+`,
		"ways": []m{{"channel": "phone", "address": "+44 1632 960 151", "calendar": "round-the-clock"}}})
	file := filepath.Join(sh.home, "tallow.yaml")
	written := sh.ok(words("vendor export tallow"), "vendor_pack: 1", "key: tallow", "Grade I", "tallow-office:", "round-the-clock:", "Pacific/Apia")
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
	alone.ok([]string{"vendor", "check", file}, "is a pack of Tallow & Wick Storage (tallow) with 4 levels and 2 calendars")
	if out, code := alone.run(written, "vendor", "check", "-"); code != 0 || !contains(out, "standard input is a pack") {
		t.Errorf("from standard input: status %d: %s", code, out)
	}
	keep(strings.NewReplacer("hours: tallow-office", "hours: moon-office", "label: Grade II\n", "lable: Grade II\n").Replace(written))
	out, code := alone.run("", "vendor", "check", file)
	if code != 1 || !contains(out, "lable: nothing of that name is known here", "label is missing", "has 2 mistakes") {
		t.Errorf("spoilt: status %d: %s", code, out)
	}
	out, code = alone.run("", "vendor", "check", file, "-o", "json")
	var found []struct {
		Line   int
		Field  string
		Detail string
	}
	if err := json.NewDecoder(strings.NewReader(out)).Decode(&found); code != 1 || err != nil || len(found) != 2 || found[0].Line == 0 || !strings.HasPrefix(found[0].Field, "vendor.levels[1]") {
		t.Errorf("for programs: status %d, %v: %s", code, err, out)
	}
	var schema map[string]any
	if err := json.Unmarshal([]byte(alone.ok(words("vendor schema"))), &schema); err != nil || schema["$schema"] != "https://json-schema.org/draft/2020-12/schema" {
		t.Errorf("the schema: %v", err)
	}
	if out, code := alone.run("", "vendor", "check", filepath.Join(sh.home, "none.yaml")); code != 1 || !contains(out, "no such file") {
		t.Errorf("a file that there is not: status %d: %s", code, out)
	}
}
