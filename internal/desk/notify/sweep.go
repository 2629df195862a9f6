package notify

import (
	"context"
	"slices"
	"time"

	"roundhouse.example/internal/store/db"
	notifydb "roundhouse.example/internal/store/notify"
)

const (
	// batch is how many things are told in a transaction.
	batch = 500
	// overlap is how far a sweep looks back behind the last one: a change of a case that was still under way then may
	// have written down what had come due before. No transaction lasts that long.
	overlap = 2 * time.Minute
)

// Sweep tells what has come due, or soon will be, since the last time, and tells the leads what nobody has reacted to.
// It gives how many things it told. Where the machine's clock was set back, it looks again from there: what was told
// once is not told again. One service at a time may do it.
func (d *Notify) Sweep(ctx context.Context) (n int, err error) {
	from, err := notifydb.DoneUntil(ctx, d.db.DB)
	if err != nil {
		return 0, err
	}
	now := d.Now()
	if from.After(now) {
		from = now
	}
	from = from.Add(-overlap)
	for {
		done, more, err := d.fallen(ctx, from, now)
		if n += done; err != nil {
			return n, err
		}
		if !more {
			break
		}
	}
	if err := notifydb.Done(ctx, d.db.DB, now); err != nil {
		return n, err
	}
	again, err := d.unanswered(ctx, now)
	return n + again, err
}

// fallen tells a batch of what has come due; more says that there may be another.
func (d *Notify) fallen(ctx context.Context, from, until time.Time) (n int, more bool, err error) {
	rows, err := notifydb.FallenSince(ctx, d.db.DB, from, until, batch)
	if err != nil || len(rows) == 0 {
		return 0, false, err
	}
	err = d.db.Do(ctx, func(tx *db.Tx) error {
		cases := make([]int64, len(rows))
		for i, f := range rows {
			cases[i] = f.CaseID
		}
		// A case that is being changed is left to that change, or to the next sweep: neither waits for the other.
		free, err := notifydb.Unlocked(ctx, tx, cases)
		if err != nil {
			return err
		}
		var list []about
		for _, f := range rows {
			if slices.Contains(free, f.CaseID) {
				list = append(list, aboutFallen(f))
			}
		}
		n, err = d.tell(ctx, tx, list)
		return err
	})
	return n, err == nil && len(rows) == batch && n > 0, err
}

// unanswered tells the leads of what nobody has reacted to in time.
func (d *Notify) unanswered(ctx context.Context, now time.Time) (n int, err error) {
	for {
		rows, err := notifydb.UnansweredAt(ctx, d.db.DB, now, batch)
		if err != nil || len(rows) == 0 {
			return n, err
		}
		err = d.db.Do(ctx, func(tx *db.Tx) error {
			var list []about
			ids := make([]int64, len(rows))
			for i, r := range rows {
				ids[i] = r.ID
				if !r.Open {
					continue
				}
				e := r.Event
				e.Key, e.Kind, e.ActorID, e.AgainAt = e.Key+"/again", e.Kind.Then(), nil, nil
				a := about{Event: e, vendor: r.VendorID}
				if r.OwnerID != nil {
					a.owner = *r.OwnerID
				}
				list = append(list, a)
			}
			told, err := d.tell(ctx, tx, list)
			if n += told; err != nil {
				return err
			}
			return notifydb.Settled(ctx, tx, ids)
		})
		if err != nil || len(rows) < batch {
			return n, err
		}
	}
}
