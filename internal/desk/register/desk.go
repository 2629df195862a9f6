// Package register knows vendors, and what we have from them: products, accounts, assets and
// contracts.
package register

import (
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/hours"
	"roundhouse.example/internal/store/db"
)

// Register is the subject. Use New.
type Register struct {
	*desk.Desk
	db    *db.Store
	hours *hours.Hours
}

// New makes the subject over a desk's database.
func New(d *desk.Desk, db *db.Store, h *hours.Hours) *Register {
	return &Register{Desk: d, db: db, hours: h}
}
