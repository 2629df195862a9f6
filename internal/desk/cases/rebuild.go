package cases

import (
	"context"
	"errors"

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
