package pack

import (
	"bytes"
	"encoding/json"
	"fmt"
	"os/exec"
	"strings"
	"testing"

	"github.com/goccy/go-yaml/parser"
)

// variants are packs that are right and packs that are wrong by the schema alone, each
// made of the good one by a change of words.
var variants = []struct {
	what     string
	from, to string
	right    bool
}{
	{"as it is", "", "", true},
	{"a kind", "  zone: Asia/Kolkata\n  hours", "  kind: payments\n  zone: Asia/Kolkata\n  hours", true},
	{"what it does", "  hours: ferrous", "  does: card terminals\n  hours: ferrous", true},
	{"languages", "  hours: ferrous", "  languages: [English, Hindi]\n  hours: ferrous", true},
	{"a site", "  hours: ferrous", "  site: https://x.example\n  hours: ferrous", true},
	{"another way", "  hours: ferrous", "  other_way: by post\n  hours: ferrous", true},
	{"closes by itself", "  hours: ferrous", "  closes_after_days: 10\n  reopens_within_days: 0\n  hours: ferrous", true},
	{"status words", "  ways:", "  status_words:\n    - {word: Taken, state: taken-in, move: theirs}\n  ways:", true},
	{"people", "  ways:", "  people:\n    - {name: Ada, email: ada@ferrous.example, phone: '+44 1632 960 1'}\n  ways:",
		true},
	{"what it takes", "  ways:", "  takes: [fault, question]\n  ways:", true},
	{"intake", "  ways:", "  forms:\n    - {kind: any, key: shop, label: Shop, type: choice, choices: [a, b], required: " +
		"true}\n  ways:", true},
	{"usual promises", "  ways:",
		"  usual_terms:\n    - {deadline: update, level: 1, target: 1h30m, calendar: always, kind: fault, channel: api, " +
			"country: NO}\n  ways:", true},
	{"nothing promised", "  ways:", "  usual_terms: [{deadline: first-response, level: 2, target: none}]\n  ways:", true},
	{"business days", "  ways:",
		"  usual_terms: [{deadline: resolution, level: 1, target: 10bd, calendar: always}]\n  ways:", true},
	{"no ladder", "  ladder:\n    - {role: Duty manager, how: by phone, late_by: 2h}\n", "", true},
	{"a ladder by count", "late_by: 2h", "fixes_rejected: 2", true},
	{"a ladder by age", "late_by: 2h", "open_longer: 3bd, severity: 2", true},
	{"extra hours", `closed: ["2026-12-25"]`, `closed: [], extra: {"2026-12-24": ["08:00-12:00"], "2026-12-25": []}`,
		true},
	{"a night", `["09:30-18:30"]`, `["22:00-06:00", "06:00-24:00"]`, true},
	{"a file limit", "urgent: true,", "urgent: false, max_mb: 20, file_types: [log],", true},
	{"no way", "  ways:\n    - {channel: phone, address: +44 1632 960 055, urgent: true, calendar: always}\n", "", true},
	{"one level for all", "severities: [1, 2]", "severities: [1, 2, 3]", true},
	{"a long text", "By mail,\n    two days.", "By mail,\n    two days.\n\n    And a word more: ünïcode.", true},
	{"a meaning", "{label: Lit, severities: [3, 4]}", "{label: Lit, meaning: It is lit, severities: [3, 4]}", true},
	{"an empty list", "  ways:", "  people: []\n  ways:", true},

	{"no version", "vendor_pack: 2\n", "", false},
	{"a newer version", "vendor_pack: 2", "vendor_pack: 3", false},
	{"a version in words", "vendor_pack: 2", "vendor_pack: one", false},
	{"no key", "  key: ferrous\n", "", false},
	{"no zone", "  zone: Asia/Kolkata\n  hours", "  hours", false},
	{"no levels", "  levels:\n    - label: Dark\n      severities: [1, 2]\n      round_the_clock: true\n      " +
		"channels: [phone]\n      criteria: [No card is taken anywhere]\n    - {label: Lit, severities: [3, 4]}\n", "",
		false},
	{"no calendars", "calendars:\n  ferrous-office: {zone: Asia/Kolkata, week: {mon: [\"09:30-18:30\"]}, closed: " +
		"[\"2026-12-25\"]}\n  always: {always: true}\n", "", false},
	{"a key in capitals", "key: ferrous", "key: Ferrous", false},
	{"a name that is a number", "name: Ferrous Payments", "name: 7", false},
	{"an empty name", "name: Ferrous Payments", `name: ""`, false},
	{"a severity of five", "severities: [3, 4]", "severities: [3, 5]", false},
	{"a severity in words", "severities: [3, 4]", "severities: [three, 4]", false},
	{"a level without a label", "label: Lit, ", "", false},
	{"a level's member that there is not", "label: Lit", "colour: red, label: Lit", false},
	{"a channel that there is not", "channels: [phone]", "channels: [pigeon]", false},
	{"yes in words", "round_the_clock: true", `round_the_clock: "yes"`, false},
	{"a way without an address", "address: +44 1632 960 055, ", "", false},
	{"a rung without how", "how: by phone, ", "", false},
	{"a span in words", "late_by: 2h", "late_by: soon", false},
	{"a target that is none", "  ways:", "  usual_terms: [{deadline: update, level: 1, target: 5}]\n  ways:", false},
	{"a promise of ours", "  ways:", "  usual_terms: [{deadline: our-answer, level: 1, target: 5h}]\n  ways:", false},
	{"a country in words", "  ways:",
		"  usual_terms: [{deadline: update, level: 1, target: 5h, country: Norway}]\n  ways:", false},
	{"a window that is none", "09:30-18:30", "9-18", false},
	{"a day that is none", "{mon: [", "{moon: [", false},
	{"what is ours alone", "  ways:", "  note: ask for Ada\n  ways:", false},
}

