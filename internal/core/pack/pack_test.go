package pack

import (
	"bytes"
	"encoding/json"
	"fmt"
	"reflect"
	"strings"
	"testing"

	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/register"
)

const good = `# A comment
vendor_pack: 2
vendor:
  key: ferrous
  name: Ferrous Payments
  zone: Asia/Kolkata
  hours: ferrous-office
  reference_pattern: 'FE-\d{5}'
  levels:
    - label: Dark
      severities: [1, 2]
      round_the_clock: true
      channels: [phone]
      criteria: [No card is taken anywhere]
    - {label: Lit, severities: [3, 4]}
  ways:
    - {channel: phone, address: +44 1632 960 055, urgent: true, calendar: always}
  ladder:
    - {role: Duty manager, how: by phone, late_by: 2h}
  login_how: |
    By mail,
    two days.
calendars:
  ferrous-office: {zone: Asia/Kolkata, week: {mon: ["09:30-18:30"]}, closed: ["2026-12-25"]}
  always: {always: true}
`

func TestAGoodPack(t *testing.T) {
	p, findings := Read([]byte(good))
	if len(findings) > 0 {
		t.Fatal(findings)
	}
	if p.Vendor.LoginHow != "By mail,\ntwo days.\n" || p.Vendor.Levels[0].Severities[1] != 2 ||
		!p.Calendars["always"].Always || p.Vendor.Ways[0].Address != "+44 1632 960 055" {
		t.Errorf("%+v", p)
	}
}

// Each mistake is said with its line and its field, all of them at once.
func TestMistakes(t *testing.T) {
	for what, x := range map[string]struct {
		from, to string
		want     []string
	}{
		"a member that there is not": {"zone: Asia/Kolkata\n  hours", "colour: red\n  zone: Asia/Kolkata\n  hours",
			[]string{"6: vendor.colour: there is no such field"}},
		"a member missing": {"  name: Ferrous Payments\n", "", []string{"3: vendor: name is missing"}},
		"a wrong word": {"channel: phone, address", "channel: pigeon, address",
			[]string{"17: vendor.ways[0].channel: pigeon is not known; use one of api, email, portal, phone, chat"}},
		"a wrong type": {"round_the_clock: true", "round_the_clock: sometimes",
			[]string{"12: vendor.levels[0].round_the_clock: got string, want boolean"}},
		"several": {"label: Dark\n      severities: [1, 2]", "lable: Dark\n      severities: [1, 9]",
			[]string{"10: vendor.levels[0]: label is missing", "10: vendor.levels[0].lable: there is no such field",
				"11: vendor.levels[0].severities[1]: maximum"}},
		"a zone that there is not": {"zone: Asia/Kolkata\n  hours", "zone: Asia/Atlantis\n  hours",
			[]string{"6: vendor.zone: \"Asia/Atlantis\" is not a known time zone"}},
		"a pattern": {`FE-\d{5}`, `FE-(\d`, []string{"8: vendor.reference_pattern: it does not compile"}},
		"hours that there are not": {"hours: ferrous-office", "hours: lunar",
			[]string{"7: vendor.hours: this pack has no calendar \"lunar\"",
				"24: calendars.ferrous-office: warning: nothing in the pack uses it"}},
		"promises that are wrong": {"  login_how: |",
			"  usual_terms:\n    - {deadline: first-response, level: 3, target: 4h, calendar: ferrous-office}\n    - " +
				"{deadline: update, level: 1, target: 4h}\n    - {deadline: update, level: 2, target: soon, calendar: moon}\n " +
				" login_how: |", []string{
				"23: vendor.usual_terms[2].target: \"soon\" has the wrong form: a target is like"}},
		"promises that do not fit": {"  login_how: |",
			"  usual_terms:\n    - {deadline: first-response, level: 3, target: 4h, calendar: ferrous-office}\n    - " +
				"{deadline: update, level: 1, target: 4h}\n    - {deadline: update, level: 2, target: 2h, calendar: moon}\n  " +
				"login_how: |", []string{
				"21: vendor.usual_terms[0].level: the vendor has no level 3",
				"22: vendor.usual_terms[1].calendar: name the calendar it counts in",
				"23: vendor.usual_terms[2].calendar: this pack has no calendar \"moon\""}},
		"days that are not business days": {"  login_how: |",
			"  usual_terms:\n    - {deadline: resolution, level: 1, target: 2d, calendar: ferrous-office}\n    - " +
				"{deadline: resolution, level: 2, target: 2d, calendar: always}\n  login_how: |",
			[]string{"21: vendor.usual_terms[0].target: warning: "}},
		"hours that are wrong": {`mon: ["09:30-18:30"]`, `mon: ["09:30-18:30"], tue: ["9-5"]`,
			[]string{"24: calendars.ferrous-office.week.tue[0]: "}},
		"a date that does not exist": {"2026-12-25", "2026-02-30", []string{"24: calendars.ferrous-office: closed"}},
		"an unreachable level": {"channels: [phone]", "channels: [chat]",
			[]string{"13: vendor.levels[0].channels[0]: there is no way to reach it by"}},
		"days in office hours": {"late_by: 2h", "late_by: 2d",
			[]string{"19: vendor.ladder[0].late_by: warning: "}},
		"a target that is none": {"late_by: 2h", "late_by: soon", []string{"19: vendor.ladder[0].late_by: "}},
		"a newer format": {"vendor_pack: 2", "vendor_pack: 3",
			[]string{"2: vendor_pack: it has version 3 of the format, but this program knows version 2"}},
		"no format": {"vendor_pack: 2", "vendor_pack: one", []string{"2: vendor_pack: it is 2"}},
		"a member twice": {"  zone: Asia/Kolkata\n  hours", "  name: Other\n  zone: Asia/Kolkata\n  hours",
			[]string{"6: "}},
		"an alias": {"criteria: [No card is taken anywhere]",
			"criteria: &c [No card is taken anywhere]",
			[]string{"14: vendor.levels[0].criteria: anchors and aliases are not supported"}},
		"no YAML": {"levels:", "levels: [", []string{"it is not YAML"}},
		"access, which is ours": {"  login_how", "  access: [{person: a@b.example}]\n  login_how",
			[]string{"20: vendor.access: there is no such field"}},
		"a name of 10,000 characters": {"Ferrous Payments", strings.Repeat("x", 10_000),
			[]string{"5: vendor.name: it has 10000 characters"}},
		"a number in place of a text": {"key: ferrous", "key: 12", []string{"4: vendor.key: got number, want string"}},
		"a list in place of a mapping": {"calendars:\n", "calendars: []\nother:\n",
			[]string{"23: calendars: got array, want object", "24: other: there is no such field"}},
	} {
		file := strings.Replace(good, x.from, x.to, 1)
		if file == good {
			t.Fatalf("%s: nothing was changed", what)
		}
		_, findings := Read([]byte(file))
		if len(findings) != len(x.want) {
			t.Errorf("%s: %v, want %q", what, findings, x.want)
			continue
		}
		for i, f := range findings {
			if !strings.HasPrefix(f.String(), x.want[i]) &&
				!(strings.HasPrefix(x.want[i], "it is") && strings.Contains(f.String(), x.want[i])) {
				t.Errorf("%s: %q, want %q", what, f, x.want[i])
			}
		}
	}
}

