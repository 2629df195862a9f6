package desk

import (
	"context"
	"errors"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/failpoint"
	"roundhouse.example/internal/store"
)

// Sweep finds what time has made due: deliveries whose turn has come or whose
// attempt nobody ended, cases to come back from parking or whose standing has
// changed. It wakes the workers and returns how many things it found.
func (d *Desk) Sweep(ctx context.Context) (int, error) {
	const most = 200
	due, err := store.DueDeliveries(ctx, d.Store.DB, d.Now(), most)
	if err != nil {
		return 0, err
	}
	for _, id := range due {
		if err := d.Store.Do(ctx, func(tx *store.Tx) error { return d.queue.Deliver(ctx, tx, id) }); err != nil {
			return 0, err
		}
	}
	waking, err := store.Waking(ctx, d.Store.DB, d.Now(), most)
	if err != nil {
		return 0, err
	}
	var errs []error
	for _, id := range waking {
		errs = append(errs, d.Store.Do(ctx, func(tx *store.Tx) error {
			return d.change(ctx, tx, id, nil, func(w *work) error {
				if w.c.ParkedUntil != nil && !w.c.ParkedUntil.After(w.now) && casework.State(w.c.State).Live() {
					until := *w.c.ParkedUntil
					_, err := w.add(ctx, store.Entry{Kind: "change", Body: "Back from parking: its date has come.", HappenedAt: until,
						Effect: store.JSON[*store.Effect]{V: &store.Effect{Event: "unpark"}}})
					return err
				}
				return nil
			})
		}))
		failpoint.Hit("sweep.woken")
	}
	return len(due) + len(waking), errors.Join(errs...)
}
