package pattern_test

import (
	"regexp"
	"testing"

	"roundhouse.example/internal/core/pattern"
)

func TestExample(t *testing.T) {
	for expression, want := range map[string]string{
		`PT-\d{5}`: "PT-12345", `\d{3}-\d{3}-\d{3}`: "123-456-789", `LW\d{7}`: "LW1234567", `[A-Z]{2}[0-9]+`: "AB123",
		`(?:SR|CR)-\d+(-[a-z]+)?`: "SR-123", `x*`: "", `[`: "", `(?i)case [0-9a-f]{4}`: "CASE 1234", `\p{Greek}`: "Ͱ",
		`[^\d]\d\bX`: "", `\x00+`: "", ``: "",
	} {
		if got := pattern.Example(expression); got != want {
			t.Errorf("%s: %q, not %q", expression, got, want)
		}
	}
}

// Whatever is given back matches what it is an example of.
func FuzzExample(f *testing.F) {
	for _, s := range []string{`PT-\d{5}`, `a|b`, `^x$`, `(?s).+`, `[^a]{2,3}`, `\Aa\z`} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, expression string) {
		got := pattern.Example(expression)
		if got == "" {
			return
		}
		if whole := regexp.MustCompile("^(?:" + expression + ")$"); !whole.MatchString(got) {
			t.Errorf("%q does not match %q", got, expression)
		}
	})
}
