// Package filing puts together what a vendor is told when a case is filed: what of the register
// it is about, how bad it is, at which level, by which way, and what is still missing.
package filing

import (
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/hours"
	registry "roundhouse.example/internal/desk/register"
	"roundhouse.example/internal/desk/rota"
	"roundhouse.example/internal/store/db"
)

// Filing is the subject. Use New.
type Filing struct {
	*desk.Desk
	db       *db.Store
	hours    *hours.Hours
	register *registry.Register
	rota     *rota.Rota
}

// New makes the subject over a desk's database.
func New(d *desk.Desk, db *db.Store, h *hours.Hours, r *registry.Register, ro *rota.Rota) *Filing {
	return &Filing{Desk: d, db: db, hours: h, register: r, rota: ro}
}
