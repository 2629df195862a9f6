// Package secrets keeps secrets in the vault, shows them to those who may see them, and sees
// that none leaves or enters a text in clear.
package secrets

import (
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/store/db"
	"roundhouse.example/internal/vault"
)

// Secrets is the subject. Use New.
type Secrets struct {
	*desk.Desk
	db    *db.Store
	vault *vault.Ring // nil without a key
}

// New makes the subject over a desk's database. It is locked until it is given keys.
func New(d *desk.Desk, db *db.Store) *Secrets { return &Secrets{Desk: d, db: db} }
