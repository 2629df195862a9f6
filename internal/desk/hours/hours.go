// Package hours keeps calendars, promises and our own policy, compiled so that core can count
// in them.
package hours

import (
	"roundhouse.example/internal/store/db"

	"roundhouse.example/internal/desk"
)

// Hours is the subject. Use New.
type Hours struct {
	*desk.Desk
	db       *db.Store
	compiled *compiler
}

// New makes the subject over a desk's database.
func New(d *desk.Desk, db *db.Store) *Hours {
	return &Hours{Desk: d, db: db, compiled: &compiler{}}
}
