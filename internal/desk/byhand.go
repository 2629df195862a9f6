package desk

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/store"
)

// route is how something goes to the vendor of a case that is filed.
func (w *work) route(ctx context.Context, wanted string) (string, error) {
	return w.routeFor(ctx, wanted, nil)
}

// routeFor is route for something that the vendor takes by some channels only; none: by any.
func (w *work) routeFor(ctx context.Context, wanted string, only []string) (string, error) {
	v, err := store.VendorByID(ctx, w.tx, w.c.VendorID)
	if err != nil {
		return "", err
	}
	_, err = store.LinkOf(ctx, w.tx, w.c.VendorID)
	linked := err == nil
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return "", err
	}
	refs, err := store.References(ctx, w.tx, []int64{w.c.ID})
	if err != nil {
		return "", err
	}
	sent, err := store.Deliveries(ctx, w.tx, w.c.ID)
	if err != nil {
		return "", err
	}
	routes := ways(v, linked, refs, sent)
	if len(only) > 0 {
		routes = slices.DeleteFunc(routes, func(r string) bool { return !slices.Contains(only, r) })
	}
	return pickRoute(routes, wanted)
}

// looksRight refuses a number that is not written as the vendor writes its own.
func (w *work) looksRight(ctx context.Context, reference string) error {
	if reference = strings.TrimSpace(reference); reference == "" {
		return nil
	}
	v, err := store.VendorByID(ctx, w.tx, w.c.VendorID)
	if err != nil {
		return err
	}
	if v.Profile.V.LooksRight(reference) {
		return nil
	}
	return invalid("reference", "%.60q does not look like a number of %s, which are written like %s; if they write them otherwise now, change that at the vendor", reference, v.Name, v.Profile.V.ReferencePattern)
}

// bring writes down the number that the vendor gave, where it came after the filing.
func (w *work) bring(ctx context.Context, reference string) error {
	reference = strings.TrimSpace(reference)
	if !casework.State(w.c.State).Live() {
		return invalid("reference", "a case that is %s has no number with the vendor yet; it comes with the filing", w.c.State)
	}
	if reference == "" {
		return invalid("reference", "give the number that the vendor gave it")
	}
	if err := w.looksRight(ctx, reference); err != nil {
		return err
	}
	other, err := store.CaseByReference(ctx, w.tx, w.c.VendorID, reference)
	switch {
	case err == nil && other == w.c.ID:
		return nil
	case err == nil:
		return invalid("reference", "another case of this vendor has %s already", reference)
	case !errors.Is(err, store.ErrNotFound):
		return err
	}
	refs, err := store.References(ctx, w.tx, []int64{w.c.ID})
	if err != nil {
		return err
	}
	text := "Their number is " + reference + "."
	for _, r := range refs {
		if r.Whose == "vendor" {
			text = fmt.Sprintf("Their number is %s, corrected from %s.", reference, r.Value)
		}
	}
	if err := w.tx.SetReference(ctx, w.c, "vendor", reference); err != nil {
		return err
	}
	w.renumbered = true
	if _, err := w.changed(ctx, text, nil); err != nil {
		return err
	}
	return w.numbered(ctx, reference, w.c.FiledAt)
}
