// Package watch is what people watch besides their own cases: a case, a vendor's, all of a severity.
package watch

import (
	"context"
	"fmt"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/store/db"
	registerdb "roundhouse.example/internal/store/register"
	watchdb "roundhouse.example/internal/store/watch"
)

// Watches is the subject. Use New.
type Watches struct {
	*desk.Desk
	db *db.Store
}

// New makes the subject over a desk's database.
func New(d *desk.Desk, db *db.Store) *Watches { return &Watches{d, db} }

// Watched is one thing that a person watches.
type Watched = watchdb.Watch

// most is how much one person can watch.
const most = 500

// What is what somebody wants to watch: one of the three.
type What struct {
	Case     string // by any name that it has
	Vendor   string // by key
	Severity int
}

// List is what a person watches, the newest first.
func (d *Watches) List(ctx context.Context, a desk.Actor) ([]Watched, error) {
	if err := a.May(access.Read); err != nil {
		return nil, err
	}
	return watchdb.Of(ctx, d.db.DB, a.ID)
}

// Start watches something, and gives all that the person watches then. What is watched already stays so.
func (d *Watches) Start(ctx context.Context, a desk.Actor, w What, find func(ctx context.Context, a desk.Actor,
	name string) (int64, error)) ([]Watched, error) {
	if err := a.May(access.Read); err != nil {
		return nil, err
	}
	row := Watched{PersonID: a.ID, MadeAt: d.Now()}
	switch {
	case w.Case != "" && w.Vendor == "" && w.Severity == 0:
		id, err := find(ctx, a, w.Case)
		if err != nil {
			return nil, err
		}
		row.CaseID = &id
	case w.Case == "" && w.Vendor != "" && w.Severity == 0:
		v, err := registerdb.VendorByKey(ctx, d.db.DB, w.Vendor)
		if err == nil && !a.Grant().SeesVendor(v.ID) {
			err = db.ErrNotFound
		}
		if err == db.ErrNotFound {
			return nil, desk.Fault("vendor", "there is no vendor %.60q", w.Vendor)
		} else if err != nil {
			return nil, err
		}
		row.VendorID = &v.ID
	case w.Case == "" && w.Vendor == "" && w.Severity >= 1 && w.Severity <= 4:
		row.Severity = &w.Severity
	default:
		return nil, desk.Fault("case", "say what to watch: a case, a vendor, or a severity from 1 to 4")
	}
	var list []Watched
	return list, d.db.Do(ctx, func(tx *db.Tx) (err error) {
		if list, err = watchdb.Of(ctx, tx, a.ID); err != nil {
			return err
		}
		if len(list) >= most {
			return desk.Fault("case", "you watch %d things, which is the most there can be: stop watching some", most)
		}
		if err = watchdb.Add(ctx, tx, row); err != nil {
			return err
		}
		list, err = watchdb.Of(ctx, tx, a.ID)
		return err
	})
}

// Stop ends a watch.
func (d *Watches) Stop(ctx context.Context, a desk.Actor, id int64) error {
	if err := a.May(access.Read); err != nil {
		return err
	}
	gone, err := watchdb.Remove(ctx, d.db.DB, a.ID, id)
	if err == nil && !gone {
		err = fmt.Errorf("watch %d: %w", id, db.ErrNotFound)
	}
	return err
}
