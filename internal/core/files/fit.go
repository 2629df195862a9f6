package files

import (
	"fmt"
	"path"
	"slices"
	"strings"
	"unicode"

	"roundhouse.example/internal/core/words"
)

// Limit is what a way to a vendor takes of files. The zero value takes everything.
type Limit struct {
	// None says that files do not go that way at all.
	None bool
	// MB is how much it takes at once, in units of 1024 x 1024 bytes: of each file, or where Together is set of all files
	// of a message as they are written in an email, four bytes for three; 0: any number.
	MB       int
	Together bool
	// Endings are those of the names that it takes, without a dot; none: all.
	Endings []string
}

// Unlike says why a file does not go that way; empty where it does.
func (l Limit) Unlike(name string, bytes int64) string {
	ending := strings.ToLower(strings.TrimPrefix(path.Ext(name), "."))
	switch {
	case l.None:
		return "files cannot be sent that way"
	case l.strict() && !slices.ContainsFunc(l.Endings, func(s string) bool {
		return ending == strings.ToLower(strings.TrimPrefix(s, "."))
	}):
		return "the vendor takes only " + listed(l.Endings) + " that way"
	case !l.Together && l.MB > 0 && bytes > int64(l.MB)<<20:
		return fmt.Sprintf("the vendor takes files of at most %d MB that way, and it has %s", l.MB, Bytes(bytes))
	case l.Together:
		return l.TooMuch(bytes)
	}
	return ""
}

// strict says whether the endings are endings: a vendor may also list what it takes in words, such as support bundle.
func (l Limit) strict() bool {
	return len(l.Endings) > 0 && !slices.ContainsFunc(l.Endings, func(s string) bool {
		return len(s) > 10 || strings.ContainsFunc(strings.TrimPrefix(s, "."), func(r rune) bool {
			return !unicode.IsLetter(r) && !unicode.IsDigit(r)
		})
	})
}

// TooMuch says why files of some bytes in all do not go with one message; empty where they do.
func (l Limit) TooMuch(bytes int64) string {
	written := (bytes + 2) / 3 * 4
	if !l.Together || l.MB == 0 || written <= int64(l.MB)<<20 {
		return ""
	}
	return fmt.Sprintf("an email to the vendor takes at most %d MB, which is %s of files; this is %s", l.MB,
		Bytes(int64(l.MB)<<20*3/4), Bytes(bytes))
}

// listed are endings as they stand in a sentence: .log, .zip and .png.
func listed(endings []string) string {
	var names []string
	for _, e := range endings {
		names = append(names, "."+strings.ToLower(strings.TrimPrefix(e, ".")))
	}
	return words.List(names)
}
