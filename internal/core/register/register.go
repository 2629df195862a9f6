// Package register holds what a desk knows about what it owns and buys: products,
// accounts, contracts, assets. It says what is wrong with a record, field by
// field, and whether an asset is covered.
//
// Dates are local ones, written 2026-12-25; they have no zone and last all day.
package register

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"
)

// Fault is one thing that is wrong, and where: "versions[2].supported_until".
type Fault struct{ Field, Detail string }

func (f Fault) String() string { return f.Field + ": " + f.Detail }

// The longest that a record takes.
const (
	MaxName = 200
	MaxText = 20_000
	MaxList = 500
)

// faults collects what is wrong with one record.
type faults []Fault

func (f *faults) add(field, detail string, args ...any) {
	*f = append(*f, Fault{field, fmt.Sprintf(detail, args...)})
}

func (f *faults) name(field, s string) {
	if strings.TrimSpace(s) == "" {
		f.add(field, "it is empty: fill it in")
		return
	}
	f.short(field, s)
}

func (f *faults) short(field, s string) {
	switch n := utf8.RuneCountInString(s); {
	case n > MaxName:
		f.add(field, "it has %d characters, at most %d are allowed", n, MaxName)
	case strings.ContainsAny(s, "\r\n\u2028\u2029"):
		f.add(field, "it has to be one line")
	case strings.ContainsFunc(s, unicode.IsControl):
		f.add(field, "it has an invisible character: remove it")
	case s != strings.TrimSpace(s):
		f.add(field, "it begins or ends with a space")
	}
}

func (f *faults) long(field, s string) {
	if n := utf8.RuneCountInString(s); n > MaxText {
		f.add(field, "it has %d characters, at most %d are allowed", n, MaxText)
	}
	if strings.ContainsFunc(s, func(r rune) bool { return unicode.IsControl(r) && !strings.ContainsRune("\n\r\t", r) }) {
		f.add(field, "it has an invisible character: remove it")
	}
}

func (f *faults) names(field string, list []string) {
	if len(list) > MaxList {
		f.add(field, "it has %d lines, at most %d are allowed", len(list), MaxList)
		return
	}
	seen := map[string]bool{}
	for i, s := range list {
		at := fmt.Sprintf("%s[%d]", field, i)
		f.name(at, s)
		if key := strings.ToLower(s); seen[key] {
			f.add(at, "%s is listed twice", clip(s))
		} else {
			seen[key] = true
		}
	}
}

func oneOf[S ~string](f *faults, field string, s S, known []S) {
	if s != "" && !slices.Contains(known, s) {
		f.add(field, "%q is not known; use %s", clip(string(s)), Listed(known))
	}
}

// Listed are words with commas between them.
func Listed[S ~string](words []S) string {
	out := make([]string, len(words))
	for i, w := range words {
		out[i] = string(w)
	}
	return strings.Join(out, ", ")
}

// date says whether s is empty or a date that exists.
func (f *faults) date(field, s string) bool {
	if s == "" {
		return true
	}
	if t, err := time.Parse(time.DateOnly, s); err != nil || t.Year() < 1900 || t.Year() > 2500 {
		f.add(field, "%q is not a date that exists; write it like 2026-12-25", clip(s))
		return false
	}
	return true
}

var countryCode = regexp.MustCompile(`^[A-Z]{2}$`)

func (f *faults) country(field, s string) {
	if s != "" && !countryCode.MatchString(s) {
		f.add(field, "%q is not a country's code of two capital letters", clip(s))
	}
}

func clip(s string) string {
	if utf8.RuneCountInString(s) > 40 {
		return string([]rune(s)[:37]) + "..."
	}
	return s
}
