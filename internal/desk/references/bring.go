package references

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/pattern"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
)

// LooksRight refuses a number that is not written as the vendor writes its own.
func LooksRight(ctx context.Context, w *cases.Work, reference string) error {
	if reference = strings.TrimSpace(reference); reference == "" {
		return nil
	}
	v, err := w.Vendor(ctx)
	if err != nil {
		return err
	}
	if v.Profile.V.LooksRight(reference) {
		return nil
	}
	like := "match " + v.Profile.V.ReferencePattern
	if example := pattern.Example(v.Profile.V.ReferencePattern); example != "" {
		like = "look like " + example
	}
	return desk.Fault("reference",
		"%.60q does not look like a reference of %s (they %s); if its references have changed, change the pattern at the "+
			"vendor", reference, v.Name, like)
}

// Bring writes down the number that the vendor gave, where it came after the filing.
func Bring(ctx context.Context, w *cases.Work, reference string) error {
	reference = strings.TrimSpace(reference)
	switch {
	case w.Case.State == casework.Draft:
		return desk.Fault("reference", "a draft has no vendor reference yet; it comes with the filing")
	case !w.Case.State.Live():
		return desk.Fault("reference", "this is %s: it keeps its vendor reference", w.Case.State.Called())
	}
	if reference == "" {
		return desk.Fault("reference", "give the vendor reference")
	}
	if err := LooksRight(ctx, w, reference); err != nil {
		return err
	}
	other, err := casesdb.CurrentReference(ctx, w.Tx, w.Case.VendorID, reference)
	switch {
	case err == nil && other == w.Case.ID:
		return nil
	case err == nil:
		return desk.Fault("reference", "another case with this vendor already has %s", reference)
	case !errors.Is(err, db.ErrNotFound):
		return err
	}
	before, err := w.KnownAs(ctx, casework.Vendors)
	if err != nil {
		return err
	}
	text := "Vendor reference: " + reference + "."
	if before != "" {
		text = fmt.Sprintf("Vendor reference: %s, corrected from %s.", reference, before)
	}
	numbers, err := w.SetFirst(ctx, casework.Vendors, reference)
	if err != nil {
		return err
	}
	w.Renumbered()
	if _, err := w.Changed(ctx, text,
		&casesdb.Effect{Sets: &casesdb.Sets{Reference: &reference, Numbers: numbers}}); err != nil {
		return err
	}
	return w.Numbered(ctx, reference, w.Case.FiledAt)
}
