package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"roundhouse.example/internal/server/apigen"
)

const ferrous = `key: ferrous
name: Ferrous Payments
kind: payment terminals
does: Card terminals at every gate
zone: Asia/Kolkata
languages: [English, Hindi]
hours: round-the-clock
site: https://help.ferrous.example
other_way: The duty desk, +44 1632 960 055
closes_after_days: 7
reopens_within_days: 14
reference_pattern: 'FE-\d{5}'
levels:
  - {label: Dark, meaning: No terminal takes cards, severities: [1], round_the_clock: true, channels: [phone],
     criteria: [No card is taken anywhere]}
  - {label: Dim, severities: [2, 3]}
  - {label: Lit, severities: [4]}
ways:
  - {channel: phone, address: +44 1632 960 055, urgent: true}
  - {channel: portal, address: 'https://help.ferrous.example/new', max_mb: 20, file_types: [log, zip]}
people:
  - {name: Ishaan Rao, role: account manager, email: ishaan@ferrous.example,
     phone: +44 1632 960 056, known: met in spring}
ladder:
  - {role: Duty manager, how: +44 1632 960 057, late_by: 2h, fixes_rejected: 2, reply: 1h}
  - {role: Head of support, how: +44 1632 960 059}
  - {role: Head of support, how: by letter}
status_words:
  - {word: with the merchant, move: ours}
forms:
  - {kind: any, key: terminal, label: Terminal number, type: text, required: true,
     from: asset.serial, hint: they look up the line by it}
login_how: by mail to the account manager, two days
access:
  - {person: ragna@saltmarsh.example, may: [open, escalate], login: true, contact: true}
partners:
  - {partner: Kestrel Services, what: opens cases at night, since: "2026-01-01", until: "2027-01-01"}
`

