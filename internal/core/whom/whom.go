// Package whom says which vendor a case is probably for, by what its words name.
package whom

import (
	"cmp"
	"slices"
)

// Sign is one thing of a vendor's that words point at.
type Sign struct {
	Vendor int64
	Kind   string // asset, product, account, vendor or case
	Name   string
	Words  int // how many of the words it has
}

// Candidate is a vendor to whom a matter may belong, and why.
type Candidate struct {
	Vendor int64
	Points int
	Signs  []Sign // the strongest first
}

// signs say how much a word in a name of a kind counts: what we own says more than what was once asked.
var signs = map[string]int{"vendor": 4, "asset": 3, "product": 3, "account": 2, "case": 1}

const (
	mostCandidates = 4
	mostSigns      = 3
)

// Whom ranks the vendors to whom a matter may belong by what the words about it point at: at most four, each with its
// three strongest signs.
func Whom(list []Sign) []Candidate {
	var out []Candidate
	for _, s := range list {
		i := slices.IndexFunc(out, func(c Candidate) bool { return c.Vendor == s.Vendor })
		if i < 0 {
			i, out = len(out), append(out, Candidate{Vendor: s.Vendor})
		}
		out[i].Points += signs[s.Kind] * s.Words
		out[i].Signs = append(out[i].Signs, s)
	}
	for i := range out {
		slices.SortStableFunc(out[i].Signs, func(a, b Sign) int {
			return cmp.Compare(signs[b.Kind]*b.Words, signs[a.Kind]*a.Words)
		})
		out[i].Signs = out[i].Signs[:min(len(out[i].Signs), mostSigns)]
	}
	slices.SortStableFunc(out, func(a, b Candidate) int { return cmp.Compare(b.Points, a.Points) })
	return out[:min(len(out), mostCandidates)]
}
