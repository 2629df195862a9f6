package pages

import (
	"context"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/enclosing"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	filesdb "roundhouse.example/internal/store/files"
)

// withFiles says what the routes take of files, and which go with what is on its way.
func (d *Pages) withFiles(ctx context.Context, q db.Querier, a desk.Actor, c *casesdb.Case, v *View) error {
	for _, r := range v.Routes {
		limit, err := d.filing.FilesBy(ctx, q, v.Filing.Vendor, r)
		if err != nil {
			return err
		}
		v.Files = append(v.Files, limit)
	}
	if c.State.Live() || c.State == casework.Draft {
		wanted, err := enclosing.WantedFiles(ctx, q, v.Filing.Vendor.Profile.V, c)
		if err != nil {
			return err
		}
		for _, w := range wanted {
			if w.Due() {
				v.FilesDue = append(v.FilesDue, w.Name)
			}
		}
	}
	if len(v.Deliveries) == 0 {
		return nil
	}
	list, err := enclosed(ctx, q, a, c)
	v.Enclosed = map[int64][]filesdb.Enclosed{}
	for _, f := range list {
		v.Enclosed[f.DeliveryID] = append(v.Enclosed[f.DeliveryID], f)
	}
	return err
}

// enclosed are the files that go with messages of a case; of those that the person does not see, no name is told.
func enclosed(ctx context.Context, q db.Querier, a desk.Actor, c *casesdb.Case) ([]filesdb.Enclosed, error) {
	list, err := filesdb.EnclosedOf(ctx, q, c.ID)
	for i, f := range list {
		if !enclosing.Sees(a, c, f.Sensitive, f.AddedBy) {
			list[i].Name, list[i].Caption = "", ""
		}
	}
	return list, err
}
