package people

import (
	"cmp"
	"context"
	"errors"
	"time"

	"roundhouse.example/internal/store/db"
	hoursdb "roundhouse.example/internal/store/hours"
	peopledb "roundhouse.example/internal/store/people"

	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/hours"
)

// ErrBegun is returned where a desk has people already: they add the others.
var ErrBegun = errors.New("this desk has people already: sign in as an administrator")

// Begin gives a desk that has nobody its first administrator, and its hours and
// policy where it has none, to be changed from then on.
func (d *People) Begin(ctx context.Context, n NewPerson, b hours.Beginning) (peopledb.Person, error) {
	b = hours.Beginning{Name: cmp.Or(b.Name, "Our desk"), Zone: cmp.Or(b.Zone, "UTC")}
	if _, err := time.LoadLocation(b.Zone); err != nil || b.Zone == "Local" {
		return peopledb.Person{}, desk.Fault("zone", "%q is not a known time zone; name one like Europe/Oslo", b.Zone)
	}
	p, err := d.newPerson(n)
	if err != nil {
		return p, err
	}
	err = d.db.Do(ctx, func(tx *db.Tx) error {
		if there, err := peopledb.All(ctx, tx); err != nil || len(there) > 0 {
			return cmp.Or(err, ErrBegun)
		}
		if n.Role != "administrator" {
			return desk.Fault("role", "the first person has to be an administrator")
		}
		if err := peopledb.Add(ctx, tx, &p); err != nil {
			return err
		}
		if _, err := hoursdb.CurrentTerms(ctx, tx, nil); !errors.Is(err, db.ErrNotFound) {
			return err
		}
		return d.hours.FirstPolicy(ctx, tx, b)
	})
	return p, err
}
