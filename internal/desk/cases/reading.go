package cases

import (
	"context"

	"roundhouse.example/internal/core/casework"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	inboxdb "roundhouse.example/internal/store/inbox"
	registerdb "roundhouse.example/internal/store/register"
)

// once is something that a change reads at most once.
type once[T any] struct {
	read bool
	v    T
	err  error
}

func (o *once[T]) get(read func() (T, error)) (T, error) {
	if !o.read {
		o.v, o.err = read()
		o.read = o.err == nil || o.err == db.ErrNotFound
	}
	return o.v, o.err
}

// Moved says that the case is with another vendor now: what was read of the one before is not true of it.
func (w *Work) Moved() {
	w.vendor.read, w.links.read, w.scheme.read, w.references.read, w.hide = false, false, false, false, nil
}

// Vendor is the case's vendor.
func (w *Work) Vendor(ctx context.Context) (registerdb.Vendor, error) {
	return w.vendor.get(func() (registerdb.Vendor, error) { return registerdb.VendorByID(ctx, w.Tx, w.Case.VendorID) })
}

// Links are the vendor's, the usual one first.
func (w *Work) Links(ctx context.Context) ([]inboxdb.VendorLink, error) {
	return w.links.get(func() ([]inboxdb.VendorLink, error) { return inboxdb.LinksOf(ctx, w.Tx, w.Case.VendorID) })
}

func (w *Work) levels(ctx context.Context) ([]registerdb.Level, error) {
	return w.scheme.get(func() ([]registerdb.Level, error) { return registerdb.Levels(ctx, w.Tx, w.Case.VendorID) })
}

// References are the numbers of the case as they are now.
func (w *Work) References(ctx context.Context) ([]casesdb.Reference, error) {
	return w.references.get(func() ([]casesdb.Reference, error) {
		return casesdb.References(ctx, w.Tx, []int64{w.Case.ID})
	})
}

// KnownAs is the number by which somebody knows the case now; empty for none.
func (w *Work) KnownAs(ctx context.Context, owner casework.Owner) (string, error) {
	refs, err := w.References(ctx)
	return casesdb.NumberOf(refs, owner), err
}

// SetReference makes a number the one that somebody has for the case; an empty one takes it out.
func (w *Work) SetReference(ctx context.Context, whose, value string) error {
	w.references.read = false
	return casesdb.SetReference(ctx, w.Tx, w.Case, whose, value)
}
