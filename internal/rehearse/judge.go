package rehearse

import (
	"cmp"
	"context"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/rehearsal"
	casesdb "roundhouse.example/internal/store/cases"
)

// Judge says what was done well and what was missed, as of now.
func (x *Stage) Judge(ctx context.Context) ([]rehearsal.Finding, error) {
	s := &x.Scenario
	over := x.Clock.Now()
	if s.Over().Before(over) {
		over = s.Over()
	}
	p := rehearsal.Played{Began: s.Begins.Unix(), Over: over.Unix(), Patience: int64(of(s.Patience, "1h").Seconds()),
		ToFile: int64(of(s.Case.FileWithin, "").Seconds()), ToBrief: int64(of(s.BriefWithin, "").Seconds())}
	if p.ToFile > 0 {
		p.Severity = x.expected
	}
	policy, err := x.desk.Hours.Ours(ctx, x.db.DB)
	if err != nil {
		return nil, err
	}
	p.Hours = policy.Hours.Latest()
	if !x.found(ctx) {
		return rehearsal.Judge(p), nil
	}
	if p.Deeds, err = x.deeds(ctx); err != nil {
		return nil, err
	}
	if p.History, p.Ladder, err = x.desk.Record.Replayed(ctx, x.db.DB, x.caseID); err != nil {
		return nil, err
	}
	for _, h := range x.done {
		if kind, ok := turnOf(h.line); ok {
			p.Turns = append(p.Turns, rehearsal.Turn{At: h.at.Unix(), Kind: kind})
		}
	}
	return rehearsal.Judge(p), nil
}

// turnOf is what a line of the script asks of ours, if anything particular.
func turnOf(l Line) (rehearsal.Kind, bool) {
	switch {
	case deadline.Offer(l.Offers) == deadline.OfferFix && l.Works:
		return rehearsal.GoodFix, true
	case deadline.Offer(l.Offers) == deadline.OfferFix:
		return rehearsal.WrongFix, true
	case l.Level != "":
		return rehearsal.Lowered, true
	case l.Closes:
		return rehearsal.ClosedEarly, true
	}
	return "", false
}

// Rung is the role or name of a rung of the vendor's ladder.
func (x *Stage) Rung(n int) string {
	if l := x.vendor.Profile.V.Ladder; n >= 1 && n <= len(l) {
		return cmp.Or(l[n-1].Role, l[n-1].Name)
	}
	return ""
}

// Case is the case's number, such as C-1001; empty while there is none.
func (x *Stage) Case(ctx context.Context) string {
	if c, err := casesdb.ByID(ctx, x.db.DB, x.caseID); err == nil {
		return casework.Name(c.Number)
	}
	return ""
}
