package disclosure

import (
	"fmt"
	"regexp"
	"strings"
	"unicode/utf8"
)

// Level is what a finding means for the text that it is in (docs/rules.md, section 6).
type Level string

// The levels, the gravest first.
const (
	Stop Level = "stop" // does not leave unless a person says why
	Warn Level = "warn" // asks to be looked at
	Tell Level = "tell" // is only said
)

// Kind is what was found.
type Kind string

// The kinds, by level.
const (
	PrivateKey     Kind = "private-key"
	Password       Kind = "password"
	Token          Kind = "token" // keys, cookies and signatures of a session too
	Card           Kind = "card-number"
	IBAN           Kind = "iban"
	RandomString   Kind = "random-string"
	PersonalNumber Kind = "personal-number"
	NotScanned     Kind = "not-scanned"
	EmailAddress   Kind = "email-address"
	PrivateAddress Kind = "private-address"
)

// Kinds are all of them, the gravest first.
var Kinds = []Kind{PrivateKey, Password, Token, Card, IBAN, RandomString, PersonalNumber, NotScanned, EmailAddress,
	PrivateAddress}

// Level is how grave a finding of the kind is.
func (k Kind) Level() Level {
	switch k {
	case PrivateKey, Password, Token, Card:
		return Stop
	case EmailAddress, PrivateAddress:
		return Tell
	}
	return Warn
}

// Finding is one place in a text. Its excerpt never holds what was found, unless that is only told.
type Finding struct {
	Line    int // from 1; 0: the whole
	Kind    Kind
	Excerpt string
	// From and To are where it is, in bytes of the text as UTF-8.
	From, To int64
}

// Mask stands where something was found.
const Mask = "********"

// Config is what a desk adds to the rules.
type Config struct {
	// Words are further key words for passwords and tokens, as other languages have them.
	Words []string `json:"words"`
	// PersonalNumbers are patterns by the name of what they find.
	PersonalNumbers map[string]string `json:"personal_numbers"`
}

// Check says what is wrong with it, in words that name the place.
func (c Config) Check() error {
	for _, w := range c.Words {
		if n := utf8.RuneCountInString(w); n < 3 || n > 40 || strings.TrimSpace(w) != w {
			return fmt.Errorf("words: %q has to be 3 to 40 letters, with no space at its ends", w)
		}
	}
	for name, p := range c.PersonalNumbers {
		if len(p) > 500 {
			return fmt.Errorf("personal_numbers.%s: the pattern is longer than 500 letters", name)
		}
		re, err := regexp.Compile(p)
		if err != nil {
			return fmt.Errorf("personal_numbers.%s: %w", name, err)
		}
		if re.MatchString("") {
			return fmt.Errorf("personal_numbers.%s: the pattern matches an empty text too, so it would be found "+
				"everywhere", name)
		}
	}
	return nil
}
