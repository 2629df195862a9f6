package pattern

import (
	"regexp/syntax"
	"strings"
	"unicode"
)

// Example is a text that a regular expression matches as a whole, to show people one: digits count up, letters
// go from A. It is empty for an expression that cannot be read, or of which no example is found that can be printed.
func Example(expression string) string {
	whole, err := Compile("^(?:" + expression + ")$")
	if err != nil {
		return ""
	}
	re, err := syntax.Parse(expression, syntax.Perl)
	if err != nil {
		return ""
	}
	var e example
	e.write(re.Simplify()) // which leaves no counted repetition
	text := e.text.String()
	if !whole.MatchString(text) ||
		strings.ContainsFunc(text, func(r rune) bool { return !unicode.IsPrint(r) }) {
		return ""
	}
	return text
}

type example struct {
	text            strings.Builder
	digits, letters int
}

func (e *example) write(re *syntax.Regexp) {
	switch re.Op {
	case syntax.OpLiteral:
		e.text.WriteString(string(re.Rune))
	case syntax.OpCharClass:
		e.text.WriteRune(e.pick(re.Rune))
	case syntax.OpAnyChar, syntax.OpAnyCharNotNL:
		e.text.WriteRune(e.letter())
	case syntax.OpPlus:
		for range 3 {
			e.write(re.Sub[0])
		}
	case syntax.OpCapture, syntax.OpConcat:
		for _, s := range re.Sub {
			e.write(s)
		}
	case syntax.OpAlternate:
		e.write(re.Sub[0])
	}
}

// pick is a rune of a class, which is pairs of a first and a last one.
func (e *example) pick(pairs []rune) rune {
	has := func(r rune) bool {
		for i := 0; i+1 < len(pairs); i += 2 {
			if pairs[i] <= r && r <= pairs[i+1] {
				return true
			}
		}
		return false
	}
	for range 10 {
		if d := e.digit(); has(d) {
			return d
		}
	}
	for range 26 {
		if l := e.letter(); has(l) {
			return l
		}
	}
	if len(pairs) == 0 {
		return ' '
	}
	return pairs[0]
}

func (e *example) digit() rune {
	e.digits++
	return rune('0' + e.digits%10)
}

func (e *example) letter() rune {
	e.letters++
	return rune('A' + (e.letters-1)%26)
}
