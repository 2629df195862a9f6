// Package people knows who works at the desk: how they sign in, their tokens, what of each
// vendor depends on them.
package people

import (
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/hours"
	"roundhouse.example/internal/store"
)

// People is the subject. Use New.
type People struct {
	*desk.Desk
	db    *store.Store
	hours *hours.Hours
}

// New makes the subject over a desk's database.
func New(d *desk.Desk, db *store.Store, h *hours.Hours) *People {
	return &People{Desk: d, db: db, hours: h}
}
