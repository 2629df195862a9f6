package db

import (
	"context"
	"errors"
	"sync/atomic"

	"github.com/jackc/pgx/v5/pgconn"
)

// Outcome says what became of the changes that were made under a context. An answer that
// comes too late to say it itself says this instead.
type Outcome struct{ state atomic.Int32 }

const (
	nothingDone = iota
	notKnown
	changesDone
)

type outcomeKey struct{}

// WithOutcome lets the transactions of a context note what becomes of them.
func WithOutcome(ctx context.Context) context.Context {
	return context.WithValue(ctx, outcomeKey{}, &Outcome{})
}

func outcomeOf(ctx context.Context) *Outcome {
	o, _ := ctx.Value(outcomeKey{}).(*Outcome)
	return o
}

// Done says whether a transaction of the context is committed for certain.
func Done(ctx context.Context) bool {
	o := outcomeOf(ctx)
	return o != nil && o.state.Load() == changesDone
}

// Unknown says whether nobody can tell if a transaction of the context is committed.
func Unknown(ctx context.Context) bool {
	o := outcomeOf(ctx)
	return o != nil && o.state.Load() == notKnown
}

// noted keeps how a commit ended. The database's own no is definite; a line that broke, or
// time that ran out while it answered, says nothing.
func noted(ctx context.Context, err error) {
	o := outcomeOf(ctx)
	if o == nil {
		return
	}
	var no *pgconn.PgError
	switch {
	case err == nil:
		o.state.Store(changesDone)
	case !errors.As(err, &no) || no.Code[:2] == "57": // of a server that goes down, too
		o.state.CompareAndSwap(nothingDone, notKnown)
	}
}
