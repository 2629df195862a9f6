package drafts

import (
	"cmp"
	"context"
	"errors"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/filing"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	registerdb "roundhouse.example/internal/store/register"
)

// Refiling is what a case that was filed under the wrong account or contract, or with the wrong vendor, is filed again
// as. What is nil or empty stays as it was.
type Refiling struct {
	Vendor, Maker            string
	Asset, Account, Contract *int64
	Reason                   string // the vendor is told
	By                       filing.Wanted
	Disclose                 string // why what must not leave is sent all the same
}

// Refile withdraws a live case, tells its vendor why, and files it again, in one act; each names the other. Where
// something required is missing for the new one it stays a draft, and the warning says what is missing.
func (d *Drafts) Refile(ctx context.Context, a desk.Actor, id, match int64, r Refiling) (desk.Ref, error) {
	if err := a.May(access.Work); err != nil {
		return desk.Ref{}, err
	}
	if r.Vendor == "" && r.Maker == "" && r.Asset == nil && r.Account == nil && r.Contract == nil {
		return desk.Ref{}, desk.Fault("account", "say under which account or contract, or with which vendor, it belongs")
	}
	return desk.Once(ctx, d.Desk, func(tx *db.Tx) (ref desk.Ref, err error) {
		var old casesdb.Case
		ticket := ""
		err = d.cases.Change(ctx, tx, id, &a, func(w *cases.Work) error {
			if err := w.Matches(match); err != nil {
				return err
			}
			if !w.Case.State.Live() {
				return &casework.Refusal{Why: "This is " + w.Case.State.Called() + ": only a live case is filed again elsewhere."}
			}
			old = *w.Case
			var err error
			if ticket, err = w.KnownAs(ctx, casework.OurTicket); err != nil {
				return err
			}
			return w.Take(ctx, cases.StepRequest{Step: casework.Withdraw, Reason: r.Reason, Disclose: r.Disclose})
		})
		if err != nil {
			return ref, err
		}
		if ref, err = d.again(ctx, tx, a, &old, ticket, r); err != nil {
			return ref, err
		}
		err = d.cases.Change(ctx, tx, id, &a, func(w *cases.Work) error {
			_, err := w.Changed(ctx, "Filed again as "+casework.Name(ref.Number)+".",
				&casesdb.Effect{Sets: &casesdb.Sets{RefiledAs: &ref.ID}})
			return err
		})
		if err != nil {
			return ref, err
		}
		err = d.cases.Change(ctx, tx, ref.ID, &a, func(w *cases.Work) error {
			return w.Take(ctx, cases.StepRequest{Step: casework.File, Route: r.By, Disclose: r.Disclose})
		})
		var lacking *desk.Invalid
		if errors.As(err, &lacking) {
			ref.Warning, err = "It is still a draft: "+lacking.Error(), nil
		}
		return ref, err
	})
}

// again opens a draft that says what a case said, under what it belongs to.
func (d *Drafts) again(ctx context.Context, tx *db.Tx, a desk.Actor, old *casesdb.Case, ticket string,
	r Refiling) (desk.Ref, error) {
	v, err := registerdb.VendorByID(ctx, tx, old.VendorID)
	if err != nil {
		return desk.Ref{}, err
	}
	n := Draft{Vendor: cmp.Or(r.Vendor, v.Key), Maker: r.Maker, Title: old.Title, Kind: old.Kind, Facts: old.Facts.V,
		Texts: old.Texts.V, Severity: old.SeverityChosen, SeverityReason: old.SeverityBecause,
		GoOn: old.GoOnBecause, Ticket: ticket, Asset: old.AssetID, Account: old.AccountID, Contract: old.ContractID}
	to := v
	if r.Vendor != "" {
		if to, err = vendorNamed(ctx, tx, r.Vendor); err != nil {
			return desk.Ref{}, err
		}
	}
	n.Answers = stillAsked(to.Profile.V, n.Kind, old.Answers.V)
	if to.ID != v.ID { // nothing of the other vendor's
		n.Asset, n.Account, n.Contract = nil, nil, nil
	}
	if r.Account != nil && r.Contract == nil {
		n.Contract = nil // it follows
	}
	n.Asset, n.Account, n.Contract = cmp.Or(r.Asset, n.Asset), cmp.Or(r.Account, n.Account),
		cmp.Or(r.Contract, n.Contract)
	owner := cmp.Or(old.OwnerID, &a.ID)
	ref, err := d.open(ctx, tx, a, n, "Draft opened in place of "+casework.Name(old.Number)+".",
		&casesdb.Sets{Owner: owner, InsteadOf: &old.ID})
	if err != nil {
		return ref, err
	}
	return ref, casesdb.CopyConfirmations(ctx, tx, old.ID, ref.ID)
}
