package intake

import (
	"strings"
	"testing"
)

func TestMissingAndCompose(t *testing.T) {
	s := Story{Title: "Gates refuse tickets", HasChannel: true, GradeProblem: "effect is missing; use stopped",
		GradeField: "effect", RoundTheClock: true,
		Criteria: []Statement{{"Passengers cannot board", "Ragna Lie"}, {"No release in two hours", ""}}}
	var must []string
	for _, n := range Missing(s) {
		if n.Required {
			must = append(must, n.Field)
		}
	}
	if got := strings.Join(must, " "); got != "facts.effect texts.happened criteria texts.contact_always" {
		t.Errorf("missing %s", got)
	}
	s.Identifiers = []Identifier{{"Contract", "GTX-2214"}, {"Serial", ""}}
	s.Happened, s.Environment, s.Effect, s.Contact = "Every gate says no.", "production", "stopped", "Ragna Lie"
	text := Compose(s)
	if !strings.HasPrefix(text, "Contract: GTX-2214\n") || strings.Contains(text, "Round the clock") ||
		strings.Contains(text, "Steps") ||
		!strings.HasSuffix(text, "Contact\nRagna Lie") || !strings.Contains(text, "Impact: production, stopped\n") {
		t.Errorf("composed:\n%s", text)
	}
}

// A fact that is missing is asked for in the words of the page, not in those of the format.
func TestAFactThatIsMissing(t *testing.T) {
	for field, want := range map[string]string{
		"effect": "Severity: what the service is (stopped, degraded, awkward or not affected)",
		"reach":  "Severity: who is affected (all users, many, a few or one)",
		"":       "Severity: too far ahead",
	} {
		s := Story{HasChannel: true, GradeField: field, GradeProblem: "too far ahead"}
		if got := Missing(s)[0]; !got.Required || got.Text != want {
			t.Errorf("%s: %+v", field, got)
		}
	}
}

// A vendor's engineer reads the impact in one line, without a word of ours.
func TestTheImpactInALine(t *testing.T) {
	for want, s := range map[string]Story{
		"production, degraded, a few users; workaround: costly": {Environment: "production", Effect: "degraded",
			Reach: "few", Workaround: "costly"},
		"not production, stopped; workaround: none": {Environment: "other", Effect: "stopped", Workaround: "none"},
		"production, degraded; needed by: 2026-12-01 08:00 UTC": {Environment: "production", Effect: "degraded",
			NeededBy: "2026-12-01 08:00 UTC"},
		"": {Environment: "production", Effect: "none", Reach: "everyone", NeededBy: "2026-12-01 08:00 UTC"},
	} {
		if got := impact(s); got != want {
			t.Errorf("%+v reads %q, want %q", s, got, want)
		}
	}
	// Where nothing is broken it is no impact by when it is needed.
	if got := Compose(Story{Environment: "production", NeededBy: "2026-12-01 08:00 UTC"}); got !=
		"Needed by: 2026-12-01 08:00 UTC" {
		t.Errorf("it reads %q", got)
	}
}
