// Package cases is what people do with a case: open, file, write, park, accept. Each change
// takes the case's row, lets core decide, writes entries and what follows from them, and puts
// what must leave on its way, in one transaction.
package cases

import (
	"context"
	"time"

	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/filing"
	"roundhouse.example/internal/desk/hours"
	"roundhouse.example/internal/desk/leaving"
	"roundhouse.example/internal/desk/notify"
	"roundhouse.example/internal/desk/record"
	"roundhouse.example/internal/desk/secrets"
	"roundhouse.example/internal/desk/today"
	"roundhouse.example/internal/store/db"
)

// Cases is the subject. Use New.
type Cases struct {
	*desk.Desk
	db      *db.Store
	hours   *hours.Hours
	secrets *secrets.Secrets
	leaving *leaving.Leaving
	filing  *filing.Filing
	today   *today.Today
	record  *record.Record
	notify  *notify.Notify
	// OnNumber takes up what waited for a case's number with its vendor; filed is when the
	// filing took effect.
	OnNumber func(ctx context.Context, w *Work, reference string, filed *time.Time) error
}

// New makes the subject over a desk's database.
func New(d *desk.Desk, db *db.Store, h *hours.Hours, s *secrets.Secrets, l *leaving.Leaving, f *filing.Filing,
	t *today.Today, r *record.Record, n *notify.Notify) *Cases {
	return &Cases{Desk: d, db: db, hours: h, secrets: s, leaving: l, filing: f, today: t, record: r,
		notify: n}
}
