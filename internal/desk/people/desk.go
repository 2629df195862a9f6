// Package people knows who works at the desk: how they sign in, their tokens, what of each
// vendor depends on them.
package people

import (
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/hours"
	"roundhouse.example/internal/store/db"
)

// People is the subject. Use New.
type People struct {
	*desk.Desk
	db    *db.Store
	hours *hours.Hours
}

// New makes the subject over a desk's database.
func New(d *desk.Desk, db *db.Store, h *hours.Hours) *People {
	return &People{Desk: d, db: db, hours: h}
}
