package work

import (
	"context"

	"roundhouse.example/internal/desk/whole"
	"roundhouse.example/internal/store/db"
)

// sweepLock is the lock of the sweep.
const sweepLock = 7206318

// sweep finds what time has made due, unless another service is at it.
func sweep(d *whole.Desk, s *db.Store) func(context.Context) error {
	return func(ctx context.Context) error {
		return s.Alone(ctx, sweepLock, func() error { _, err := d.Sweep(ctx); return err })
	}
}
