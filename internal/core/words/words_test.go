package words

import (
	"strings"
	"testing"
)

func TestWhatPeopleRead(t *testing.T) {
	for given, want := range map[string]string{
		Target("45m"):            "45 minutes",
		Target("1h"):             "1 hour",
		Target("1h30m"):          "1 hour 30 minutes",
		Target("1bd"):            "1 business day",
		Target("10bd"):           "10 business days",
		Target("2d"):             "2 days",
		Target("none"):           "No target",
		Target(""):               "",
		Target("soon"):           "soon",
		Target("1h or so"):       "1h or so",
		By("email"):              "by email",
		By("portal"):             "on the portal",
		By("pigeon"):             "by pigeon",
		Inline("Fix offered"):    "fix offered",
		Inline("API"):            "API",
		Inline("A"):              "a",
		Inline(""):               "",
		States.Of("fix-offered"): "Fix offered",
		States.Of("elsewhere"):   "elsewhere",
	} {
		if given != want {
			t.Errorf("%q, want %q", given, want)
		}
	}
}

func TestWeek(t *testing.T) {
	day := []string{"08:00-16:00"}
	for want, week := range map[string]map[string][]string{
		"":                       nil,
		"Mon to Fri 08:00-16:00": {"mon": day, "tue": day, "wed": day, "thu": day, "fri": day},
		"Mon and Tue 08:00-16:00, Thu 10:00-12:00 13:00-14:00": {"mon": day, "tue": day,
			"thu": {"10:00-12:00", "13:00-14:00"}},
		"Mon to Wed 08:00-16:00":                            {"mon": day, "tue": day, "wed": day},
		"Mon 08:00-16:00, Wed 08:00-16:00, Sun 08:00-16:00": {"mon": day, "wed": day, "sun": day, "tue": {}},
		"Mon to Sun 00:00-24:00": {"mon": {"00:00-24:00"}, "tue": {"00:00-24:00"}, "wed": {"00:00-24:00"},
			"thu": {"00:00-24:00"}, "fri": {"00:00-24:00"}, "sat": {"00:00-24:00"}, "sun": {"00:00-24:00"}},
	} {
		if got := Week(week); got != want {
			t.Errorf("%q, want %q", got, want)
		}
	}
}

// No set has a value twice, an empty label, or one label for two values: whoever reads it could not tell them apart.
func TestSetsTellTheirValuesApart(t *testing.T) {
	for name, set := range map[string]Set{"states": States, "channels": Channels, "deliveries": Deliveries,
		"sources": Sources, "field types": FieldTypes, "supported": Supported} {
		values, texts := map[string]bool{}, map[string]bool{}
		for i, l := range set {
			if values[l.Value] || texts[strings.ToLower(l.Text)] || strings.TrimSpace(l.Text) == "" || set.At(l.Value) != i {
				t.Errorf("%s: %+v", name, l)
			}
			values[l.Value], texts[strings.ToLower(l.Text)] = true, true
		}
		if set.At("no such value") != -1 {
			t.Errorf("%s has everything", name)
		}
	}
}

func TestSpan(t *testing.T) {
	for s, want := range map[int64]string{5: "5 s", 1920: "32 min", 15120: "4 h 12 min", 7200: "2 h", 400000: "111 h"} {
		if got := Span(s); got != want {
			t.Errorf("%d: %s, want %s", s, got, want)
		}
	}
	for s, want := range map[int64]string{0: "1 min", 59: "1 min", 1920: "32 min"} {
		if got := Took(s); got != want {
			t.Errorf("%d s taken: %s, want %s", s, got, want)
		}
	}
}
