package cases

import (
	"context"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/desk"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	registerdb "roundhouse.example/internal/store/register"
)

// ReopenUntil is until when the vendor reopens a case, or is disputed with about its closing; nil where it has no limit
// or nothing has ended. The vendor's own closing counts where it came first.
func ReopenUntil(c *casesdb.Case, v registerdb.Vendor) *time.Time {
	ended := db.Unix(c.EndedAt)
	if closed := db.Unix(c.VendorClosedAt); closed != 0 && (ended == 0 || closed < ended) {
		ended = closed
	}
	if until, ok := casework.ReopenUntil(ended, v.Profile.V.ReopensWithinDays); ok {
		return new(db.Instant(until))
	}
	return nil
}

// reopening holds a reopening, or a dispute, to the vendor's limit, and gives the channels by which it takes one; none:
// any. Other steps have neither.
func (w *Work) reopening(ctx context.Context, r StepRequest) ([]route.Kind, error) {
	if r.Step != casework.Reopen && r.Step != casework.Dispute {
		return nil, nil
	}
	v, err := w.Vendor(ctx)
	if err != nil {
		return nil, err
	}
	if until := ReopenUntil(w.Case, v); until != nil && w.Now.After(*until) && !r.Anyway {
		return nil, &desk.PastLimit{Vendor: v.Name, Days: v.Profile.V.ReopensWithinDays, Until: *until,
			Case: casework.Name(w.Case.Number)}
	}
	return v.Profile.V.ReopensBy, nil
}
