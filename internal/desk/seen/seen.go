// Package seen knows who has read what of a case: what is new to each person, and what of the vendor's nobody has read.
package seen

import (
	"context"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/notify"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
)

// Seen is the subject. Use New.
type Seen struct {
	*desk.Desk
	db    *db.Store
	cases *cases.Cases
	told  *notify.Notify
}

// New makes the subject over a desk's database.
func New(d *desk.Desk, db *db.Store, c *cases.Cases, n *notify.Notify) *Seen {
	return &Seen{d, db, c, n}
}

// Mark says that a person has read the record of a case up to an entry. Where they work on cases, the vendor's messages
// up to it have been read by the desk too. It changes no clock, so that nothing is replayed, and tells open pages only
// where something was unread.
func (d *Seen) Mark(ctx context.Context, a desk.Actor, id int64, entry int) error {
	if err := a.May(access.Read); err != nil {
		return err
	}
	return d.db.Do(ctx, func(tx *db.Tx) error {
		c, err := casesdb.ByID(ctx, tx, id)
		if err == nil && !a.Grant().SeesVendor(c.VendorID) {
			err = db.ErrNotFound
		}
		if err != nil {
			return err
		}
		if entry > c.LastEntry {
			return desk.Fault("entry", "the case has %d entries", c.LastEntry)
		}
		if err := casesdb.ReadUpTo(ctx, tx, a.ID, id, entry, d.Now()); err != nil {
			return err
		}
		if err := d.told.ReadCase(ctx, tx, a.ID, id, entry); err != nil {
			return err
		}
		if a.May(access.Work) != nil || entry <= c.ReadEntry || c.Unread == 0 {
			return nil
		}
		if _, err := casesdb.Lock(ctx, tx, id); err != nil {
			return err
		}
		changed, err := casesdb.MarkRead(ctx, tx, id, entry)
		if err != nil || !changed {
			return err
		}
		return d.cases.Tell(ctx, tx, id)
	})
}

// Newcomer says whether a person who works on cases has not read any yet.
func (d *Seen) Newcomer(ctx context.Context, a desk.Actor) (bool, error) {
	if a.May(access.Work) != nil {
		return false, nil
	}
	has, err := casesdb.HasRead(ctx, d.db.DB, a.ID)
	return err == nil && !has, err
}
