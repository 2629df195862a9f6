package cases

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/pattern"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/core/words"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/filing"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	outboxdb "roundhouse.example/internal/store/outbox"
)

// route is how something goes to the vendor of a case that is filed.
func (w *Work) route(ctx context.Context, wanted filing.Wanted) (route.Route, error) {
	return w.routeFor(ctx, wanted, nil)
}

// routeFor is route for something that the vendor takes by some channels only; none: by any.
func (w *Work) routeFor(ctx context.Context, wanted filing.Wanted, only []route.Kind) (none route.Route, err error) {
	v, err := w.Vendor(ctx)
	if err != nil {
		return none, err
	}
	links, err := w.Links(ctx)
	if err != nil {
		return none, err
	}
	refs, err := w.References(ctx)
	if err != nil {
		return none, err
	}
	sent, err := outboxdb.Of(ctx, w.Tx, w.Case.ID)
	if err != nil {
		return none, err
	}
	routes := filing.Ways(w.Case.Urgent(), v, links, refs, sent)
	if len(only) > 0 {
		routes = slices.DeleteFunc(routes, func(r route.Route) bool { return !slices.Contains(only, r.Kind) })
	}
	return filing.PickRoute(routes, wanted)
}

// behind is the route of a step: the usual one, or behind a step that waits for a person the same way as that.
func (w *Work) behind(ctx context.Context, wanted filing.Wanted, only []route.Kind) (none route.Route, err error) {
	open, err := outboxdb.Open(ctx, w.Tx, []int64{w.Case.ID})
	if err != nil {
		return none, err
	}
	for _, o := range slices.Backward(open) {
		if o.Step == "" || o.State != casework.SendingToSend {
			continue
		}
		via := o.Route()
		if wanted.Channel != "" && wanted.Channel != via.Kind || len(only) > 0 && !slices.Contains(only, via.Kind) {
			return none, desk.Fault("channel", "entry %d, which you send %s, comes first: mark it as sent, or send this one "+
				"the same way", o.EntryNumber, words.By(string(via.Kind)))
		}
		return via, nil
	}
	return w.routeFor(ctx, wanted, only)
}

// LooksRight refuses a number that is not written as the vendor writes its own.
func (w *Work) LooksRight(ctx context.Context, reference string) error {
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
func (w *Work) Bring(ctx context.Context, reference string) error {
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
	if err := w.LooksRight(ctx, reference); err != nil {
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
	w.renumbered = true
	if _, err := w.Changed(ctx, text,
		&casesdb.Effect{Sets: &casesdb.Sets{Reference: &reference, Numbers: numbers}}); err != nil {
		return err
	}
	return w.Numbered(ctx, reference, w.Case.FiledAt)
}
