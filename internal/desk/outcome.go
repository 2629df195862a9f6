package desk

import (
	"context"

	"roundhouse.example/internal/store/db"
)

// ErrNotFound is returned where what was asked for is not there.
var ErrNotFound = db.ErrNotFound

// WithOutcome lets the changes that are made under a context note what becomes of them.
func WithOutcome(ctx context.Context) context.Context { return db.WithOutcome(ctx) }

// Done says whether a change of the context is kept for certain.
func Done(ctx context.Context) bool { return db.Done(ctx) }

// Unknown says whether nobody can tell if a change of the context is kept.
func Unknown(ctx context.Context) bool { return db.Unknown(ctx) }

// Unavailable says whether an error means that the desk cannot reach its records just now.
func Unavailable(err error) bool { return db.Unavailable(err) }
