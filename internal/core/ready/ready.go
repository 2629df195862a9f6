// Package ready says what is not ready: contracts that promise nothing for a level, vendors that
// nobody can be escalated at or reached outside their hours, and a rota with gaps where a level needs somebody. It is
// found before a case needs it.
package ready

import (
	"cmp"
	"slices"

	"roundhouse.example/internal/core/rota"
)

// Kind is a kind of gap.
type Kind string

// The kinds, the gravest first.
const (
	NoRota    Kind = "no-rota"    // nobody is on the rota, though a level needs a contact round the clock
	NoWay     Kind = "no-way"     // nobody can be called outside the vendor's hours
	NoLadder  Kind = "no-ladder"  // the vendor has no ladder
	NoPromise Kind = "no-promise" // a contract promises nothing for a level
)

// Kinds are all of them, in order.
var Kinds = []Kind{NoRota, NoWay, NoLadder, NoPromise}

// Vendor is what is known of a vendor with a contract in force.
type Vendor struct {
	Key, Name string
	// Levels are its levels' labels, the most severe first, and Round those of them that need a contact round the clock.
	Levels, Round []string
	// Ladder says that it has one, Through that it is only reached through another vendor, whose ladder counts.
	Ladder, Through bool
	// Always says that its hours are round the clock, OutOfHours that somebody can be called outside them.
	Always, OutOfHours bool
}

// Contract is one that is in force.
type Contract struct {
	ID     int64
	Number string
	Vendor string // its key
	// Promised are the ranks of the levels for which it promises something.
	Promised []int
}

// Gap is one thing that is missing.
type Gap struct {
	Kind         Kind
	Vendor, Name string // the vendor's key and name; empty for the rota
	Contract     int64
	Number       string // the contract's
	Levels       []string
	Vendors      []string // of a gap in the rota: the names of those whose levels need somebody
	// Rota is the time in which nobody is on it; Until is zero where it has no end that is known.
	Rota rota.Gap
}

// Gaps are what is missing, the gravest kind first, then by vendor and contract.
func Gaps(vendors []Vendor, contracts []Contract, unmanned []rota.Gap) (out []Gap) {
	by := make(map[string]*Vendor, len(vendors))
	var needing []string
	for i := range vendors {
		v := &vendors[i]
		if by[v.Key] = v; len(v.Round) > 0 {
			needing = append(needing, v.Name)
		}
		if !v.Always && !v.OutOfHours {
			out = append(out, Gap{Kind: NoWay, Vendor: v.Key, Name: v.Name})
		}
		if !v.Ladder && !v.Through {
			out = append(out, Gap{Kind: NoLadder, Vendor: v.Key, Name: v.Name})
		}
	}
	slices.Sort(needing)
	for _, s := range unmanned {
		if len(needing) > 0 {
			out = append(out, Gap{Kind: NoRota, Vendors: needing, Rota: s})
		}
	}
	for _, k := range contracts {
		v := by[k.Vendor]
		if v == nil {
			continue
		}
		var without []string
		for i, label := range v.Levels {
			if !slices.Contains(k.Promised, i+1) {
				without = append(without, label)
			}
		}
		if len(without) > 0 {
			out = append(out, Gap{Kind: NoPromise, Vendor: v.Key, Name: v.Name, Contract: k.ID, Number: k.Number,
				Levels: without})
		}
	}
	slices.SortStableFunc(out, func(a, b Gap) int {
		return cmp.Or(cmp.Compare(slices.Index(Kinds, a.Kind), slices.Index(Kinds, b.Kind)), cmp.Compare(a.Name, b.Name),
			cmp.Compare(a.Number, b.Number))
	})
	return out
}
