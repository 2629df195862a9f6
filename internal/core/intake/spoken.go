package intake

import (
	"regexp"
	"strings"
	"unicode"
	"unicode/utf8"
)

// phonetic are the words of the spelling alphabet that air traffic uses, from A to Z.
var phonetic = strings.Fields("Alfa Bravo Charlie Delta Echo Foxtrot Golf Hotel India Juliett Kilo Lima Mike " +
	"November Oscar Papa Quebec Romeo Sierra Tango Uniform Victor Whiskey X-ray Yankee Zulu")

var marks = map[rune]string{'-': "dash", '/': "slash", '.': "dot", '_': "underscore", ':': "colon", '#': "hash",
	'@': "at", '+': "plus", ' ': "space"}

// Spell says an identifier letter by letter, for the phone: CC-31 is Charlie, Charlie, dash, 3, 1.
func Spell(identifier string) string {
	var out []string
	for _, r := range identifier {
		u := unicode.ToUpper(r)
		word := string(r)
		if u >= 'A' && u <= 'Z' {
			word = phonetic[u-'A']
		} else if mark, known := marks[r]; known {
			word = mark
		}
		out = append(out, word)
	}
	return strings.Join(out, ", ")
}

// identifying is a line that names something by a number: a label, then a value in one piece with a digit in it.
var identifying = regexp.MustCompile(`^([^:]+): (\S*[0-9]\S*)$`)

// dated is a value that is read as it is.
var dated = regexp.MustCompile(`^[0-9]{4}-[0-9]{2}-[0-9]{2}`)

// Spoken is a text to be read out on the phone: below each line that names something by a number, the number is
// spelled, unless it is so short that nobody mishears it. That is done up to the first part with a heading, where
// sentences begin.
func Spoken(text string) string {
	var out []string
	lines := strings.Split(text, "\n")
	head := true
	for i, line := range lines {
		out = append(out, line)
		m := identifying.FindStringSubmatch(line)
		if head && m != nil && utf8.RuneCountInString(m[1]) <= 60 && len(m[2]) > 3 && !dated.MatchString(m[2]) {
			out = append(out, "    "+Spell(m[2]))
		}
		// The title stands alone before the identifiers; a heading has its text right below.
		if head && i > 1 && lines[i-1] == "" && line != "" && !strings.Contains(line, ": ") {
			head = false
		}
	}
	return strings.Join(out, "\n")
}
