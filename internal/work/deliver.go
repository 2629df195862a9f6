package work

import (
	"context"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"roundhouse.example/internal/desk/whole"
	"roundhouse.example/internal/store/db"
)

type deliverArgs struct {
	Delivery int64 `json:"delivery"`
}

func (deliverArgs) Kind() string { return "deliver" }

// Deliver wakes the workers for a delivery, now. What is due later the sweep finds.
func (q *Queue) Deliver(ctx context.Context, tx *db.Tx, delivery int64) error {
	return tx.Pgx(func(ptx pgx.Tx) error {
		_, err := q.client.InsertTx(ctx, ptx, deliverArgs{delivery}, &river.InsertOpts{MaxAttempts: 1})
		return err
	})
}

type deliverWorker struct {
	river.WorkerDefaults[deliverArgs]
	d    *whole.Desk
	link *turns
}

// Timeout is longer than the longest call to a vendor, which has a file to take; other calls have less of their own.
func (w *deliverWorker) Timeout(*river.Job[deliverArgs]) time.Duration { return 35 * time.Minute }

// Work delivers. A link that hangs keeps a few workers at most: the others are for everybody else.
func (w *deliverWorker) Work(ctx context.Context, j *river.Job[deliverArgs]) error {
	link, err := w.d.Outbox.LinkOfDelivery(ctx, j.Args.Delivery)
	if err != nil {
		return err
	}
	if !w.link.take(link) {
		return river.JobSnooze(time.Second)
	}
	defer w.link.give(link)
	return w.d.Outbox.Deliver(ctx, j.Args.Delivery)
}

// turns limits how many workers have the same thing at a time.
type turns struct {
	mu   sync.Mutex
	most int
	has  map[int64]int
}

func (t *turns) take(id int64) bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.has[id] >= t.most {
		return false
	}
	if t.has == nil {
		t.has = map[int64]int{}
	}
	t.has[id]++
	return true
}

func (t *turns) give(id int64) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.has[id]--; t.has[id] <= 0 {
		delete(t.has, id)
	}
}