func TestFilesThatAreNoPack(t *testing.T) {
	bomb := "a: &a [x, x, x, x, x, x, x, x, x, x]\n"
	for c := 'b'; c < 'i'; c++ {
		bomb += fmt.Sprintf("%c: &%c [*%c, *%c, *%c, *%c, *%c, *%c, *%c, *%c, *%c, *%c]\n", c, c, c-1, c-1, c-1, c-1, c-1,
			c-1, c-1, c-1, c-1, c-1)
	}
	for what, x := range map[string]struct{ file, want string }{
		"nothing": {"", "it is empty"}, "a word": {"hello", "it is not a pack"},
		"two documents":     {good + "---\n" + good, "it has 2 documents"},
		"a bomb of aliases": {bomb, "anchors and aliases are not supported"},
		"Latin-1":           {"vendor_pack: 2\nvendor: {name: caf\xe9}", "UTF-8"},
		"too long":          {strings.Repeat("# x\n", MaxBytes/4+1), "longer than 256 KiB"},
		"too many lines":    {strings.Repeat("- a\n", maxLines+1), "more than 8000 lines"},
		"a long line":       {"vendor_pack: 2\na: " + strings.Repeat("[", maxLine), "2: the line is longer"},
		"too deep":          {strings.Repeat("[", 60) + strings.Repeat("]", 60), "nested more than"},
		"a list":            {"- a\n- b\n", "it is not a pack"},
		"a vendor alone":    {"key: ferrous\nname: Ferrous Payments\n", "it is not a pack"},
	} {
		_, findings := Read([]byte(x.file))
		if len(findings) == 0 || !strings.Contains(findings[0].String(), x.want) {
			t.Errorf("%s: %v, want %q", what, findings, x.want)
		}
	}
}

// What is written is read back the same, and holds nothing that is ours alone.
func TestWrittenAndReadAgain(t *testing.T) {
	p, _ := Read([]byte(good))
	v := p.Vendor
	v.Note, v.Through, v.Access = "ours", "corvane", []register.Access{{Person: "ragna@saltmarsh.example"}}
	v.Does = "yes" // a text that YAML could take for something else
	v.People = []register.Contact{{Name: "O'Hara: \"the duty\" # desk", Phone: "0123", Known: "- once\n"}}
	v.People[0].Known = "- once"
	made := Of(v, map[string]calendar.Definition{"ferrous-office": p.Calendars["ferrous-office"],
		"always": {Name: "always", Always: true}, "other": {Always: true}})
	file, err := made.Write()
	if err != nil {
		t.Fatal(err)
	}
	again, findings := Read(file)
	if len(findings) > 0 {
		t.Fatalf("%v in\n%s", findings, file)
	}
	if !reflect.DeepEqual(again, made) {
		t.Errorf("written\n%s\nread %+v\nmade %+v", file, again, made)
	}
	if bytes.Contains(file, []byte("ragna")) || bytes.Contains(file, []byte("ours\n")) || len(again.Calendars) != 2 {
		t.Errorf("what is ours left with it:\n%s", file)
	}
}

