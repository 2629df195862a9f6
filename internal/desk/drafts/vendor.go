package drafts

import (
	"context"

	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	registerdb "roundhouse.example/internal/store/register"
)

// moveTo gives a draft to another vendor. What it is about stays where that is the new vendor's too: a reseller's case
// is about the maker's things.
func (w *work) moveTo(ctx context.Context, ch Edit) error {
	c := w.Case
	if ch.Vendor == nil && ch.Maker == nil {
		return nil
	}
	v, err := w.Vendor(ctx)
	if err != nil {
		return err
	}
	before := v
	if ch.Vendor != nil {
		if v, err = vendorNamed(ctx, w.Tx, *ch.Vendor); err != nil {
			return err
		}
	}
	named := ""
	if ch.Maker != nil {
		named = *ch.Maker
	} else if before.Profile.V.Through == v.Key {
		named = before.Key
	}
	maker, err := makerOf(ctx, w.Tx, v, named, c.AssetID)
	if err != nil {
		return err
	}
	if c.MakerID = maker; ch.Maker != nil && *ch.Maker == "" {
		c.MakerID = nil
	}
	if v.ID == c.VendorID {
		return nil
	}
	c.VendorID, c.ContractID, c.Unsorted.V.Vendor = v.ID, nil, ""
	w.Moved()
	if err := w.keepWhatFits(ctx); err != nil {
		return err
	}
	return casesdb.MoveReferences(ctx, w.Tx, c)
}

// keepWhatFits lets go of an asset and an account that are neither the vendor's nor the maker's.
func (w *work) keepWhatFits(ctx context.Context) error {
	b, err := w.d.filing.BelongingsOf(ctx, w.Tx, w.Case)
	if err != nil {
		return err
	}
	c := w.Case
	if b.Asset != nil && !c.Concerns(b.Asset.VendorID) {
		c.AssetID = nil
	}
	if b.Account != nil && !c.Concerns(b.Account.VendorID) {
		c.AccountID = nil
	}
	return onlyAccount(ctx, w.Tx, c)
}

// onlyAccount takes the account that we have with the vendor, or with the maker behind it, where there is only one.
func onlyAccount(ctx context.Context, tx *db.Tx, c *casesdb.Case) (err error) {
	if c.AccountID != nil {
		return nil
	}
	of := c.VendorID
	if c.MakerID != nil {
		of = *c.MakerID
	}
	c.AccountID, err = registerdb.OnlyAccount(ctx, tx, of)
	return err
}
