package cases

import (
	"context"
	"errors"
	"fmt"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/failpoint"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
)

// Rebuild writes the caches of cases anew from their records.
func (d *Cases) Rebuild(ctx context.Context, cases []int64) error {
	var errs []error
	for _, id := range cases {
		errs = append(errs, d.db.Do(ctx, func(tx *db.Tx) error {
			return d.Change(ctx, tx, id, nil, func(w *Work) error { w.rebuild = true; return nil })
		}))
	}
	return errors.Join(errs...)
}

// sweepMost is how many cases are taken at a time.
const sweepMost = 200

// WakeDue looks at cases whose time has come, until there is none.
func (d *Cases) WakeDue(ctx context.Context) (n int, err error) {
	var errs []error
	for {
		waking, err := casesdb.Waking(ctx, d.db.DB, d.Now(), sweepMost)
		if err != nil {
			return n, errors.Join(append(errs, err)...)
		}
		for _, id := range waking {
			if err := d.wakeCase(ctx, id); err != nil {
				// One that cannot be looked at must not be looked at before all others for ever.
				later := casesdb.Wake(ctx, d.db.DB, []int64{id}, d.Now().Add(time.Minute))
				errs = append(errs, fmt.Errorf("case %d: %w", id, err), later)
				if ctx.Err() != nil || db.Unavailable(err) {
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

func (d *Cases) wakeCase(ctx context.Context, id int64) error {
	return d.db.Do(ctx, func(tx *db.Tx) error {
		return d.Change(ctx, tx, id, nil, func(w *Work) error {
			if w.Case.ParkedUntil == nil || w.Case.ParkedUntil.After(w.Now) || !w.Case.State.Live() {
				return nil
			}
			_, err := w.Add(ctx, casesdb.Entry{Kind: casework.Change, Body: "Resumed: the date has come.",
				HappenedAt: *w.Case.ParkedUntil,
				Effect:     db.JSON[*casesdb.Effect]{V: &casesdb.Effect{Event: deadline.Unpark}}})
			return err
		})
	})
}