// The schema knows every member of a vendor but those that are a desk's alone.
func TestTheSchemaKnowsWhatAVendorHas(t *testing.T) {
	var schema struct {
		Defs struct {
			Vendor struct{ Properties map[string]any }
		} `json:"$defs"`
	}
	if err := json.Unmarshal(Schema, &schema); err != nil {
		t.Fatal(err)
	}
	ours := map[string]bool{"access": true, "partners": true, "note": true, "through": true, "direct_allowed": true}
	typ := reflect.TypeFor[register.Vendor]()
	for i := range typ.NumField() {
		name, _, _ := strings.Cut(typ.Field(i).Tag.Get("json"), ",")
		if _, known := schema.Defs.Vendor.Properties[name]; known == ours[name] {
			t.Errorf("%s: known %v, a desk's alone %v", name, known, ours[name])
		}
		delete(schema.Defs.Vendor.Properties, name)
	}
	for name := range schema.Defs.Vendor.Properties {
		t.Errorf("the schema has %s, and a vendor has not", name)
	}
}

// FuzzRead: whatever the file, it is answered, never with a pack that is wrong.
func FuzzRead(f *testing.F) {
	f.Add([]byte(good))
	for _, s := range []string{"", "a: b: c", "? x", "!!binary x", "vendor_pack: 2\nvendor: {}\ncalendars: {}",
		"{a: &x 1, b: *x}", "- - - -", "a: |\n  x", "\t"} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, file []byte) {
		p, findings := Read(file)
		if len(findings) > 0 {
			return
		}
		out, err := p.Write()
		if err != nil {
			t.Fatal(err)
		}
		if again, findings := Read(out); len(findings) > 0 || !reflect.DeepEqual(again, p) {
			t.Errorf("%q, written\n%s\n%v", file, out, findings)
		}
	})
}

// Members of anything are read within the bounds of a pack.
func TestMembers(t *testing.T) {
	m, findings := Members([]byte("name: Array\nnote: |\n  two\n  lines\nversions: [{name: '7.2'}]\neverything: " +
		"true\namount: 5\n"))
	raw, err := json.Marshal(m)
	if err != nil || len(findings) > 0 ||
		string(raw) != `{"amount":5,"everything":true,"name":"Array","note":"two\nlines\n","versions":[{"name":"7.2"}]}` {
		t.Errorf("%s %v %v", raw, findings, err)
	}
	if m, findings := Members([]byte(`{"name": "Array", "terms": [{"level": 1}]}`)); len(findings) > 0 ||
		m["name"] != "Array" {
		t.Errorf("JSON: %v %v", m, findings)
	}
	for file, want := range map[string]string{"a: &a [x]\nb: [*a, *a]\n": "1: a: anchors and aliases are not supported",
		"- a\n- b\n": "it has no fields", "a: [": "it is not YAML", "": "it is empty",
		"a: 1\n---\nb: 2\n": "it has 2 documents", strings.Repeat("a", MaxBytes+1): "it is longer than",
		"a: 1\na: 2\n": "2: "} {
		if _, findings := Members([]byte(file)); len(findings) == 0 || !strings.Contains(findings[0].String(), want) {
			t.Errorf("%.30q: %v, want %q", file, findings, want)
		}
	}
}

// A file that is nested without end is refused before it is read as a whole.
func TestNestedWithoutEnd(t *testing.T) {
	t.Parallel()
	steps := ""
	for i := range 300 {
		steps += strings.Repeat(" ", i) + "a:\n"
	}
	for what, file := range map[string]string{
		"objects":         "key: x\nname: " + strings.Repeat("{a: {b:\n", 3900) + strings.Repeat("}", 7800),
		"lists":           "key: x\nname: " + strings.Repeat("[[[\n", 6000) + strings.Repeat("]", 18000),
		"lists, not shut": strings.Repeat("[", 20000),
		"members":         steps,
		"dashes":          "key: x\nways:\n  " + strings.Repeat("- ", 10000) + "x\n",
	} {
		_, findings := Read([]byte(file))
		if len(findings) == 0 || !strings.Contains(findings[0].String(), "deep") {
			t.Errorf("%s: %v", what, findings)
		}
	}
	if nested([]byte("key: x\nnote: |\n  [[[[[[ not nested ]]]]]]\nname: \"{{{{\"\n")) != 0 {
		t.Error("what stands in a text is taken for nesting")
	}
}
