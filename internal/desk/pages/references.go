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

// references are the first ones of a case, then the others in the order in which they came; and the outage that it
// comes from.
func (d *Pages) references(ctx context.Context, q db.Querier, c *casesdb.Case, v registerdb.Vendor,
	first []casesdb.Reference) (out []Reference, outage *outagesdb.Outage, err error) {
	if c.OutageID != nil {
		o, err := outagesdb.ByID(ctx, q, *c.OutageID)
		if err != nil {
			return nil, nil, err
		}
		outage = &o
	}
	for _, r := range first {
		out = append(out, Reference{casework.Reference{Owner: casework.Owner(r.Whose), Role: r.Role, Of: r.Of,
			Value: r.Value}, ""})
	}
	others, err := casesdb.OtherReferences(ctx, q, c.ID)
	if err != nil {
		return nil, nil, err
	}
	for _, r := range others {
		out = append(out, Reference{r, ""})
	}
	for i, r := range out {
		if r.Owner == casework.Vendors {
			out[i].Page = v.Profile.V.PageOf(r.Value)
		}
	}
	return out, outage, nil
}
