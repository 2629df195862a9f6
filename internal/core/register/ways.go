package register

import (
	"net/url"
	"slices"
	"strings"

	"roundhouse.example/internal/core/pattern"
	"roundhouse.example/internal/core/route"
)

// Routes are the ways by which something can go to the vendor, the usual one first: its links as they are given (by
// email only where it has an address), then by person in the order of its ways, where no link of that kind does it;
// those that are for urgent matters only come last where this is none. level names the kinds that the level demands,
// where it does, whatever they are for.
func (v Vendor) Routes(links []route.Route, level []route.Kind, urgent bool) []route.Route {
	out := slices.DeleteFunc(slices.Clone(links), func(r route.Route) bool {
		return r.Kind == route.Email && v.EmailTo(false) == ""
	})
	for _, w := range v.Ways {
		there := slices.ContainsFunc(out, func(r route.Route) bool { return r.Kind == w.Channel })
		if w.Channel.ByPerson() && !there {
			out = append(out, route.Route{Kind: w.Channel, UrgentOnly: !urgent && len(level) == 0 && v.urgentOnly(w.Channel)})
		}
	}
	slices.SortStableFunc(out, func(a, b route.Route) int { return first(!a.UrgentOnly, !b.UrgentOnly) })
	if len(level) == 0 {
		return out
	}
	return slices.DeleteFunc(out, func(r route.Route) bool { return !slices.Contains(level, r.Kind) })
}

// urgentOnly says whether each address of a channel is for urgent matters only.
func (v Vendor) urgentOnly(channel route.Kind) bool {
	return !slices.ContainsFunc(v.Ways, func(w Way) bool { return w.Channel == channel && !w.Urgent })
}

// WaysBy are the addresses of one channel, urgent ones first where the matter is.
func (v Vendor) WaysBy(channel route.Kind, urgent bool) (out []Way) {
	for _, w := range v.Ways {
		if w.Channel == channel {
			out = append(out, w)
		}
	}
	slices.SortStableFunc(out, func(a, b Way) int { return first(a.Urgent == urgent, b.Urgent == urgent) })
	return out
}

// first puts what is so before what is not.
func first(a, b bool) int {
	switch {
	case a == b:
		return 0
	case a:
		return -1
	}
	return 1
}

// EmailTo is the address that an email to the vendor goes to, an urgent one where the matter is; empty where there is
// none.
func (v Vendor) EmailTo(urgent bool) string {
	for _, w := range v.WaysBy(route.Email, urgent) {
		return w.Address
	}
	return ""
}

// Means is what a word of the vendor's says of the case; the zero value where
// nobody wrote that down.
func (v Vendor) Means(word string) StatusWord {
	for _, s := range v.StatusWords {
		if strings.EqualFold(s.Word, strings.TrimSpace(word)) {
			return s
		}
	}
	return StatusWord{}
}

// Automatic says whether a text is an acknowledgement that nobody wrote, by the
// vendor's pattern for them.
func (v Vendor) Automatic(text string) bool {
	if v.AutomaticPattern == "" {
		return false
	}
	re, err := pattern.Compile(v.AutomaticPattern)
	return err == nil && re.MatchString(pattern.Held(text))
}

// LooksRight says whether a number is written as the vendor writes its own; any is where
// nobody wrote down how.
func (v Vendor) LooksRight(reference string) bool {
	if v.ReferencePattern == "" {
		return true
	}
	re, err := pattern.Compile(`^(?:` + v.ReferencePattern + `)$`)
	return err != nil || re.MatchString(pattern.Held(reference))
}

// PageOf is the address of the vendor's page for a reference; empty where nobody wrote down where that is.
func (v Vendor) PageOf(reference string) string {
	return strings.ReplaceAll(v.ReferencePage, "{reference}", url.PathEscape(reference))
}

// Knows says whether a status word is among those that somebody wrote down; where nobody
// wrote any down, every word is.
func (v Vendor) Knows(word string) bool {
	return len(v.StatusWords) == 0 || slices.ContainsFunc(v.StatusWords, func(s StatusWord) bool {
		return strings.EqualFold(s.Word, strings.TrimSpace(word))
	})
}
