// Package exchange imports and exports vendors' packs and tables: all of it or nothing,
// and said beforehand.
package exchange

import (
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/drafts"
	"roundhouse.example/internal/desk/hours"
	"roundhouse.example/internal/desk/people"
	registry "roundhouse.example/internal/desk/register"
	"roundhouse.example/internal/store/db"
)

// Exchange is the subject. Use New.
type Exchange struct {
	*desk.Desk
	db       *db.Store
	hours    *hours.Hours
	register *registry.Register
	people   *people.People
	drafts   *drafts.Drafts
}

// New makes the subject over a desk's database.
func New(d *desk.Desk, db *db.Store, h *hours.Hours, r *registry.Register, p *people.People,
	dr *drafts.Drafts) *Exchange {
	return &Exchange{Desk: d, db: db, hours: h, register: r, people: p, drafts: dr}
}
