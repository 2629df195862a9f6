package intake

import (
	"strings"
	"testing"
)

func TestMissingAndCompose(t *testing.T) {
	s := Story{Title: "Gates refuse tickets", HasChannel: true, GradeProblem: "effect: is missing", RoundTheClock: true,
		Criteria: []Statement{{"Passengers cannot board", "Ragna Lie"}, {"No release in two hours", ""}}}
	var must []string
	for _, n := range Missing(s) {
		if n.Required {
			must = append(must, n.Field)
		}
	}
	if got := strings.Join(must, " "); got != "facts texts.happened criteria texts.contact_always" {
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
