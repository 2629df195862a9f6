package pages

import (
	"context"

	"roundhouse.example/internal/core/casework"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	outagesdb "roundhouse.example/internal/store/outages"
	registerdb "roundhouse.example/internal/store/register"
)

// Reference is a number that somebody gave a case, with the vendor's page for it where the vendor says where that is.
type Reference struct {
	casework.Reference
	Page string
}

// known puts onto the page what a case is known by, and the outage that it comes from.
func (d *Pages) known(ctx context.Context, q db.Querier, v *View, c *casesdb.Case, first []casesdb.Reference) error {
	var err error
	if v.References, err = references(ctx, q, c.ID, v.Filing.Vendor, first); err != nil || c.OutageID == nil {
		return err
	}
	o, err := outagesdb.ByID(ctx, q, *c.OutageID)
	v.Outage = &o
	return err
}

// references are the first ones of a case, then the others in the order in which they came.
func references(ctx context.Context, q db.Querier, caseID int64, v registerdb.Vendor,
	first []casesdb.Reference) ([]Reference, error) {
	out := []Reference{}
	for _, r := range first {
		out = append(out, Reference{casework.Reference{Owner: casework.Owner(r.Whose), Role: r.Role, Of: r.Of,
			Value: r.Value}, ""})
	}
	others, err := casesdb.OtherReferences(ctx, q, caseID)
	if err != nil {
		return nil, err
	}
	for _, r := range others {
		out = append(out, Reference{r, ""})
	}
	for i, r := range out {
		if r.Owner == casework.Vendors {
			out[i].Page = v.Profile.V.PageOf(r.Value)
		}
	}
	return out, nil
}
