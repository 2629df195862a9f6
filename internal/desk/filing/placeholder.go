package filing

import (
	"context"
	"errors"

	hoursdb "roundhouse.example/internal/store/hours"
	registerdb "roundhouse.example/internal/store/register"

	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/store/db"
)

// Placeholder is the vendor with which a case is whose vendor is not known yet. It is nobody: no list has it, nothing
// can be sent to it, and it keeps our own hours.
func (d *Filing) Placeholder(ctx context.Context, tx *db.Tx) (registerdb.Vendor, error) {
	v, err := registerdb.PlaceholderVendor(ctx, tx)
	if !errors.Is(err, db.ErrNotFound) {
		return v, err
	}
	// Two who need the first one at the same time wait for each other.
	if _, err := tx.ExecContext(ctx, "select pg_advisory_xact_lock(hashtext('placeholder vendor'))"); err != nil {
		return v, err
	}
	if v, err = registerdb.PlaceholderVendor(ctx, tx); !errors.Is(err, db.ErrNotFound) {
		return v, err
	}
	zone, err := d.hours.Zone(ctx, tx)
	if err != nil {
		return v, err
	}
	terms, err := hoursdb.CurrentTerms(ctx, tx, nil)
	if err != nil {
		return v, err
	}
	policy, err := hoursdb.Policy(ctx, tx, terms.ID)
	if err != nil {
		return v, err
	}
	v = registerdb.Vendor{Key: "not-known-yet", Name: "Vendor not known yet", Zone: zone.String(),
		HoursID: policy.CalendarID, CreatedAt: d.Now(), Placeholder: true}
	v.Profile.V = register.Vendor{Zone: v.Zone}
	return v, registerdb.AddVendor(ctx, tx, &v)
}
