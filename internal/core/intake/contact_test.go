package intake

import (
	"slices"
	"strings"
	"testing"
	"time"

	"roundhouse.example/internal/core/casework"
)

func zone(t *testing.T, name string) *time.Location {
	t.Helper()
	z, err := time.LoadLocation(name)
	if err != nil {
		t.Fatal(err)
	}
	return z
}

// When we ask to be called is told in the vendor's time first, then in ours; what cannot be keeps a case from being
// filed and is not told.
func TestCallback(t *testing.T) {
	t.Parallel()
	oslo, kolkata := zone(t, "Europe/Oslo"), zone(t, "Asia/Kolkata")
	for _, x := range []struct {
		name, from, until string
		theirs            *time.Location
		want, wrong       string
	}{
		{"in both times", "2026-11-30T14:00:00+01:00", "2026-11-30T15:00:00+01:00", kolkata,
			"Please call us: 30 November 2026, 18:30 to 19:30 your time (30 November 2026, 14:00 to 15:00 Europe/Oslo)", ""},
		{"over their midnight", "2026-11-30T18:00:00Z", "2026-11-30T20:00:00Z", kolkata,
			"30 November 2026, 23:30 to 1 December 2026, 01:30 your time", ""},
		{"the same time", "2026-11-30T14:00:00+01:00", "2026-11-30T15:00:00+01:00", oslo,
			"Please call us: 30 November 2026, 14:00 to 15:00 Europe/Oslo", ""},
		{"no zone known", "2026-11-30T14:00:00+01:00", "2026-11-30T15:00:00+01:00", nil, "14:00 to 15:00 Europe/Oslo", ""},
		{"no end", "2026-11-30T14:00:00Z", "", kolkata, "", "start and its end"},
		{"backwards", "2026-11-30T15:00:00Z", "2026-11-30T14:00:00Z", kolkata, "", "ends before"},
		{"no time", "at two", "2026-11-30T14:00:00Z", kolkata, "", "its start is not a time"},
		{"no zone", "2026-11-30T14:00:00Z", "2026-11-30T15:00:00", kolkata, "", "its end is not a time"},
	} {
		s := Story{Zone: oslo, VendorZone: x.theirs, Texts: Texts{CallFrom: x.from, CallUntil: x.until}}
		text := Compose(s)
		if x.want == "" && strings.Contains(text, "call us") || !strings.Contains(text, x.want) {
			t.Errorf("%s: %q", x.name, text)
		}
		i := slices.IndexFunc(Missing(s), func(n Need) bool { return n.Field == "texts.call_from" && n.Required })
		if (i >= 0) != (x.wrong != "") || i >= 0 && !strings.Contains(Missing(s)[i].Text, x.wrong) {
			t.Errorf("%s: %+v", x.name, Missing(s))
		}
	}
}

func TestCopies(t *testing.T) {
	t.Parallel()
	for given, want := range map[string]string{"": "", "a@saltmarsh.example": "a@saltmarsh.example",
		"a@saltmarsh.example; Bea <b@saltmarsh.example>,\n": "a@saltmarsh.example b@saltmarsh.example",
		"a@saltmarsh.example, nobody":                       "a@saltmarsh.example !nobody"} {
		list, wrong := Texts{CopyTo: given}.Copies()
		got := strings.Join(list, " ")
		if wrong != "" {
			got += " !" + wrong
		}
		if got != want {
			t.Errorf("%q gives %q, want %q", given, got, want)
		}
		missing := Missing(Story{Texts: Texts{CopyTo: given}})
		if slices.ContainsFunc(missing, func(n Need) bool { return n.Field == "texts.copy_to" }) != (wrong != "") {
			t.Errorf("%q: %+v", given, missing)
		}
	}
}

// How the vendor reaches us is one block, and special instructions stand apart.
func TestHowWeAreReached(t *testing.T) {
	t.Parallel()
	text := Compose(Story{Texts: Texts{Contact: "Ragna Lie, +47 1", ContactBy: "phone", OnSite: "Odd Bakke\nQuay 4",
		CopyTo: "a@saltmarsh.example", ContactAlways: "The desk, +47 2", Instructions: "Do not restart the gates."}})
	want := "Contact\nRagna Lie, +47 1\nPlease reach us by: phone\nContact on site: Odd Bakke, Quay 4\n" +
		"Round the clock: The desk, +47 2\nPlease copy in: a@saltmarsh.example\n\nPlease note\nDo not restart the gates."
	if text != want {
		t.Errorf("got\n%s\nwant\n%s", text, want)
	}
}

// An update tells fields as they are now, each under the name that the vendor reads, and what was taken back.
func TestUpdate(t *testing.T) {
	t.Parallel()
	given := time.Date(2026, 11, 30, 9, 0, 0, 0, time.UTC)
	s := Story{Kind: "fault", Texts: Texts{Steps: "1. Hold a card to it", Since: "nine", Contact: "Ragna Lie"},
		Asked: []Question{{Key: "tenant", Label: "Tenant", Answer: "saltmarsh"}, {Key: "log", Label: "Log", Answer: "a\nb"}},
		Consents: []casework.Consent{{Number: 1, Kind: casework.Recording, By: "Ragna Lie", Given: given},
			{Number: 2, Kind: casework.Diagnostics, By: "Emil", Given: given, Withdrawn: &given, WithdrawnBy: "Tuva"}}}
	for want, fields := range map[string][]string{
		"": nil,
		"Since: nine\nTenant: saltmarsh\n\nSteps to reproduce\n1. Hold a card to it": {"texts.since", "texts.steps",
			"answers.tenant"},
		"Error text: this no longer applies": {"texts.error"},
		"Log\na\nb":                          {"answers.log"},
		"Contact\nRagna Lie":                 {"texts.copy_to", "texts.contact_by"},
		"Consent: Recording of calls: given by Ragna Lie on 30 November 2026\n" +
			"Consent: Collecting diagnostics: withdrawn by Tuva on 30 November 2026": {"consents.1", "consents.2"},
	} {
		if got := Update(s, fields); got != want {
			t.Errorf("%v:\n%s\nwant\n%s", fields, got, want)
		}
	}
	for field, want := range map[string]string{"texts.steps": "Steps to reproduce", "answers.tenant": "Tenant",
		"texts.copy_to": "Contact", "consents.2": "Consent: collecting diagnostics", "answers.gone": "gone",
		"texts.instructions": "Special instructions", "texts.affected": "Affected"} {
		if got := FieldLabel(s, field); got != want {
			t.Errorf("%s is called %q, want %q", field, got, want)
		}
	}
}
