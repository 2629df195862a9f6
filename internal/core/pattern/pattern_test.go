package pattern

import (
	"regexp/syntax"
	"strings"
	"testing"
)

// What a pattern of others may cost is bounded, whatever it is nested of.
func TestPatternsStayCheap(t *testing.T) {
	t.Parallel()
	for _, good := range []string{`^We have received`, `CV-\d{5}`, `(?i)automatic(ally)? (reply|message)`,
		`[A-Z]{2}\d{2,9}(-\d{1,3})?`, ""} {
		if _, err := Compile(good); err != nil {
			t.Errorf("%s: %v", good, err)
		}
	}
	for bad, say := range map[string]string{
		`((\pL\d{9}x*){9}abcdefgh){10}`: "repeats too much",
		`((abcdefghijkl){30}){30}`:      "repeats too much",
		`(abcdefghij|k){900}`:           "repeats too much",
		strings.Repeat("a", 501):        "at most 500",
		`(`:                             "does not compile",
		`((((x{2,9}){9}){9}){9})?`:      "does not compile",
	} {
		if _, err := Compile(bad); err == nil || !strings.Contains(err.Error(), say) {
			t.Errorf("%.40s: %v, want %q", bad, err, say)
		}
	}
}

// FuzzPattern holds what is taken against what it compiles to.
func FuzzPattern(f *testing.F) {
	for _, s := range []string{`a{9}`, `((a{9}){9}){9}`, `\pL+`, `(?i)straße{3,8}`, `(a|b|[c-z]{40}){20}`, `((a*)*)*`} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		if _, err := Compile(s); err != nil {
			return
		}
		tree, err := syntax.Parse(s, syntax.Perl)
		if err != nil {
			t.Fatal(err)
		}
		prog, err := syntax.Compile(tree.Simplify())
		if err != nil {
			t.Fatal(err)
		}
		if n := len(prog.Inst); n > 4*maxSteps {
			t.Errorf("%q was taken and compiles to %d instructions", s, n)
		}
	})
}
