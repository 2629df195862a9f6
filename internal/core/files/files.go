// Package files says what a file of a case may be: its name and its size.
package files

import (
	"errors"
	"fmt"
	"path"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Most is the size of the largest file, in bytes: 2 GiB.
const Most = 2 << 30

// longest is the most bytes of a name.
const longest = 200

// ErrNoName is returned for a name of which nothing can be kept.
var ErrNoName = errors.New("give the file a name")

// Name is a name as it is kept: the last part of a path, in one line of visible characters that keep their order, and
// of at most 200 bytes, the ending among them. It is ErrNoName where nothing is left.
func Name(given string) (string, error) {
	given = strings.Map(func(r rune) rune {
		switch {
		case r == '\\':
			return '/'
		case r == utf8.RuneError, unicode.IsControl(r), unicode.Is(unicode.Cf, r):
			return -1
		case unicode.IsSpace(r):
			return ' '
		}
		return r
	}, strings.ToValidUTF8(given, ""))
	name := strings.TrimSpace(path.Base(given))
	if strings.Trim(name, "./ ") == "" {
		return "", ErrNoName
	}
	if len(name) > longest {
		end := path.Ext(name)
		if len(end) > 20 {
			end = ""
		}
		name = strings.ToValidUTF8(name[:longest-len(end)], "") + end
	}
	return name, nil
}

// Size says what is wrong with a size in bytes.
func Size(bytes int64) error {
	switch {
	case bytes < 0:
		return errors.New("give the size of the file")
	case bytes == 0:
		return errors.New("the file is empty")
	case bytes > Most:
		return fmt.Errorf("the file has %s; at most %s are allowed", Bytes(bytes), Bytes(Most))
	}
	return nil
}

// Bytes is a size as people read it: 512 bytes, 1.2 MB, 2 GB. A kB has 1024 bytes.
func Bytes(n int64) string {
	if n == 1 {
		return "1 byte"
	}
	if n < 1024 {
		return fmt.Sprintf("%d bytes", n)
	}
	v, unit := float64(n)/1024, "kB"
	for _, larger := range []string{"MB", "GB"} {
		if v < 1023.95 {
			break
		}
		v, unit = v/1024, larger
	}
	s := fmt.Sprintf("%.1f", v)
	return strings.TrimSuffix(s, ".0") + " " + unit
}
