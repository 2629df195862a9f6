package register

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"

	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	hoursdb "roundhouse.example/internal/store/hours"
	peopledb "roundhouse.example/internal/store/people"
	registerdb "roundhouse.example/internal/store/register"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/desk"
)

// VendorThere refuses a filter for a vendor that nobody has heard of: an empty list would say
// that it has nothing.
func (d *Register) VendorThere(ctx context.Context, key string) error {
	_, err := registerdb.VendorByKey(ctx, d.db.DB, key)
	if errors.Is(err, db.ErrNotFound) {
		return desk.Fault("vendor", "there is no vendor %.60q; the list of vendors shows them", key)
	}
	return err
}

// FactsOf puts together what is known of a vendor.
func (d *Register) FactsOf(ctx context.Context, q db.Querier, v registerdb.Vendor) (register.Vendor, error) {
	levels, err := registerdb.Levels(ctx, q, v.ID)
	if err != nil {
		return register.Vendor{}, err
	}
	return d.factsWith(ctx, q, v, levels)
}

func (d *Register) factsWith(ctx context.Context, q db.Querier, v registerdb.Vendor,
	levels []registerdb.Level) (register.Vendor, error) {
	f := v.Profile.V
	f.Key, f.Name, f.Does, f.Zone = v.Key, v.Name, v.Does, v.Zone
	g, err := d.hours.Compiled(ctx, q)
	if err != nil {
		return f, err
	}
	cal, err := g.Calendar(ctx, q, v.HoursID)
	if err != nil {
		return f, err
	}
	f.Hours = cal.Name
	f.Levels = nil
	for _, l := range levels {
		x := register.VendorLevel{Label: l.Label, Meaning: l.Meaning, Severities: l.Severities,
			RoundTheClock: l.RoundTheClock, Channels: l.Channels.V}
		for _, c := range l.Criteria {
			x.Criteria = append(x.Criteria, c.Text)
		}
		f.Levels = append(f.Levels, x)
	}
	return f, nil
}

// VendorFacts is what is known of a vendor, and at which version.
func (d *Register) VendorFacts(ctx context.Context, a desk.Actor, key string) (register.Vendor, int64, error) {
	if err := a.May(access.Read); err != nil {
		return register.Vendor{}, 0, err
	}
	v, err := registerdb.VendorByKey(ctx, d.db.DB, key)
	if err != nil {
		return register.Vendor{}, 0, err
	}
	f, err := d.FactsOf(ctx, d.db.DB, v)
	return f, v.Version, err
}

// prepareVendor checks facts, resolves what they name, and gives the levels apart.
func (d *Register) prepareVendor(ctx context.Context, q db.Querier, row *registerdb.Vendor,
	f register.Vendor) ([]registerdb.Level, error) {
	var wrong []desk.Field
	for _, x := range f.Check() {
		wrong = append(wrong, desk.Field{Name: x.Field, Detail: x.Detail})
	}
	if row.ID != 0 && row.Key != f.Key {
		wrong = append(wrong, desk.Field{Name: "key", Detail: "the key cannot be changed: cases and commands use it"})
	}
	calendars, err := hoursdb.CalendarNames(ctx, q, row.ID)
	if err != nil {
		return nil, err
	}
	named := func(field, name string) {
		if _, there := calendars[name]; name != "" && !there {
			wrong = append(wrong, desk.Field{Name: field, Detail: fmt.Sprintf("there is no calendar %.60q", name)})
		}
	}
	named("hours", f.Hours)
	for i, w := range f.Ways {
		named(fmt.Sprintf("ways[%d].calendar", i), w.Calendar)
	}
	if f.Through != "" && f.Through != f.Key {
		if _, err := registerdb.VendorByKey(ctx, q, f.Through); errors.Is(err, db.ErrNotFound) {
			wrong = append(wrong, desk.Field{Name: "through", Detail: fmt.Sprintf("there is no vendor %.60q", f.Through)})
		} else if err != nil {
			return nil, err
		}
	}
	for i, x := range f.Access {
		if _, err := peopledb.ByEmail(ctx, q, x.Person); errors.Is(err, db.ErrNotFound) {
			wrong = append(wrong, desk.Field{Name: fmt.Sprintf("access[%d].person", i),
				Detail: fmt.Sprintf("nobody here has the email address %.60q", x.Person)})
		} else if err != nil {
			return nil, err
		}
	}
	if row.ID != 0 {
		held, err := registerdb.HeldAbove(ctx, q, row.ID, len(f.Levels))
		if err != nil {
			return nil, err
		}
		if held > 0 {
			wrong = append(wrong, desk.Field{Name: "levels",
				Detail: fmt.Sprintf("%s a level that would be removed", desk.Count(held, "live case has", "live cases have"))})
		}
	}
	if len(wrong) > 0 {
		return nil, &desk.Invalid{Fields: wrong}
	}
	var levels []registerdb.Level
	for _, l := range f.Levels {
		x := registerdb.Level{Label: l.Label, Meaning: l.Meaning, RoundTheClock: l.RoundTheClock, Severities: l.Severities}
		x.Channels.V = append([]route.Kind{}, l.Channels...)
		for _, c := range l.Criteria {
			x.Criteria = append(x.Criteria, registerdb.Criterion{Text: c})
		}
		levels = append(levels, x)
	}
	row.Key, row.Name, row.Does, row.Zone, row.HoursID = f.Key, f.Name, f.Does, f.Zone, calendars[f.Hours]
	f.Key, f.Name, f.Does, f.Zone, f.Hours, f.Levels = "", "", "", "", "", nil
	row.Profile.V = f
	return levels, nil
}

