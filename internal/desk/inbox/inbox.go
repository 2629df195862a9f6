// Package inbox takes in what comes from vendors: fetches it, keeps each event once, finds its
// case, and sets aside what is nobody's yet.
package inbox

import (
	"context"
	"time"

	"roundhouse.example/internal/store/db"
	outboxdb "roundhouse.example/internal/store/outbox"

	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/outbox"
	"roundhouse.example/internal/desk/secrets"
)

// Inbox is the subject. Use New.
type Inbox struct {
	*desk.Desk
	db      *db.Store
	cases   *cases.Cases
	outbox  *outbox.Outbox
	secrets *secrets.Secrets
}

// New makes the subject over a desk's database. From then on a case that gets its vendor's
// number is given what waited for that.
func New(d *desk.Desk, db *db.Store, c *cases.Cases, o *outbox.Outbox, s *secrets.Secrets) *Inbox {
	in := &Inbox{Desk: d, db: db, cases: c, outbox: o, secrets: s}
	c.OnNumber = func(ctx context.Context, w *cases.Work, reference string, filed *time.Time) error {
		return placeWaiting(ctx, &work{w, in}, reference, filed)
	}
	return in
}

// work is a change of a case with what the inbox does in it.
type work struct {
	*cases.Work
	in *Inbox
}

// change lets the inbox work on a case.
func (in *Inbox) change(ctx context.Context, tx *db.Tx, id int64, actor *desk.Actor, fn func(*work) error) error {
	return in.cases.Change(ctx, tx, id, actor, func(w *cases.Work) error { return fn(&work{w, in}) })
}

// Arrive lets a sending take its effect: the vendor says itself that it has it.
func (w *work) Arrive(ctx context.Context, del *outboxdb.Delivery, reference string, at time.Time) error {
	return w.in.outbox.Arrive(ctx, w.Work, del, reference, at)
}
