package outbox

import (
	"context"

	"roundhouse.example/internal/store/db"
	outboxdb "roundhouse.example/internal/store/outbox"
)

// dueMost is how many deliveries are woken at a time.
const dueMost = 200

// WakeDue wakes the workers for deliveries whose turn has come, or whose attempt nobody ended,
// and returns how many.
func (d *Outbox) WakeDue(ctx context.Context) (int, error) {
	due, err := outboxdb.Due(ctx, d.db.DB, d.Now(), dueMost)
	if err != nil {
		return 0, err
	}
	for _, id := range due {
		if err := d.db.Do(ctx, func(tx *db.Tx) error { return d.Queue.Deliver(ctx, tx, id) }); err != nil {
			return 0, err
		}
	}
	return len(due), nil
}
