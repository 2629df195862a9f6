package consents

import (
	"context"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/desk"
	casesdb "roundhouse.example/internal/store/cases"
)

// CaseConsent is a consent with the case it was given on.
type CaseConsent struct {
	Case, Title, Vendor string
	Consent             casework.Consent
	Holds               bool
}

// List are those of all cases that the person sees, the latest given first: all, or those that hold now.
func (d *Consents) List(ctx context.Context, a desk.Actor, holding bool, limit int) ([]CaseConsent, error) {
	if err := a.May(access.Read); err != nil {
		return nil, err
	}
	now := d.Now()
	rows, err := casesdb.Consents(ctx, d.db.DB, a.Grant().Vendors, holding, now, limit)
	out := make([]CaseConsent, len(rows))
	for i, r := range rows {
		out[i] = CaseConsent{casework.Name(r.Number), r.Title, r.Vendor, r.Consent.V, !r.Consent.V.Ended(now)}
	}
	return out, err
}
