package disclosure

import (
	"slices"
	"strings"
	"testing"
)

func TestPlaceholders(t *testing.T) {
	for text, want := range map[string][]string{
		"":                          nil,
		"no secret here":            nil,
		"Say {secret a-1}.":         {"a-1"},
		"{secret a}{secret b}":      {"a", "b"},
		"{secret a} and {secret a}": {"a"},
		"{Secret a} {secret  a} {secret A} {secret} {secret 1a} {secret a": nil,
		"{{secret a}}": {"a"},
	} {
		if got := Placeholders(text); !slices.Equal(got, want) {
			t.Errorf("%q: %q, want %q", text, got, want)
		}
	}
}

// What is filled in is not looked at again, and what is hidden comes back as it was.
func TestFillAndHide(t *testing.T) {
	values := map[string]string{"a": "copper-anchor", "b": "{secret a}", "short": "1234",
		"longer": "copper-anchor-nineteen"}
	for text, want := range map[string]string{
		"say {secret a}":              "say copper-anchor",
		"{secret b} is not a":         "{secret a} is not a",
		"{secret none} stays":         "{secret none} stays",
		"{secret short}{secret a}":    "1234copper-anchor",
		"twice {secret a} {secret a}": "twice copper-anchor copper-anchor",
	} {
		if got := Fill(text, values); got != want {
			t.Errorf("%q: %q, want %q", text, got, want)
		}
	}
	delete(values, "b")
	for text, want := range map[string]string{
		"they said copper-anchor-nineteen, not copper-anchor": "they said {secret longer}, not {secret a}",
		"room 1234": "room 1234",
		"nothing":   "nothing",
	} {
		if got := Hide(text, values); got != want {
			t.Errorf("%q: %q, want %q", text, got, want)
		}
	}
}

// FuzzHide: no value that is looked for is left in a text.
func FuzzHide(f *testing.F) {
	f.Add("they said copper-anchor", "copper-anchor", "anchor")
	f.Fuzz(func(t *testing.T, text, a, b string) {
		values := map[string]string{"x": a, "y": b}
		got := Hide(text, values)
		for _, v := range values {
			// A value that is a part of a placeholder's own words cannot be told from it.
			if len(v) >= Shortest && strings.Contains(got, v) && !strings.Contains(Placeholder("x")+Placeholder("y"), v) &&
				!strings.Contains(v, "{secret") && !strings.ContainsAny(v, "{}") {
				t.Errorf("%q is left in %q", v, got)
			}
		}
	})
}
