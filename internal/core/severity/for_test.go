package severity

import "testing"

// A question, and whatever else no outage grades, is 4 where nobody says what is broken; a fault has to say.
func TestKindsThatNoOutageGrades(t *testing.T) {
	soon := 5.0
	for _, x := range []struct {
		name, kind string
		facts      Facts
		want       Level
	}{
		{"a question", "question", Facts{}, Minor},
		{"with the environment of its asset", "licence", Facts{Environment: "production"}, Minor},
		{"needed today", "order", Facts{NeededWithinHours: &soon}, Hampered},
		{"with the same facts at hand", "access", Facts{Environment: "production", Effect: "stopped", Reach: "many",
			Workaround: "none"}, Stopped},
		{"data is exposed", "money", Facts{Environment: "production", Effect: "none", Exposure: true}, Stopped},
		{"data is exposed, and nothing else is said", "money", Facts{Environment: "production", Exposure: true}, 0},
		{"a fact too few", "wish", Facts{Environment: "production", Effect: "stopped"}, 0},
		{"a fault", "fault", Facts{}, 0},
		{"a part is graded like a fault", "part", Facts{Environment: "production"}, 0},
		{"more capacity too", "capacity", Facts{}, 0},
		{"an unknown word", "question", Facts{Environment: "moon"}, 0},
	} {
		g, err := For(x.kind, x.facts)
		if (err != nil) != (x.want == 0) || g.Level != x.want || err == nil && len(g.Reasons) == 0 {
			t.Errorf("%s: %d %v, %v", x.name, g.Level, g.Reasons, err)
		}
	}
}
