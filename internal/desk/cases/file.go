package cases

import (
	"context"
	"errors"
	"fmt"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/intake"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/filing"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	hoursdb "roundhouse.example/internal/store/hours"
	outboxdb "roundhouse.example/internal/store/outbox"
)

// termsNow are the terms in force today for the case's contract, and our own.
func (w *Work) termsNow(ctx context.Context) (terms, policy int64, err error) {
	if w.Case.ContractID != nil {
		t, err := hoursdb.CurrentTerms(ctx, w.Tx, w.Case.ContractID)
		if err != nil && !errors.Is(err, db.ErrNotFound) {
			return 0, 0, err
		}
		terms = t.ID
	}
	g, err := w.d.hours.Compiled(ctx, w.Tx)
	if err != nil {
		return 0, 0, err
	}
	p, err := g.Policy(ctx, w.Tx, 0)
	if err != nil {
		return 0, 0, err
	}
	return terms, p.TermsID, nil
}

func (w *Work) file(ctx context.Context, wanted filing.Wanted) error {
	f, err := w.d.filing.Prepare(ctx, w.Tx, w.Case)
	if err != nil {
		return err
	}
	var fields []desk.Field
	for _, n := range intake.Missing(f.Story) {
		if n.Required {
			fields = append(fields, desk.Field{Name: n.Field, Detail: n.Text})
		}
	}
	if f.Level == nil && w.Case.Severity != nil {
		fields = append(fields, desk.Field{Name: "vendor",
			Detail: fmt.Sprintf("no level of the vendor maps to severity %d", *w.Case.Severity)})
	}
	if len(fields) > 0 {
		return &desk.Invalid{Fields: fields}
	}
	via, err := filing.PickRoute(f.Routes(), wanted)
	if err != nil {
		return err
	}
	terms, policy, err := w.termsNow(ctx)
	if err != nil {
		return err
	}
	ticket, err := w.KnownAs(ctx, casework.OurTicket)
	if err != nil {
		return err
	}
	effect := &casesdb.Effect{Event: deadline.Filed, Sets: &casesdb.Sets{Title: &w.Case.Title, Ticket: &ticket,
		Told: w.Case.LastEntry},
		Severity: *w.Case.Severity, Level: f.Level.Rank, TermsID: terms, PolicyID: policy, Kind: w.Case.Kind,
		Channel: via.Kind, Country: f.Country(), ClosesDays: f.Vendor.Profile.V.ClosesAfterDays}
	_, err = w.send(ctx, via, "open", casework.File, intake.Compose(f.Story), effect,
		outboxdb.Params{Level: f.Level.Label})
	return err
}
