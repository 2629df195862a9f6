package whole

import (
	"context"
	"errors"
)

// Sweep finds what time has made due: deliveries whose turn has come or whose attempt nobody ended, uploads whose
// end nobody saw, cases to come back from parking or whose standing has changed, what our people are to be told,
// and what need not be kept any longer. It wakes the workers and returns how many things it found.
func (d *Desk) Sweep(ctx context.Context) (int, error) {
	due, err := d.Outbox.WakeDue(ctx)
	if err != nil {
		return 0, err
	}
	woken, err := d.Waking.Due(ctx)
	told, failed := d.Notify.Sweep(ctx)
	return due + woken + told, errors.Join(err, failed, d.People.Forget(ctx), d.Inbox.Forget(ctx), d.Files.Sweep(ctx))
}
