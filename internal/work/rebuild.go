package work

import (
	"context"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"roundhouse.example/internal/desk/whole"
	"roundhouse.example/internal/store/db"
)

// rebuildQueue has a worker of its own: recalculating thousands of cases must not keep what is to
// go to a vendor waiting.
const rebuildQueue = "rebuild"

type rebuildArgs struct{}

func (rebuildArgs) Kind() string { return "rebuild" }

// Rebuild wakes the worker that recalculates marked cases.
func (q *Queue) Rebuild(ctx context.Context, tx *db.Tx) error {
	return tx.Pgx(func(ptx pgx.Tx) error {
		_, err := q.client.InsertTx(ctx, ptx, rebuildArgs{}, &river.InsertOpts{MaxAttempts: 1, Queue: rebuildQueue})
		return err
	})
}

type rebuildWorker struct {
	river.WorkerDefaults[rebuildArgs]
	d *whole.Desk
}

// Work recalculates until no case is marked. Where it is killed, the sweep goes on within seconds.
func (w *rebuildWorker) Work(ctx context.Context, _ *river.Job[rebuildArgs]) error {
	_, err := w.d.Waking.Due(ctx)
	return err
}
