// Package today says what needs doing next, and lists cases with how they stand.
package today

import (
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/hours"
	"roundhouse.example/internal/desk/record"
	registry "roundhouse.example/internal/desk/register"
	"roundhouse.example/internal/desk/rota"
	"roundhouse.example/internal/store/db"
)

// Today is the subject. Use New.
type Today struct {
	*desk.Desk
	db       *db.Store
	hours    *hours.Hours
	register *registry.Register
	rota     *rota.Rota
	record   *record.Record
	board    board
}

// New makes the subject over a desk's database.
func New(d *desk.Desk, db *db.Store, h *hours.Hours, r *registry.Register, ro *rota.Rota,
	rec *record.Record) *Today {
	return &Today{Desk: d, db: db, hours: h, register: r, rota: ro, record: rec}
}
