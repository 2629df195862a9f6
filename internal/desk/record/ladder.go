package record

import (
	"context"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/escalation"
	"roundhouse.example/internal/core/ladder"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	registerdb "roundhouse.example/internal/store/register"
)

// ladders are those of some vendors, by id.
func ladders(ctx context.Context, q db.Querier, vendors []int64) (map[int64]escalation.Ladder, error) {
	rungs, err := registerdb.Ladders(ctx, q, vendors)
	out := make(map[int64]escalation.Ladder, len(rungs))
	for id, l := range rungs {
		out[id] = ladder.Of(l)
	}
	return out, err
}

// advise sets to whom a case is to be escalated, and has it looked at when that may change. It asks for today's ladder,
// whatever the terms that the case was filed under.
func advise(c *casesdb.Case, r casework.Replayed, rungs escalation.Ladder, now int64) {
	c.Raised, c.Advice, c.AdviceBecause = r.Raised.Highest(), nil, ""
	if a := r.Raised.Advice(rungs, r.Clocks, r.Items, now); a.Rung > 0 {
		c.Advice, c.AdviceBecause = &a.Rung, a.Because
	}
	if at, ok := r.Raised.Wake(rungs, r.Clocks, r.Items, now); ok && (c.WakeAt == nil || at < c.WakeAt.Unix()) {
		c.WakeAt = new(db.Instant(at))
	}
}
