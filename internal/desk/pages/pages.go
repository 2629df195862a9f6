// Package pages puts together what the page of a case shows: how it stands, what can be done
// and what is missing, its deadlines, its record.
package pages

import (
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/filing"
	"roundhouse.example/internal/desk/hours"
	"roundhouse.example/internal/desk/leaving"
	"roundhouse.example/internal/desk/record"
	"roundhouse.example/internal/desk/today"
	"roundhouse.example/internal/store/db"
)

// Pages is the subject. Use New.
type Pages struct {
	*desk.Desk
	db      *db.Store
	hours   *hours.Hours
	filing  *filing.Filing
	today   *today.Today
	record  *record.Record
	leaving *leaving.Leaving
}

// New makes the subject over a desk's database.
func New(d *desk.Desk, st *db.Store, h *hours.Hours, f *filing.Filing, t *today.Today, r *record.Record,
	l *leaving.Leaving) *Pages {
	return &Pages{Desk: d, db: st, hours: h, filing: f, today: t, record: r, leaving: l}
}
