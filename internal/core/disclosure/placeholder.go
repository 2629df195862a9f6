// Package disclosure says what may leave the house, and in which form (docs/rules.md,
// section 6). A secret that a vendor must be told stands in texts as a placeholder.
package disclosure

import (
	"regexp"
	"slices"
	"strings"
)

// Name is how a secret is called: a short word of small letters, digits and dashes.
var Name = regexp.MustCompile(`^[a-z][a-z0-9-]{0,59}$`)

var placeholder = regexp.MustCompile(`\{secret ([a-z][a-z0-9-]{0,59})\}`)

// Placeholder stands for a secret in a text.
func Placeholder(name string) string { return "{secret " + name + "}" }

// Placeholders are the names of the secrets that a text has placeholders for, each once.
func Placeholders(text string) (names []string) {
	for _, m := range placeholder.FindAllStringSubmatch(text, -1) {
		if !slices.Contains(names, m[1]) {
			names = append(names, m[1])
		}
	}
	return names
}

// Fill puts values where their placeholders stand; what has none in values stays.
func Fill(text string, values map[string]string) string {
	return placeholder.ReplaceAllStringFunc(text, func(s string) string {
		if v, there := values[placeholder.FindStringSubmatch(s)[1]]; there {
			return v
		}
		return s
	})
}

// Shortest is the length in bytes below which a value is not looked for in what comes
// in: a number of four digits stands in many texts by chance.
const Shortest = 5

// Hide is the way back: where a text holds a value, its placeholder stands instead.
// The longest are looked for first, as one may be a part of another.
func Hide(text string, values map[string]string) string {
	names := make([]string, 0, len(values))
	for n, v := range values {
		if len(v) >= Shortest {
			names = append(names, n)
		}
	}
	slices.SortFunc(names, func(a, b string) int {
		if d := len(values[b]) - len(values[a]); d != 0 {
			return d
		}
		return strings.Compare(a, b)
	})
	for _, n := range names {
		text = strings.ReplaceAll(text, values[n], Placeholder(n))
	}
	return text
}
