package desk

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/intake"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/store"
)

// routes are the channels by which a case can be filed as it is graded.
func (f *filing) routes() []string {
	var level []string
	if f.level != nil {
		level = f.level.Channels.V
	}
	return f.vendor.Profile.V.Routes(f.link != nil, level)
}

func pickRoute(routes []string, wanted string) (string, error) {
	switch {
	case len(routes) == 0:
		return "", invalid("channel", "the vendor has no way by which this can go; enter one at the vendor, such as its portal or phone")
	case wanted == "":
		return routes[0], nil
	case !slices.Contains(routes, wanted):
		return "", invalid("channel", "this does not go by %s here; it goes by %s", wanted, strings.Join(routes, ", "))
	}
	return wanted, nil
}

// ways are the channels by which something can go to the vendor of a case that is
// filed, the usual one first: its link where that knows the case, else the one by
// which the last thing went.
func ways(v store.Vendor, linked bool, refs []store.Reference, sent []store.Delivery) []string {
	routes := v.Profile.V.Routes(linked, nil)
	if linked && slices.ContainsFunc(refs, func(r store.Reference) bool { return r.Whose == "vendor" }) {
		return routes
	}
	for _, d := range slices.Backward(sent) {
		if i := slices.Index(routes, d.Channel); i >= 0 {
			return append([]string{d.Channel}, slices.Delete(routes, i, i+1)...)
		}
	}
	return routes
}

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

// takeByHand gives what cannot go by itself to a person.
func (w *work) takeByHand(ctx context.Context, del *store.Delivery, wanted string) error {
	v, err := store.VendorByID(ctx, w.tx, w.c.VendorID)
	if err != nil {
		return err
	}
	via, err := pickRoute(v.Profile.V.Routes(false, nil), wanted)
	if err != nil {
		return err
	}
	text := fmt.Sprintf("Entry %d is taken there by hand: %s.", del.EntryNumber, via)
	if del.State == Unsure {
		text += " It may be a repeat."
	}
	del.State, del.Channel, del.NextAt, del.NeedsPerson, del.Problem = ByHand, via, nil, true, ""
	if err := w.tx.SaveDelivery(ctx, del); err != nil {
		return err
	}
	_, err = w.add(ctx, store.Entry{Kind: "change", RefersTo: &del.EntryNumber, Body: text})
	return err
}

// Carried is what a person takes to the vendor: the words, and where to.
type Carried struct {
	Text string
	Ways []register.Way
}

// carried are those of a case's deliveries that wait for a person, by id.
func (d *Desk) carried(ctx context.Context, c *store.Case, v store.Vendor, open []store.Delivery, reference string) (map[int64]Carried, error) {
	out := map[int64]Carried{}
	for _, o := range open {
		if o.State != ByHand {
			continue
		}
		e, err := store.EntryByNumber(ctx, d.Store.DB, c.ID, o.EntryNumber)
		if err != nil {
			return nil, err
		}
		urgent := c.Severity != nil && *c.Severity == 1
		out[o.ID] = Carried{intake.ByHand(o.Action == "open", c.Title, reference, e.Body), v.Profile.V.WaysBy(o.Channel, urgent)}
	}
	return out, nil
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
	return w.placeWaiting(ctx, reference, w.c.FiledAt)
}
