package filing

import (
	"context"
	"errors"
	"fmt"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/whom"
	"roundhouse.example/internal/core/words"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/store/db"
	registerdb "roundhouse.example/internal/store/register"
)

// Candidate is a vendor to whom a matter may belong: why, and whom to go to first where that is another.
type Candidate struct {
	Vendor registerdb.Vendor
	Why    []string
	First  *registerdb.Vendor
	// Direct says that going to the vendor itself is allowed all the same.
	Direct bool
}

// manySigns is how many things words may point at.
const manySigns = 80

// Whom says to which vendors a matter may belong, by the words about it: the likeliest first, none where nothing that
// the desk knows has any of the words.
func (d *Filing) Whom(ctx context.Context, a desk.Actor, text string) (out []Candidate, err error) {
	if err := a.May(access.Read); err != nil {
		return nil, err
	}
	signs, err := registerdb.Signs(ctx, d.db.DB, text, a.Grant().Vendors, manySigns)
	if err != nil {
		return nil, err
	}
	for _, c := range whom.Whom(signs) {
		x := Candidate{}
		if x.Vendor, err = registerdb.VendorByID(ctx, d.db.DB, c.Vendor); err != nil {
			return nil, err
		}
		for _, s := range c.Signs {
			x.Why = append(x.Why, fmt.Sprintf("%s: %s", words.Things.Of(s.Kind), s.Name))
		}
		if p := x.Vendor.Profile.V; p.Through != "" {
			first, err := registerdb.VendorByKey(ctx, d.db.DB, p.Through)
			if err == nil {
				x.First, x.Direct = &first, p.DirectAllowed
			} else if !errors.Is(err, db.ErrNotFound) {
				return nil, err
			}
		}
		out = append(out, x)
	}
	return out, nil
}
