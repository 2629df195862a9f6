package notify

import (
	"unicode"
	"unicode/utf8"
)

func letter(r rune) bool { return unicode.IsLetter(r) || unicode.IsDigit(r) || r == '_' }

// within says whether a text ends in the middle of a word.
func within(before string) bool {
	r, _ := utf8.DecodeLastRuneInString(before)
	return letter(r) || r == '.' || r == '-'
}

// begins says whether a text goes on with the word before it. A dot or hyphen does so only before a letter: a sentence
// may end with a name.
func begins(after string) bool {
	r, n := utf8.DecodeRuneInString(after)
	if r == '.' || r == '-' {
		r, _ = utf8.DecodeRuneInString(after[n:])
	}
	return n > 0 && letter(r)
}
