// Package hours keeps calendars, promises and our own policy, compiled so that core can count
// in them.
package hours

import (
	"context"

	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/store"
)

// Hours is the subject. Use New.
type Hours struct {
	*desk.Desk
	db       *store.Store
	compiled *compiler
	// Rebuild writes the caches of cases anew, after the hours that they count in have changed.
	Rebuild func(ctx context.Context, cases []int64) error
}

// New makes the subject over a desk's database.
func New(d *desk.Desk, db *store.Store) *Hours {
	return &Hours{Desk: d, db: db, compiled: &compiler{}}
}
