package desk

import (
	"context"
)

// Ready says whether the desk can reach its records.
func (d *Desk) Ready(ctx context.Context) error { return d.store.Pool.Ping(ctx) }

// Listen waits for what services tell each other, on a connection of its own, until that
// breaks or ctx ends. begun is called once it hears; heard is told the channel, Told,
// AccessTold or PersonTold, and the word.
func (d *Desk) Listen(ctx context.Context, begun func(), heard func(channel, word string)) error {
	pooled, err := d.store.Pool.Acquire(ctx)
	if err != nil {
		return err
	}
	conn := pooled.Hijack() // a listening connection does not go back to the pool
	defer conn.Close(context.WithoutCancel(ctx))
	if _, err := conn.Exec(ctx, "listen "+Told+"; listen "+AccessTold+"; listen "+PersonTold); err != nil {
		return err
	}
	begun()
	for {
		n, err := conn.WaitForNotification(ctx)
		if err != nil {
			return err
		}
		heard(n.Channel, n.Payload)
	}
}
