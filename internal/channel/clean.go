package channel

import (
	"crypto/sha256"
	"encoding/hex"
	"strings"
	"unicode/utf8"
)

// The longest that is taken of what a vendor's system says, in bytes.
const (
	MaxText = 1 << 20
	MaxName = 200
)

// Clean makes a text from outside one that can be kept: valid UTF-8 without NUL, and at
// most the bytes given, cut between characters.
func Clean(s string, most int) string {
	s = strings.ReplaceAll(strings.ToValidUTF8(s, "\uFFFD"), "\x00", "")
	if len(s) <= most {
		return s
	}
	cut := most
	for cut > 0 && !utf8.RuneStart(s[cut]) {
		cut--
	}
	return s[:cut]
}

// Clean makes an event one that can be kept. A key that is too long stays one of its own.
func (e Incoming) Clean() Incoming {
	if key := Clean(e.Key, MaxText); len(key) > MaxName {
		sum := sha256.Sum256([]byte(key))
		e.Key = hex.EncodeToString(sum[:])
	} else {
		e.Key = key
	}
	e.Text = Clean(e.Text, MaxText)
	for _, s := range []*string{&e.Ticket, &e.Author, &e.Word, &e.Level} {
		*s = Clean(*s, MaxName)
	}
	return e
}
