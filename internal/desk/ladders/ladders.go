// Package ladders says whom of a vendor's ladder a case is to be escalated to, and why.
package ladders

import (
	"context"
	"time"

	"roundhouse.example/internal/core/attention"
	"roundhouse.example/internal/core/escalation"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/core/words"
	"roundhouse.example/internal/desk/hours"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	registerdb "roundhouse.example/internal/store/register"
)

// Advice is whom to escalate a case to, and why.
type Advice struct {
	register.Rung
	Number, Of int // of the ladder's rungs, from the lowest
	Because    escalation.Reason
	Why        string
	// Open says whether the vendor is open now, and Until when that changes; nil for never.
	Open  bool
	Until *time.Time
}

// Advised is whom to escalate a case to, by its row and its vendor's ladder; nil where there is nothing to escalate.
func Advised(ctx context.Context, q db.Querier, h *hours.Hours, g *hours.Compiled, c *casesdb.Case,
	v registerdb.Vendor) (a *Advice, err error) {
	ladder := v.Profile.V.Ladder
	if c.Advice == nil || *c.Advice > len(ladder) { // a shorter ladder is followed in a moment
		return nil, nil
	}
	r := ladder[*c.Advice-1]
	a = &Advice{Rung: r, Number: *c.Advice, Of: len(ladder), Because: c.AdviceBecause, Why: Why(c.AdviceBecause, r)}
	a.Open, a.Until, err = h.OpenNow(ctx, q, g, v)
	return a, err
}

// NameIn says in a line of Today that advises to escalate who that is; either may be nil.
func (a *Advice) NameIn(l *attention.Line) {
	if a != nil && l != nil && l.Rung == a.Number {
		l.To = a.Called()
	}
}

// Conditions are when a rung is due, in words.
func Conditions(r register.Rung) words.Rung {
	return words.Rung{LateBy: r.LateBy, FixesRejected: r.FixesRejected, Reopened: r.Reopened, OpenLonger: r.OpenLonger,
		Severity: r.Severity}
}

// Why is a reason in words, with the figure of the rung that it goes by.
func Why(because escalation.Reason, r register.Rung) string {
	switch when := Conditions(r); because {
	case escalation.Unanswered:
		return "the last escalation was not answered in time"
	case escalation.Late:
		return when.Late()
	case escalation.FixesRejected:
		return when.Fixes()
	case escalation.Reopened:
		return when.Again()
	case escalation.OpenLong:
		return when.Open()
	}
	return ""
}
