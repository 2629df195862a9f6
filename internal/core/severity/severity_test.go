package severity

import (
	"errors"
	"testing"
)

func hours(h float64) *float64 { return &h }

func TestOf(t *testing.T) {
	for _, x := range []struct {
		name string
		f    Facts
		want Level
	}{
		{"exposure in production", Facts{Environment: "production", Effect: "none", Exposure: true}, 1},
		{"exposure elsewhere, needed soon",
			Facts{Environment: "other", Effect: "stopped", Exposure: true, NeededWithinHours: hours(1)}, 2},
		{"no effect", Facts{Environment: "production", Effect: "none"}, 4},
		{"no effect, needed soon", Facts{Environment: "production", Effect: "none", NeededWithinHours: hours(24)}, 3},
		{"stopped everyone costly",
			Facts{Environment: "production", Effect: "stopped", Reach: "everyone", Workaround: "costly"}, 1},
		{"stopped many easy",
			Facts{Environment: "production", Effect: "stopped", Reach: "many", Workaround: "easy"}, 2},
		{"stopped few none", Facts{Environment: "production", Effect: "stopped", Reach: "few", Workaround: "none"}, 2},
		{"stopped few costly needed soon",
			Facts{Environment: "production", Effect: "stopped", Reach: "few", Workaround: "costly",
				NeededWithinHours: hours(3)}, 2},
		{"never to 1", Facts{Environment: "production", Effect: "stopped", Reach: "few", Workaround: "none",
			NeededWithinHours: hours(3)}, 2},
		{"degraded one easy",
			Facts{Environment: "production", Effect: "degraded", Reach: "one", Workaround: "easy"}, 4},
		{"awkward few easy",
			Facts{Environment: "production", Effect: "awkward", Reach: "few", Workaround: "easy"}, 4},
		{"awkward many", Facts{Environment: "production", Effect: "awkward", Reach: "many",
			Workaround: "easy"}, 3},
		{"needed this very second", Facts{Environment: "production", Effect: "none", NeededWithinHours: hours(0)}, 3},
		{"needed a second ago raises nothing",
			Facts{Environment: "production", Effect: "none", NeededWithinHours: hours(-1.0 / 3600)}, 4},
		{"needed last week raises nothing",
			Facts{Environment: "production", Effect: "stopped", Reach: "few", Workaround: "costly",
				NeededWithinHours: hours(-168)}, 3},
		{"other stopped", Facts{Environment: "other", Effect: "stopped"}, 3},
		{"other degraded, later than a day",
			Facts{Environment: "other", Effect: "degraded", NeededWithinHours: hours(24.01)}, 4},
	} {
		g, err := Of(x.f)
		if err != nil || g.Level != x.want || len(g.Reasons) == 0 {
			t.Errorf("%s: %v %v, want %d", x.name, g, err, x.want)
		}
	}
}

func TestMissingAndUnknownFacts(t *testing.T) {
	for _, x := range []struct {
		f     Facts
		field string
	}{
		{Facts{Effect: "none"}, "environment"},
		{Facts{Environment: "production"}, "effect"},
		{Facts{Environment: "production", Effect: "stopped", Workaround: "none"}, "reach"},
		{Facts{Environment: "production", Effect: "stopped", Reach: "few"}, "workaround"},
		{Facts{Environment: "other", Effect: "broken"}, "effect"},
		{Facts{Environment: "other", Effect: "none", Reach: "lots"}, "reach"},
	} {
		_, err := Of(x.f)
		var fe *FactError
		if !errors.As(err, &fe) || fe.Field != x.field {
			t.Errorf("%+v: %v, want an error about %s", x.f, err, x.field)
		}
	}
}

// A worse fact never makes a case less severe.
func TestMonotone(t *testing.T) {
	effects := words[1].known
	reaches := words[2].known
	ways := words[3].known
	grade := func(e, r, w int) Level {
		g, err := Of(Facts{Environment: "production", Effect: effects[e], Reach: reaches[r], Workaround: ways[w]})
		if err != nil {
			t.Fatal(err)
		}
		return g.Level
	}
	for e := range effects {
		for r := range reaches {
			for w := range ways {
				l := grade(e, r, w)
				if e > 0 && grade(e-1, r, w) > l || r > 0 && grade(e, r-1, w) > l || w > 0 && grade(e, r, w-1) > l {
					t.Errorf("%s %s %s is graded %d, worse facts lower", effects[e], reaches[r], ways[w], l)
				}
			}
		}
	}
}
