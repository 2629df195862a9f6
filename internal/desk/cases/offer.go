package cases

import (
	"context"
	"fmt"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/desk"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
)

func (w *Work) markOffer(ctx context.Context, r StepRequest) error {
	if r.Offers != deadline.OfferWorkaround && r.Offers != deadline.OfferFix {
		return desk.Fault("offers", "say what was offered: workaround or fix")
	}
	e, err := casesdb.EntryByNumber(ctx, w.Tx, w.Case.ID, r.Entry)
	if err != nil || e.Effect.V == nil || e.Effect.V.Event != deadline.VendorMessage || e.Automatic {
		return desk.Fault("entry", "entry %d is not a message from the vendor, or is an automatic one", r.Entry)
	}
	if w.Case.State == casework.FixOffered {
		return &casework.Refusal{Step: r.Step, Why: "Another fix is being verified: accept or reject it first."}
	}
	_, err = w.Add(ctx, casesdb.Entry{Kind: casework.Change, RefersTo: &e.Number,
		Body:   fmt.Sprintf("A %s was offered in entry %d.", r.Offers, e.Number),
		Effect: db.JSON[*casesdb.Effect]{V: &casesdb.Effect{Event: deadline.Offered, Offers: r.Offers, Of: &e.HappenedAt}}})
	return err
}
