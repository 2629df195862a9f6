package rehearse_test

import (
	"slices"
	"strings"
	"testing"

	"roundhouse.example/internal/rehearse"
)

func TestShippedScenarios(t *testing.T) {
	t.Parallel()
	names := rehearse.Shipped()
	if len(names) != 6 || names[0] != rehearse.First {
		t.Errorf("shipped are %v: want six, the first one %s", names, rehearse.First)
	}
	for _, name := range names {
		file, ok := rehearse.File(name)
		if !ok {
			t.Fatalf("%s has no file", name)
		}
		s, findings := rehearse.Read(file)
		for _, f := range findings {
			t.Errorf("%s: %s", name, f)
		}
		if s.Title == "" || s.Teaches == "" {
			t.Errorf("%s: no title, or not what it teaches", name)
		}
	}
	if _, ok := rehearse.File("../schema"); ok {
		t.Error("a path is taken for a name")
	}
}

func TestAScenarioThatIsWrong(t *testing.T) {
	t.Parallel()
	file, _ := rehearse.File(rehearse.First)
	for _, x := range []struct{ was, is, want string }{
		{"lasts: 4d", "lasts: 4bd", "lasts"},
		{"lasts: 4d", "lasts: 61d", "it is longer than 60 days"},
		{"vendor: corvane", "vendor: pellow", `"pellow" is not a simulated vendor; use corvane`},
		{"    automatic: true", "    automatic: perhaps", "script[0].automatic"},
		{"    when: rejected", "    when: refused", "script[4].when"},
		{"    works: true", "    # works: true", "no line offers a fix that works"},
		{"    offers: fix\n    works", "    works", "it is used only with offers: fix"},
		{"    when: rejected", "    rung: 2", "it is used only with when: escalated"},
		{"    asks: true", "    asks: true\n    level: Great", `"Great" is not a level of corvane; use Alarm`},
		{"  - after: 20m\n", "  - after: 20m\n    closes: true\n", "a note is written by a colleague"},
		{"effect: awkward, reach: many", "effect: awkward", "case.facts"},
		{"begins: 2026-11-17T09:10:00+01:00", "begins: tomorrow", "begins"},
		{"begins: 2026-11-17T09:10:00+01:00", "begins: 2026-02-30T09:10:00+01:00", "02-30"},
		{"title: Your first case", "tittle: Your first case", "tittle"},
	} {
		text := strings.Replace(string(file), x.was, x.is, 1)
		if text == string(file) {
			text = strings.Replace(string(file), "- "+strings.TrimSpace(x.was), "- "+strings.TrimSpace(x.is), 1)
		}
		if text == string(file) {
			t.Fatalf("%q is not in the file", x.was)
		}
		_, findings := rehearse.Read([]byte(text))
		var all []string
		for _, f := range findings {
			all = append(all, f.String())
		}
		if !slices.ContainsFunc(all, func(s string) bool { return strings.Contains(s, x.want) }) {
			t.Errorf("%s: found %q, want one with %q", x.is, all, x.want)
		}
	}
}