// AddVendor writes a new one.
func (d *Register) AddVendor(ctx context.Context, a desk.Actor, f register.Vendor) (string, error) {
	if err := a.May(access.Vendors); err != nil {
		return "", err
	}
	return desk.Once(ctx, d.Desk, func(tx *db.Tx) (string, error) {
		return f.Key, d.WriteVendor(ctx, tx, &registerdb.Vendor{CreatedAt: d.Now()}, f)
	})
}

// WriteVendor adds a vendor, or changes the one that row is, within a transaction.
func (d *Register) WriteVendor(ctx context.Context, tx *db.Tx, row *registerdb.Vendor, f register.Vendor) error {
	levels, err := d.prepareVendor(ctx, tx, row, f)
	if err != nil {
		return err
	}
	if row.ID == 0 {
		err = registerdb.AddVendor(ctx, tx, row)
		if db.Unique(err, "vendor_key_key") {
			return desk.Fault("key", "there is already a vendor with this key")
		}
	} else {
		err = d.changeVendor(ctx, tx, row)
	}
	if err != nil {
		return err
	}
	return registerdb.SetLevels(ctx, tx, row.ID, levels)
}

// changeVendor writes what is known of a vendor. Another ladder is followed by its live cases.
func (d *Register) changeVendor(ctx context.Context, tx *db.Tx, row *registerdb.Vendor) error {
	before, err := registerdb.Ladders(ctx, tx, []int64{row.ID})
	if err != nil {
		return err
	}
	changed, err := registerdb.ChangeVendor(ctx, tx, row)
	switch {
	case err != nil:
		return err
	case !changed:
		return &desk.Stale{What: "vendor"}
	case slices.Equal(before[row.ID], row.Profile.V.Ladder):
		return nil
	}
	return casesdb.WakeVendor(ctx, tx, row.ID, d.Now())
}

// ChangeVendor applies an RFC 7396 patch to what is known of a vendor.
func (d *Register) ChangeVendor(ctx context.Context, a desk.Actor, key string, match int64, patch []byte) error {
	if err := a.May(access.Vendors); err != nil {
		return err
	}
	_, err := desk.Once(ctx, d.Desk, func(tx *db.Tx) (string, error) {
		row, err := registerdb.VendorByKey(ctx, tx, key)
		if err != nil {
			return "", err
		}
		if row.Version != match {
			return "", &desk.Stale{What: "vendor"}
		}
		return "", d.patchVendor(ctx, tx, row, patch)
	})
	return err
}

func (d *Register) patchVendor(ctx context.Context, tx *db.Tx, row registerdb.Vendor, patch []byte) error {
	f, err := d.FactsOf(ctx, tx, row)
	if err != nil {
		return err
	}
	if err := desk.Merge(&f, patch); err != nil {
		return err
	}
	return d.WriteVendor(ctx, tx, &row, f)
}

// CheckVendor says what would be wrong with a vendor, new (an empty key) or changed.
func (d *Register) CheckVendor(ctx context.Context, a desk.Actor, key string, patch []byte) error {
	if err := a.May(access.Vendors); err != nil {
		return err
	}
	return d.OnlyLook(ctx, func(tx *db.Tx) error {
		if key == "" {
			var f register.Vendor
			if err := desk.Merge(&f, patch); err != nil {
				return err
			}
			return d.WriteVendor(ctx, tx, &registerdb.Vendor{CreatedAt: d.Now()}, f)
		}
		row, err := registerdb.VendorByKey(ctx, tx, key)
		if err != nil {
			return err
		}
		return d.patchVendor(ctx, tx, row, patch)
	})
}

// RemoveVendor takes one out that nothing refers to.
func (d *Register) RemoveVendor(ctx context.Context, a desk.Actor, key string, match int64) error {
	if err := a.May(access.Vendors); err != nil {
		return err
	}
	return d.db.Do(ctx, func(tx *db.Tx) error {
		row, err := registerdb.VendorByKey(ctx, tx, key)
		if err != nil {
			return err
		}
		removed, err := registerdb.RemoveVendor(ctx, tx, row.ID, match)
		if table, refers := db.Refers(err); refers {
			return &desk.InUse{Why: fmt.Sprintf("The vendor was not removed: %s refer to it.",
				cmp.Or(referring[table], table+"s"))}
		}
		if err == nil && !removed {
			err = &desk.Stale{What: "vendor"}
		}
		return err
	})
}
