package register

import (
	"strings"
	"testing"

	"roundhouse.example/internal/core/route"
)

func goodVendor() Vendor {
	return Vendor{Key: "ferrous", Name: "Ferrous Cloud", Zone: "Europe/Oslo", Hours: "office",
		Levels: []VendorLevel{{Label: "Red", Severities: []int{1, 2}, Criteria: []string{"All is down"},
			Channels: []route.Kind{route.Phone}}, {Label: "Grey", Severities: []int{3, 4}}},
		Ways: []Way{{Channel: "phone", Address: "+44 1632 960 001"},
			{Channel: "portal", Address: "https://help.ferrous.example"}},
		Ladder: []Rung{{Role: "Duty manager", How: "+44 1632 960 002", LateBy: "2h"}, {Role: "Head of support", How: "mail"}},
		Forms: []FormField{{Kind: "any", Key: "tenant", Label: "Tenant", Type: "account", Required: true,
			From: "account.number"}, {Kind: "part", Key: "serial", Label: "Serial", Type: "text", From: "asset.serial"}},
		People: []Contact{{Name: "Ödön; the \"quick\", one", Role: "Account manager", Email: "o@ferrous.example",
			Phone: "+44 1632 960 003", Known: strings.TrimSpace(strings.Repeat("näher bekannt, ", 12))}},
		Access:           []Access{{Person: "ragna@saltmarsh.example", May: []string{"open"}, Login: true}},
		Partners:         []Permission{{Partner: "Kestrel", What: "opens cases", Since: "2026-01-01", Until: "2026-12-31"}},
		StatusWords:      []StatusWord{{Word: "waiting on you", Move: "ours"}, {Word: "shut", State: "ended"}},
		ReferencePattern: `FE-\d{5}`}
}

func TestAVendorSaysWhatIsWrongWithIt(t *testing.T) {
	says(t, "a good one", goodVendor().Check())
	for what, x := range map[string]struct {
		spoil func(*Vendor)
		want  []string
	}{
		"key":     {func(v *Vendor) { v.Key = "Big Corp" }, []string{"key: use small letters"}},
		"zone":    {func(v *Vendor) { v.Zone = "Europe/Atlantis" }, []string{"zone:"}},
		"pattern": {func(v *Vendor) { v.ReferencePattern = "FE-(\\d" }, []string{"reference_pattern: it does not compile"}},
		"levels": {func(v *Vendor) {
			v.Levels[1].Severities = []int{2, 9}
		}, []string{"levels[1].severities[0]: severity 2 already maps to levels[0]",
			"levels[1].severities[1]: a severity is 1 to 4",
			"severity 3 maps to no level", "severity 4 maps to no level"}},
		"unreachable": {func(v *Vendor) {
			v.Ways = v.Ways[1:]
		}, []string{"levels[0].channels[0]: there is no way to reach it by"}},
		"no level": {func(v *Vendor) { v.Levels = nil }, []string{"levels: a vendor needs at least one"}},
		"ladder how": {func(v *Vendor) {
			v.Ladder[0].How = " "
		}, []string{"ladder[0].how: say how to reach this rung", "ladder[0].how: it begins"}},
		"forms": {func(v *Vendor) {
			v.Forms[1].Key, v.Forms[1].Type, v.Forms[1].From = "tenant", "colour", "moon"
		}, []string{"forms[1].key: tenant is asked for twice", "forms[1].type", "forms[1].from"}},
		"access": {func(v *Vendor) { v.Access[0].May = []string{"fly"} }, []string{"access[0].may[0]"}},
		"partners": {func(v *Vendor) {
			v.Partners[0].Until = "2025-01-01"
		}, []string{"partners[0].until: 2025-01-01 is before"}},
		"through": {func(v *Vendor) { v.Through = "ferrous" }, []string{"through:"}},
		"words":   {func(v *Vendor) { v.StatusWords[1].Word = "Waiting on you" }, []string{"status_words[1].word"}},
	} {
		v := goodVendor()
		x.spoil(&v)
		says(t, what, v.Check(), x.want...)
	}
}

func TestCardsAreFoldedAndEscaped(t *testing.T) {
	cards := goodVendor().Cards()
	for _, l := range strings.SplitAfter(cards, "\r\n") {
		if len(l) > 77 || strings.HasSuffix(l, "\n") && !strings.HasSuffix(l, "\r\n") {
			t.Errorf("%d octets: %q", len(l), l)
		}
	}
	whole := strings.ReplaceAll(cards, "\r\n ", "")
	for _, want := range []string{"BEGIN:VCARD\r\nVERSION:4.0\r\n", "FN:Ödön\\; the \"quick\"\\, one\r\n",
		"EMAIL:o@ferrous.example\r\n", "TEL;VALUE=text:+44 1632 960 003\r\n", strings.Repeat("näher bekannt\\, ", 11),
		"END:VCARD\r\n"} {
		if !strings.Contains(whole, want) {
			t.Errorf("no %q in\n%s", want, whole)
		}
	}
}

func TestAsksByKind(t *testing.T) {
	if got := goodVendor().Asks("part"); len(got) != 2 {
		t.Errorf("%+v", got)
	}
	if got := goodVendor().Asks("fault"); len(got) != 1 || got[0].Key != "tenant" {
		t.Errorf("%+v", got)
	}
}