// A vendor is entered whole from a file, changed piece by piece, and a scheme
// that live cases hold cannot be pulled from under them.
func TestAVendorFromNothing(t *testing.T) {
	t.Parallel()
	w := still(t)
	admin := w.shell(4)
	file := filepath.Join(admin.home, "ferrous.yaml")
	keep := func(text string) {
		if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	keep(strings.NewReplacer("Asia/Kolkata", "Asia/Atlantis", "channels: [phone]", "channels: [chat]", "late_by: 2h",
		"late_by: two", "FE-\\d", "FE-(\\d", "ragna@", "nobody@", "round-the-clock\nsite", "lunar\nsite").Replace(ferrous))
	out, code := admin.run("", "vendor", "add", "--from", file)
	if code != 4 || !contains(out, "zone:", "levels[0].channels[0]: there is no way to reach it by", "ladder[0].late_by",
		"reference_pattern: it does not compile", "access[0].person: nobody here", "hours: there is no calendar") {
		t.Errorf("all mistakes at once: status %d: %s", code, out)
	}
	keep(ferrous)
	admin.ok(words("vendor add --from "+file), "Ferrous Payments, ferrous")
	admin.ok(words("vendor show ferrous"), "Dark", "No card is taken anywhere", "needs a contact round the clock",
		"The duty desk, +44 1632 960 055", "Ishaan Rao", "Duty manager",
		"when the vendor is late by 2 hours or more, or 2 fixes were rejected",
		"Head of support: +44 1632 960 059; only when somebody decides to", "Terminal number")
	admin.ok(words("vendor cards ferrous"), "BEGIN:VCARD\r\nVERSION:4.0", "FN:Ishaan Rao", "ORG:Ferrous Payments")
	admin.ok([]string{"vendor", "change", "ferrous", "--zone", "Europe/Oslo", "--language", "English", "--through",
		"corvane", "--note", ""}, "zone                Europe/Oslo", "through             corvane")
	if out, code := admin.run("", "vendor", "change", "ferrous", "--key", "iron"); code != 4 ||
		!contains(out, "the key cannot be changed") {
		t.Errorf("another key: status %d: %s", code, out)
	}
	admin.ok(words("find ferrous_payments"), "Vendor", "exact")
	handler := w.as(0)
	handler.must(403, "POST", "/vendors",
		m{"key": "x", "name": "X", "zone": "UTC", "hours": "round-the-clock", "levels": []m{}})
	name := handler.filed("tallow", "Held at a level [patient]")
	v, _ := handler.get(name)
	tag := handler.must(200, "GET", "/vendors/tallow", nil).header.Get("ETag")
	if p := w.as(4).must(422, "PATCH", "/vendors/tallow",
		m{"levels": []m{{"label": "One", "severities": []int{1, 2, 3, 4}}}}, "If-Match",
		tag).problem(t); !contains(*p.Detail, "1 live case has a level that would be removed") {
		t.Errorf("%+v", p)
	}
	// What was confirmed stays in the record of who stood for it; the level's new condition counts from now on.
	var facts apigen.Vendor
	w.as(4).must(200, "GET", "/vendors/tallow", nil).into(t, &facts)
	levels := facts.Facts.Levels
	levels[0].Criteria = []string{"No second copy can be used", "A harbour waits"}
	w.as(4).must(200, "PATCH", "/vendors/tallow", m{"levels": levels}, "If-Match", tag).into(t, &facts)
	if got := facts.Facts.Levels[0].Criteria; len(got) != 2 || got[1] != "A harbour waits" ||
		len(facts.Levels[0].Criteria) != 2 {
		t.Errorf("%+v", got)
	}
	again, _ := handler.get(name)
	if *again.Line.LevelLabel != *v.Line.LevelLabel || len(again.Deadlines) != len(v.Deadlines) {
		t.Error("a filed case was moved by a change of the scheme")
	}
	w.as(4).must(412, "PATCH", "/vendors/tallow", m{"note": "x"}, "If-Match", tag)
	if out, code := admin.run("", "vendor", "remove", "tallow"); code != 4 || !contains(out, "refer to it") {
		t.Errorf("removing what is used: status %d: %s", code, out)
	}
	admin.ok(words("vendor remove ferrous"), "Removed.")
	w.replayed()
}

// What a vendor's form asks is missing until it is answered, by a person or by
// the register, and stands in what leaves.
func TestWhatAVendorAsks(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna, admin := w.as(0), w.as(4)
	tag := admin.must(200, "GET", "/vendors/tallow", nil).header.Get("ETag")
	admin.must(200, "PATCH", "/vendors/tallow",
		m{"forms": []m{{"kind": "any", "key": "serial", "label": "Serial number", "type": "text", "required": true,
			"from": "asset.serial", "hint": "cover goes by it"},
			{"kind": "fault", "key": "since", "label": "First seen", "type": "date"},
			{"kind": "part", "key": "part", "label": "Which part", "type": "choice", "choices": []string{"fan", "drive"},
				"required": true}}}, "If-Match", tag)
	asset := ragna.added("/assets",
		m{"vendor": "tallow", "name": "Array Gannetholm-2", "serial": "TWS-40-0093187", "environment": "production"})
	var a apigen.AssetRecord
	ragna.must(200, "GET", asset, nil).into(t, &a)
	name := ragna.draft("tallow", "Controller B restarts [patient]")
	v, match := ragna.get(name)
	needs := func() (out string) {
		for _, n := range v.Needs {
			if n.Weight == apigen.NeedWeightRequired {
				out += n.Text + "\n"
			}
		}
		return out
	}
	if !contains(needs(), "Serial number, which the vendor asks for (cover goes by it)") || len(*v.Asked) != 2 {
		t.Errorf("needs:\n%s%+v", needs(), v.Asked)
	}
	ragna.must(422, "POST", "/cases/"+name+"/steps", m{"step": "file"}, "If-Match", match)
	// A wrong answer is said; an answer can be taken back; the register answers by itself.
	ragna.must(200, "PATCH", "/cases/"+name, m{"answers": m{"serial": "by hand", "since": "soon"}}, "If-Match", match)
	if v, match = ragna.get(name); !contains(needs(), `First seen: "soon" is not a date`) {
		t.Errorf("needs:\n%s", needs())
	}
	ragna.must(200, "PATCH", "/cases/"+name, m{"answers": m{"serial": nil, "since": "2026-11-20"}, "asset": a.Id},
		"If-Match", match)
	if v, match = ragna.get(name); needs() != "" || (*v.Asked)[0].Answer != "TWS-40-0093187" ||
		(*v.Asked)[0].Given != nil {
		t.Errorf("needs:\n%s%+v", needs(), v.Asked)
	}
	ragna.must(200, "PATCH", "/cases/"+name, m{"kind": "part"}, "If-Match", match)
	if v, match = ragna.get(name); !contains(needs(), "Which part") {
		t.Errorf("another kind asks other things:\n%s", needs())
	}
	ragna.must(200, "PATCH", "/cases/"+name, m{"answers": m{"part": "fan"}}, "If-Match", match)
	ragna.step(name, m{"step": "file"})
	ragna.untilState(name, "open")
	var entries apigen.Entries
	ragna.must(200, "GET", "/cases/"+name+"/entries", nil).into(t, &entries)
	said := ""
	for _, e := range entries.Items {
		said += e.Text
	}
	if !contains(said, "Serial number: TWS-40-0093187", "Which part: fan") || contains(said, "First seen") {
		t.Errorf("what left:\n%s", said)
	}
}

// Our people can be reached, and a case says how; who may not open cases at a
// vendor is told whom to ask; and what hangs on somebody is known before they leave.
func TestOurPeopleAtTheVendors(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	admin := w.shell(4)
	admin.ok([]string{"person", "change", "ragna@saltmarsh.example", "--phone", "+44 1632 960 010", "--zone",
		"Europe/Oslo", "--hours", "07:00-15:00", "--languages", "English"}, "Ragna Lie: handler")
	if out, code := admin.run("", "person", "change", "ragna@saltmarsh.example", "--zone",
		"Europe/Atlantis"); code != 4 || !contains(out, "zone") {
		t.Errorf("status %d: %s", code, out)
	}
	tag := w.as(4).must(200, "GET", "/vendors/tallow", nil).header.Get("ETag")
	w.as(4).must(200, "PATCH", "/vendors/tallow",
		m{"through": "corvane", "access": []m{{"person": "emil@saltmarsh.example", "may": []string{"open", "escalate"},
			"login": true}, {"person": "ragna@saltmarsh.example", "notices": true, "contact": true}}}, "If-Match", tag)
	var v apigen.Case
	ragna.must(201, "POST", "/cases", m{"vendor": "tallow", "title": "Drive 14"}).into(t, &v)
	if v.Texts.Contact != "Ragna Lie, +44 1632 960 010, 07:00-15:00 Europe/Oslo; speaks English" {
		t.Errorf("contact: %v", v.Texts.Contact)
	}
	doubts := ""
	for _, n := range v.Needs {
		doubts += n.Text + "\n"
	}
	if !contains(doubts, "Ragna Lie is not among those who may open cases there; ask emil@saltmarsh.example",
		"Go to Corvane Cloud first: this vendor is reached through it") {
		t.Errorf("doubts:\n%s", doubts)
	}
	admin.ok(words("person holds ragna@saltmarsh.example"), "Tallow & Wick Storage", "is a named contact",
		"gets its notices")
	admin.ok(words("person change emil@saltmarsh.example --leaves"), "To hand over when Emil Dahl leaves",
		"has a login", "may open, escalate")
	admin.ok(words("person holds aksel@saltmarsh.example"), "Nothing at any vendor depends on Aksel Rud")
}
