// Package deadline runs the clocks of both sides of a case, by docs/rules.md, section
// 4: it replays a case's dated history against the terms in force and says, at
// any instant, which promises run, are late, were met or missed, and why.
//
//	m := deadline.New()
//	for _, e := range history {
//		m.Apply(e)
//	}
//	rows := m.Rows(asOf)
//
// Instants are whole seconds since 1970-01-01T00:00:00Z; durations are covered seconds.
package deadline

import (
	"fmt"

	"roundhouse.example/internal/core/calendar"
)

// Kind is one of the six deadlines, in the order of the rules' table.
type Kind int

// The six deadlines. The vendor owes the first four, we the last two.
const (
	FirstResponse Kind = iota
	Update
	Workaround
	Resolution
	OurAnswer
	Verification
	kinds
)

var kindNames = [kinds]string{"first-response", "update", "workaround", "resolution", "our-answer", "verification"}

// String is the deadline's name in the rules.
func (k Kind) String() string { return kindNames[k] }

// Ours says whether the deadline is owed by us; then its rank is a severity,
// else a level of the vendor's.
func (k Kind) Ours() bool { return k >= OurAnswer }

// Owed is who owes the deadline.
func (k Kind) Owed() Side {
	if k.Ours() {
		return Ours
	}
	return Theirs
}

// Order is a deadline's place in the table of docs/rules.md, section 4, by its name; unknown names come last.
func Order(name string) int {
	k, err := ParseKind(name)
	if err != nil {
		return 99
	}
	return int(k)
}

// ParseKind reads a deadline's name.
func ParseKind(s string) (Kind, error) {
	for k, n := range kindNames {
		if n == s {
			return Kind(k), nil
		}
	}
	return 0, fmt.Errorf("%.40q is not a deadline; use first-response, update, workaround, resolution, our-answer, "+
		"verification", s)
}

// Side is whose move it is.
type Side string

// The two sides; the zero value is neither, or "not said".
const (
	Ours   Side = "ours"
	Theirs Side = "theirs"
)

// Offer is what a vendor's message may offer.
type Offer string

// What can be offered; the zero value is nothing.
const (
	OfferWorkaround Offer = "workaround"
	OfferFix        Offer = "fix"
)

// Term is one promise: its length and the calendar it counts in.
type Term struct {
	Target   calendar.Target
	Calendar *calendar.Lineage
}

// Change says what becomes of a running clock when its rank changes.
type Change string

// The ways of on_change; the zero value is RestartIfRaised.
const (
	Restart         Change = "restart"
	Keep            Change = "keep"
	RestartIfRaised Change = "restart-if-raised"
)

// Terms are the promises in force for a case, of both sides, by rank.
type Terms struct {
	rows map[termKey]Term
	// OnChange is for the vendor's deadlines, OurOnChange for ours.
	OnChange, OurOnChange Change
	// RunWhileOurs lets the vendor's clocks count while the move is ours.
	RunWhileOurs bool
}

type termKey struct {
	kind Kind
	rank int
}

// Add puts one promise in; two for the same deadline and rank are an error.
func (t *Terms) Add(k Kind, rank int, term Term) error {
	if t.rows == nil {
		t.rows = map[termKey]Term{}
	}
	key := termKey{k, rank}
	if _, twice := t.rows[key]; twice {
		what := "level"
		if k.Ours() {
			what = "severity"
		}
		return fmt.Errorf("two terms for %s at %s %d", k, what, rank)
	}
	t.rows[key] = term
	return nil
}

// Term is the promise for a deadline at a rank; ok is false where none is made.
func (t *Terms) Term(k Kind, rank int) (Term, bool) {
	if t == nil {
		return Term{}, false
	}
	x, ok := t.rows[termKey{k, rank}]
	return x, ok && !x.Target.None
}
