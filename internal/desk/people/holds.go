package people

import (
	"context"
	"strings"

	peopledb "roundhouse.example/internal/store/people"
	registerdb "roundhouse.example/internal/store/register"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/desk"
)

// Hold is something at a vendor that hangs on one of our people.
type Hold struct{ Vendor, Name, What string }

// Holds are what has to be given to somebody else when a person leaves: logins,
// rights, being the named contact, getting notices.
func (d *People) Holds(ctx context.Context, a desk.Actor, person int64) ([]Hold, error) {
	if err := a.May(access.Read); err != nil {
		return nil, err
	}
	p, err := peopledb.ByID(ctx, d.db.DB, person)
	if err != nil {
		return nil, err
	}
	vendors, err := registerdb.Vendors(ctx, d.db.DB)
	if err != nil {
		return nil, err
	}
	out := []Hold{}
	for _, v := range vendors {
		for _, x := range v.Profile.V.Access {
			if !strings.EqualFold(x.Person, p.Email) {
				continue
			}
			for _, h := range []struct {
				is   bool
				what string
			}{{x.Login, "has a login"}, {x.LoginDue != "", "gets a login by " + x.LoginDue}, {x.Contact, "is a named contact"},
				{x.Notices, "gets its notices"}, {len(x.May) > 0, "may " + strings.Join(x.May, ", ")}} {
				if h.is {
					out = append(out, Hold{v.Key, v.Name, h.what})
				}
			}
		}
	}
	return out, nil
}
