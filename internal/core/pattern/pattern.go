// Package pattern compiles regular expressions that others write, within bounds of what they may cost.
package pattern

import (
	"fmt"
	"regexp"
	"regexp/syntax"
	"strings"
)

// What a pattern may cost: anybody can write one, and it is held against every message.
const (
	maxPattern = 500
	// maxSteps bounds what a pattern compiles to; a usual one has some dozens.
	maxSteps = 1000
	// maxHeld is how much of a text a pattern is held against, in bytes: an acknowledgement
	// shows itself at its beginning.
	maxHeld = 8 << 10
)

// Compile compiles a regular expression (RE2 syntax) that stays cheap whatever it is held
// against; the error says what is wrong with one that does not.
func Compile(s string) (*regexp.Regexp, error) {
	if len(s) > maxPattern {
		return nil, fmt.Errorf("it has %d characters, at most %d are allowed", len(s), maxPattern)
	}
	tree, err := syntax.Parse(s, syntax.Perl)
	if err != nil {
		return nil, fmt.Errorf("it does not compile: %s", strings.TrimPrefix(err.Error(), "error parsing regexp: "))
	}
	if n := steps(tree); n > maxSteps {
		return nil, fmt.Errorf("it repeats too much: it comes to %d steps, at most %d are allowed", n, maxSteps)
	}
	return regexp.Compile(s)
}

// steps is about what an expression compiles to, every repetition written out.
func steps(re *syntax.Regexp) int {
	n := 1
	if re.Op == syntax.OpLiteral {
		n = len(re.Rune)
	}
	for _, sub := range re.Sub {
		n += steps(sub)
	}
	if re.Op == syntax.OpRepeat {
		n *= max(1, re.Min, re.Max)
	}
	return min(n, 1<<30)
}

// Held is as much of a text as a pattern is held against.
func Held(text string) string { return text[:min(len(text), maxHeld)] }
