package desk

import (
	"cmp"
	"context"
	"errors"
	"time"

	"roundhouse.example/internal/store"
)

// ErrBegun is returned where a desk has people already: they add the others.
var ErrBegun = errors.New("this desk has people already: sign in as an administrator")

// Begin gives a desk that has nobody its first administrator, and its hours and
// policy where it has none, to be changed from then on.
func (d *Desk) Begin(ctx context.Context, n NewPerson, b Beginning) (store.Person, error) {
	b = Beginning{cmp.Or(b.Name, "Our desk"), cmp.Or(b.Zone, "UTC")}
	if _, err := time.LoadLocation(b.Zone); err != nil || b.Zone == "Local" {
		return store.Person{}, invalid("zone", "%q is not a known time zone; name one like Europe/Oslo", b.Zone)
	}
	p, err := d.newPerson(n)
	if err != nil {
		return p, err
	}
	err = d.Store.Do(ctx, func(tx *store.Tx) error {
		if there, err := store.People(ctx, tx); err != nil || len(there) > 0 {
			return cmp.Or(err, ErrBegun)
		}
		if n.Role != "administrator" {
			return invalid("role", "the first person is an administrator, who adds the others")
		}
		if err := store.AddPerson(ctx, tx, &p); err != nil {
			return err
		}
		if _, err := store.CurrentTerms(ctx, tx, nil); !errors.Is(err, store.ErrNotFound) {
			return err
		}
		return d.firstPolicy(ctx, tx, b)
	})
	return p, err
}
