package register

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"roundhouse.example/internal/core/route"
)

func says(t *testing.T, what string, got []Fault, want ...string) {
	t.Helper()
	for _, w := range want {
		if !slices.ContainsFunc(got, func(f Fault) bool { return strings.Contains(f.String(), w) }) {
			t.Errorf("%s: nothing says %q in %v", what, w, got)
		}
	}
	if len(got) != len(want) {
		t.Errorf("%s: %d faults, want %d: %v", what, len(got), len(want), got)
	}
}

func TestFaultsSayWhere(t *testing.T) {
	huge := strings.Repeat("x", 10_000)
	says(t, "product", Product{Vendor: "corvane", Name: huge, OurNames: []string{"a", "A", ""},
		Versions: []Version{{Name: "1"}, {Name: "1", SupportedUntil: "2026-02-30"}}}.Check(),
		"name: it has 10000", "our_names[1]", "our_names[2]: it is empty: fill it in", "versions[1].name: 1 is listed twice",
		"versions[1].supported_until")
	says(t, "account", Account{Vendor: "corvane", Number: " 7", Country: "Norway", Regions: []string{"a\nb"}}.Check(),
		"number: it begins", "country", "regions[0]: it has to be one line")
	says(t, "contract", Contract{Number: "K-1", Starts: "2026-06-01", Ends: "2026-05-31", Notice: "2026-13-01",
		OnChange: "never", Allowance: &Allowance{Unit: "pints"}}.Check(),
		"vendor: it is empty: fill it in", "ends: 2026-05-31 is before 2026-06-01", "notice", "on_change", "allowance.unit",
		"allowance.amount")
	says(t, "notice", Contract{Vendor: "v", Number: "K", Starts: "2026-01-01", Ends: "2026-12-31",
		Notice: "2027-01-01"}.Check(), "notice: 2027-01-01 is after")
	says(t, "asset", Asset{Vendor: "v", Name: "a", Version: "2", Environment: "moon",
		Platform: &Platform{Supported: "perhaps"}, Attributes: map[string]string{"=x": "1"}}.Check(),
		"version: a version needs", "environment", "platform.supported", "attributes")
	says(t, "a good one", Asset{Vendor: "v", Name: "a", Product: "p", Version: "2", Environment: "other",
		Attributes: map[string]string{"Rack 4/B": "top"}}.Check())
}

func TestTermsThatMeetAreAnError(t *testing.T) {
	base := Term{Deadline: "update", Level: 2, Target: "4h", Calendar: "office"}
	with := func(kind string, channel route.Kind, country string) Term {
		b := base
		b.Kind, b.Channel, b.Country = kind, channel, country
		return b
	}
	for _, x := range []struct {
		list []Term
		want []string
	}{
		{[]Term{base, base}, []string{"terms[1]: it overlaps terms[0]"}},
		{[]Term{base, with("fault", "", "")}, nil},
		{[]Term{with("fault", "", ""), with("", "phone", "")}, []string{"terms[1]: it overlaps terms[0]"}},
		{[]Term{with("fault", "", ""), with("question", "", "")}, nil},
		{[]Term{with("fault", "phone", ""), with("fault", "", "NO")}, []string{"terms[1]"}},
		{[]Term{with("fault", "phone", "NO"), with("fault", "email", "NO")}, nil},
		{[]Term{{Deadline: "lunch", Level: 0, Target: "1x", Kind: "k", Channel: "c", Country: "c"}},
			[]string{"deadline", "level", "target", "kind", "channel", "country"}},
		{[]Term{{Deadline: "our-answer", Level: 1, Target: "none"}, {Deadline: "update", Level: 1, Target: "1h"}},
			[]string{"owed by us", "calendar"}},
	} {
		says(t, fmt.Sprint(x.list), CheckTerms(x.list, false), x.want...)
	}
	says(t, "ours", CheckTerms([]Term{{Deadline: "update", Level: 5, Target: "none"}}, true), "owed by the vendor",
		"level")
}

