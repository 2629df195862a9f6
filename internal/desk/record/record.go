// Package record derives from what was written down in a case all that is kept beside it: its
// state, whose move it is, its deadlines and next date. It explains them, and says where what
// is stored differs.
package record

import (
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/hours"
	"roundhouse.example/internal/store/db"
)

// Record is the subject. Use New.
type Record struct {
	*desk.Desk
	db    *db.Store
	hours *hours.Hours
}

// New makes the subject over a desk's database.
func New(d *desk.Desk, st *db.Store, h *hours.Hours) *Record {
	return &Record{Desk: d, db: st, hours: h}
}
