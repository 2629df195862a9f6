// Package outbox takes what is to go to a vendor there, once: claims it, sends it, looks it up
// where nobody can know, and lets it take its effect when it has arrived.
package outbox

import (
	"context"
	"time"

	"roundhouse.example/internal/store/db"
	outboxdb "roundhouse.example/internal/store/outbox"

	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/dates"
	"roundhouse.example/internal/desk/files"
	"roundhouse.example/internal/desk/secrets"
)

// Outbox is the subject. Use New.
type Outbox struct {
	*desk.Desk
	db      *db.Store
	cases   *cases.Cases
	secrets *secrets.Secrets
	files   *files.Files
	dates   *dates.Dates
}

// New makes the subject over a desk's database.
func New(d *desk.Desk, db *db.Store, c *cases.Cases, s *secrets.Secrets, f *files.Files, dates *dates.Dates) *Outbox {
	return &Outbox{Desk: d, db: db, cases: c, secrets: s, files: f, dates: dates}
}

// work is a change of a case with what the outbox does in it.
type work struct {
	*cases.Work
	out *Outbox
}

// change lets the outbox work on a case.
func (o *Outbox) change(ctx context.Context, tx *db.Tx, id int64, actor *desk.Actor, fn func(*work) error) error {
	return o.cases.Change(ctx, tx, id, actor, func(w *cases.Work) error { return fn(&work{w, o}) })
}

// Arrive lets a sending take its effect at the instant at which the vendor had it.
func (o *Outbox) Arrive(ctx context.Context, w *cases.Work, del *outboxdb.Delivery, reference string,
	at time.Time) error {
	return (&work{w, o}).Arrive(ctx, del, reference, at)
}
