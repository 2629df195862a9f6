package desk

import (
	"context"
	"errors"
	"fmt"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/failpoint"
	"roundhouse.example/internal/store"
)

// sweepMost is how many things of a kind are taken at a time.
const sweepMost = 200

// Sweep finds what time has made due: deliveries whose turn has come or whose
// attempt nobody ended, cases to come back from parking or whose standing has
// changed, and what need not be kept any longer. It wakes the workers and returns how many
// things it found.
func (d *Desk) Sweep(ctx context.Context) (int, error) {
	due, err := store.DueDeliveries(ctx, d.Store.DB, d.Now(), sweepMost)
	if err != nil {
		return 0, err
	}
	for _, id := range due {
		if err := d.Store.Do(ctx, func(tx *store.Tx) error { return d.queue.Deliver(ctx, tx, id) }); err != nil {
			return 0, err
		}
	}
	woken, err := d.wakeCases(ctx)
	return len(due) + woken, errors.Join(err, d.forget(ctx))
}

// wakeCases looks at cases whose time has come, until there is none.
func (d *Desk) wakeCases(ctx context.Context) (n int, err error) {
	var errs []error
	for {
		waking, err := store.Waking(ctx, d.Store.DB, d.Now(), sweepMost)
		if err != nil {
			return n, errors.Join(append(errs, err)...)
		}
		for _, id := range waking {
			if err := d.wakeCase(ctx, id); err != nil {
				// One that cannot be looked at must not be looked at before all others for ever.
				later := store.WakeCases(ctx, d.Store.DB, []int64{id}, d.Now().Add(time.Minute))
				errs = append(errs, fmt.Errorf("case %d: %w", id, err), later)
				if ctx.Err() != nil || store.Unavailable(err) {
					return n, errors.Join(errs...)
				}
			}
			n++
			failpoint.Hit("sweep.woken")
		}
		if len(waking) < sweepMost {
			return n, errors.Join(errs...)
		}
	}
}

func (d *Desk) wakeCase(ctx context.Context, id int64) error {
	return d.Store.Do(ctx, func(tx *store.Tx) error {
		return d.change(ctx, tx, id, nil, func(w *work) error {
			if w.c.ParkedUntil == nil || w.c.ParkedUntil.After(w.now) || !casework.State(w.c.State).Live() {
				return nil
			}
			_, err := w.add(ctx, store.Entry{Kind: "change", Body: "Back from parking: its date has come.", HappenedAt: *w.c.ParkedUntil,
				Effect: store.JSON[*store.Effect]{V: &store.Effect{Event: "unpark"}}})
			return err
		})
	})
}

// forget takes out what found no case for long, sessions that are over, and tries to sign in of before.
func (d *Desk) forget(ctx context.Context) error {
	return errors.Join(store.ForgetSessions(ctx, d.Store.DB), store.ForgetEvents(ctx, d.Store.DB, d.Now().Add(-eventsKept), sweepMost),
		store.ForgetSignIns(ctx, d.Store.DB, d.clock.Now().UTC().Add(-triesCount)))
}