// theOther judges JSON documents, one a line, by another validator of the same draft.
const theOther = `
import json, sys
from jsonschema import Draft202012Validator
schema = json.load(open(sys.argv[1]))
Draft202012Validator.check_schema(schema)
v = Draft202012Validator(schema)
for line in sys.stdin:
    print("right" if v.is_valid(json.loads(line)) else "wrong")
`

// Another validator of JSON Schema agrees on fifty packs, right and wrong.
func TestAnotherValidatorAgrees(t *testing.T) {
	if len(variants) != 50 {
		t.Fatalf("there are %d", len(variants))
	}
	schema, err := compiled()
	if err != nil {
		t.Fatal(err)
	}
	var lines bytes.Buffer
	for _, x := range variants {
		file := strings.Replace(good, x.from, x.to, 1)
		if file == good && x.from != "" {
			t.Fatalf("%s: nothing was changed", x.what)
		}
		doc, err := parser.ParseBytes([]byte(file), 0)
		if err != nil {
			t.Fatalf("%s: %v", x.what, err)
		}
		value := (&tree{lines: map[string]int{}}).value(doc.Docs[0].Body, "", 0)
		if err := schema.Validate(value); (err == nil) != x.right {
			t.Errorf("%s: %v", x.what, err)
		}
		if _, findings := Read([]byte(file)); (len(findings) == 0) != x.right && !x.right {
			t.Errorf("%s: read without a word", x.what)
		}
		raw, err := json.Marshal(value)
		if err != nil {
			t.Fatal(err)
		}
		fmt.Fprintf(&lines, "%s\n", raw)
	}
	const python = "/usr/bin/python3"
	if err := exec.Command(python, "-c", "import jsonschema").Run(); err != nil {
		t.Log("no other validator is installed here (Debian's python3-jsonschema)")
		return
	}
	cmd := exec.Command(python, "-c", theOther, "schema.json")
	cmd.Stdin = &lines
	out, err := cmd.Output()
	if err != nil {
		t.Fatal(err)
	}
	said := strings.Fields(string(out))
	if len(said) != len(variants) {
		t.Fatalf("%d answers", len(said))
	}
	for i, x := range variants {
		if (said[i] == "right") != x.right {
			t.Errorf("%s: the other says %s", x.what, said[i])
		}
	}
}