// Of random terms without a meeting, at most one row fits best for each deadline
// and level, whatever the order of the rows.
func TestTheNarrowestRowWinsWhateverTheOrder(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4))
	pick := func(list ...string) string { return list[r.IntN(len(list))] }
	for range 500 {
		var list []Term
		for range 8 {
			term := Term{Deadline: pick("update", "resolution"), Level: 1 + r.IntN(2), Target: fmt.Sprint(len(list)+1, "h"),
				Calendar: "c",
				Kind:     pick("", "fault", "question"), Channel: route.Kind(pick("", "phone")), Country: pick("", "NO", "AU")}
			if len(CheckTerms(append(slices.Clone(list), term), false)) == 0 {
				list = append(list, term)
			}
		}
		kind, channel, country := pick("fault", "question", "wish"), route.Kind(pick("phone", "email")), pick("NO", "AU", "")
		got := Narrow(list, kind, channel, country)
		mixed := slices.Clone(list)
		r.Shuffle(len(mixed), func(i, j int) { mixed[i], mixed[j] = mixed[j], mixed[i] })
		again := Narrow(mixed, kind, channel, country)
		if len(got) != len(again) {
			t.Fatalf("%v and mixed %v", got, again)
		}
		for _, g := range got {
			if !slices.Contains(again, g) || kind == "wish" && g.Kind != kind {
				t.Fatalf("%v and mixed %v for %s", got, again, kind)
			}
			for _, o := range list {
				if fits := (o.Kind == "" || o.Kind == kind) && (o.Channel == "" || o.Channel == channel) &&
					(o.Country == "" || o.Country == country); fits &&
					o.Deadline == g.Deadline && o.Level == g.Level && o.weight() > g.weight() {
					t.Fatalf("%v won over the narrower %v", g, o)
				}
			}
		}
	}
}

func TestCover(t *testing.T) {
	a, b, c := Stretch{"A", "2025-01-01", "2026-11-23"}, Stretch{"B", "2026-11-24", "2027-11-23"},
		Stretch{"C", "2026-01-01", "2026-12-31"}
	for _, x := range []struct {
		list  []Stretch
		today string
		want  string
	}{
		{nil, "2026-11-23", "Not covered by any contract"},
		{[]Stretch{a}, "2026-11-23", "Covered by A until 2026-11-23"},
		{[]Stretch{a}, "2026-11-24", "No longer covered: A ended on 2026-11-23"},
		{[]Stretch{a, b}, "2026-11-23", "Covered by A until 2027-11-23"},
		{[]Stretch{b}, "2026-11-23", "Covered by B from 2026-11-24"},
		{[]Stretch{a, c}, "2026-11-23", "Covered twice, by A and C, until 2026-12-31"},
		{[]Stretch{c, b, a}, "2026-12-01", "Covered twice, by C and B, until 2027-11-23"},
	} {
		if got := CoverOf(x.list, x.today).Words(); got != x.want {
			t.Errorf("%v on %s: %s, want %s", x.list, x.today, got, x.want)
		}
	}
}

func TestContractsWarn(t *testing.T) {
	k := Contract{Starts: "2026-01-01", Ends: "2026-12-31", Notice: "2026-11-30"}
	for _, x := range []struct {
		today string
		step  int
		say   string
	}{
		{"2026-08-01", 0, ""}, {"2026-09-01", 90, "Last date to give notice in 90 days, on 2026-11-30"},
		{"2026-10-01", 60, "in 60 days"}, {"2026-11-29", 30, "tomorrow"},
		{"2026-12-01", 30, "Ends in 30 days, on 2026-12-31"}, {"2026-12-31", 30, "Ends today"}, {"2027-01-01", 0, ""},
	} {
		words, step := k.Warnings(x.today)
		if step != x.step || !strings.Contains(strings.Join(words, "; "), x.say) || x.say == "" && len(words) > 0 {
			t.Errorf("%s: %d %v, want %d %q", x.today, step, words, x.step, x.say)
		}
	}
}
