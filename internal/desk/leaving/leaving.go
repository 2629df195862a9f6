// Package leaving looks at what is to leave for a vendor (docs/rules.md, section 6).
package leaving

import (
	"fmt"
	"strings"

	"roundhouse.example/internal/core/disclosure"
	"roundhouse.example/internal/core/words"
	"roundhouse.example/internal/desk"
)

// Leaving is the subject. Use New.
type Leaving struct{ sc *disclosure.Scanner }

// New makes the subject.
func New() *Leaving {
	sc, err := disclosure.NewScanner(disclosure.Config{})
	if err != nil {
		panic(err) // the rules as they are always fit
	}
	return &Leaving{sc}
}

// Use adds what a desk has of its own to the rules, before anything is looked at; what is wrong with that is its error.
func (l *Leaving) Use(c disclosure.Config) (err error) {
	sc, err := disclosure.NewScanner(c)
	if err == nil {
		l.sc = sc
	}
	return err
}

// Found is what is in a text, and the text without it.
type Found struct {
	Findings []disclosure.Finding
	Masked   string
}

// Scan looks at a text that somebody writes, before it is sent.
func (l *Leaving) Scan(text string) Found {
	var masked strings.Builder
	st := l.sc.Stream(func(p []byte) { masked.Write(p) })
	_, _ = st.Write([]byte(text))
	return Found{Findings: st.Close(), Masked: masked.String()}
}

// Stops are the kinds of what must not leave in a text, each once, the gravest first.
func (l *Leaving) Stops(text string) []disclosure.Kind { return stops(l.sc.Text(text)) }

func stops(found []disclosure.Finding) (kinds []disclosure.Kind) {
	there := map[disclosure.Kind]bool{}
	for _, f := range found {
		there[f.Kind] = f.Kind.Level() == disclosure.Stop
	}
	for _, k := range disclosure.Kinds {
		if there[k] {
			kinds = append(kinds, k)
		}
	}
	return kinds
}

// Check says whether a text may leave: what must not is a *desk.MustNotLeave, unless somebody says why it has to; then
// it gives what that lifts.
func (l *Leaving) Check(text, because string) ([]disclosure.Kind, error) {
	found := l.sc.Text(text)
	kinds := stops(found)
	if len(kinds) == 0 || strings.TrimSpace(because) != "" {
		return kinds, nil
	}
	e := &desk.MustNotLeave{What: Named(kinds)}
	for _, f := range found {
		if f.Kind.Level() == disclosure.Stop {
			e.Places = append(e.Places, desk.Field{Name: "text", Detail: fmt.Sprintf("line %d: %s: %s", f.Line,
				words.Inline(words.FindingKinds.Of(string(f.Kind))), f.Excerpt)})
		}
		if len(e.Places) == 20 {
			break
		}
	}
	return nil, e
}

// Named is what was found, as it stands in a sentence: a password and a card number.
func Named(kinds []disclosure.Kind) string {
	var list []string
	for _, k := range kinds {
		list = append(list, "a "+words.Inline(words.FindingKinds.Of(string(k))))
	}
	return words.List(list)
}

// Scanner is what looks, for files.
func (l *Leaving) Scanner() *disclosure.Scanner { return l.sc }
