// Package waking looks at cases whose time has come: clocks that go on counting, hours that have changed, the end of a
// parking.
package waking

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"sync"
	"time"

	"golang.org/x/sync/errgroup"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/notify"
	"roundhouse.example/internal/desk/record"
	"roundhouse.example/internal/failpoint"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
)

// Waking is the subject. Use New.
type Waking struct {
	*desk.Desk
	db     *db.Store
	cases  *cases.Cases
	record *record.Record
	notify *notify.Notify
}

// New makes the subject over a desk's database.
func New(d *desk.Desk, db *db.Store, c *cases.Cases, r *record.Record, n *notify.Notify) *Waking {
	return &Waking{d, db, c, r, n}
}

// atOnce is how many transactions look at cases at the same time, each how many cases one of them takes.
const (
	atOnce = 2
	each   = 200
	most   = atOnce * each
)

// Due looks at cases whose time has come, until there is none.
func (d *Waking) Due(ctx context.Context) (n int, err error) {
	var errs []error
	for {
		due, err := casesdb.Waking(ctx, d.db.DB, d.Now(), most)
		if err != nil {
			return n, errors.Join(append(errs, err)...)
		}
		done := d.inParts(ctx, due)
		n += len(done)
		for _, id := range due {
			if slices.Contains(done, id) {
				continue
			}
			if err := d.alone(ctx, id); err != nil {
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
		if len(due) < most {
			return n, errors.Join(errs...)
		}
	}
}

// inParts looks at cases in transactions of many each. What it does not give is to be looked at one by one, where each
// says what is wrong with it.
func (d *Waking) inParts(ctx context.Context, ids []int64) (done []int64) {
	var all errgroup.Group
	var mu sync.Mutex
	for part := range slices.Chunk(ids, each) {
		all.Go(func() error {
			some, err := d.together(ctx, part)
			if err == nil {
				mu.Lock()
				defer mu.Unlock()
				done = append(done, some...)
			}
			return nil
		})
	}
	_ = all.Wait() // nothing of it fails
	return done
}

// together looks at the cases of which nothing follows but when they are due, and gives those.
func (d *Waking) together(ctx context.Context, ids []int64) (done []int64, err error) {
	if len(ids) < 2 {
		return nil, nil
	}
	err = d.db.Do(ctx, func(tx *db.Tx) error {
		list, err := d.record.Together(ctx, tx, ids)
		if err != nil {
			return err
		}
		var fallen []int64
		words := make([]string, len(list))
		for i, c := range list {
			done, words[i] = append(done, c.ID), cases.Told(&c.Case)
			if c.Fallen {
				fallen = append(fallen, c.ID)
			}
		}
		if err := d.notify.Fell(ctx, tx, fallen); err != nil {
			return err
		}
		return tx.TellAll(ctx, desk.Told, words)
	})
	failpoint.Hit("sweep.woken")
	return done, err
}

// alone looks at one case.
func (d *Waking) alone(ctx context.Context, id int64) error {
	return d.db.Do(ctx, func(tx *db.Tx) error {
		return d.cases.Change(ctx, tx, id, nil, func(w *cases.Work) error {
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
