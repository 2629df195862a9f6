package files

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/enclosing"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	filesdb "roundhouse.example/internal/store/files"
	registerdb "roundhouse.example/internal/store/register"
)

// WantedFile is a file that the vendor wants with a case, and how that stands.
type WantedFile = enclosing.WantedFile

// wants is a fault where the vendor wants no file of a name with a case.
func (d *Files) wants(ctx context.Context, c casesdb.Case, field, name string) error {
	v, err := registerdb.VendorByID(ctx, d.db.DB, c.VendorID)
	if err != nil {
		return err
	}
	list, err := enclosing.WantedFiles(ctx, d.db.DB, v.Profile.V, &c)
	if err != nil || slices.ContainsFunc(list, func(w WantedFile) bool { return w.Name == name }) {
		return err
	}
	var names []string
	for _, w := range list {
		names = append(names, w.Name)
	}
	if len(names) == 0 {
		return desk.Fault(field, "the vendor wants no files with a case of this kind")
	}
	return desk.Fault(field, "the vendor wants no file %.60q with this case; it wants: %s", name,
		strings.Join(names, "; "))
}

// Waive writes down that the vendor does not get a file that it wants, and why; without a reason, that it is wanted
// again.
func (d *Files) Waive(ctx context.Context, a desk.Actor, caseName, name, reason string) error {
	if err := a.May(access.Work); err != nil {
		return err
	}
	reason = strings.TrimSpace(reason)
	c, err := d.read(ctx, a, caseName)
	if err != nil {
		return err
	}
	if err := d.wants(ctx, c, "name", name); err != nil {
		return err
	}
	_, err = desk.Once(ctx, d.Desk, func(tx *db.Tx) (ref desk.Ref, err error) {
		return ref, d.cases.Change(ctx, tx, c.ID, &a, func(w *cases.Work) error {
			said := fmt.Sprintf("Not needed for the vendor: %s. Reason: %s", name, reason)
			if reason == "" {
				there, err := filesdb.Unwaive(ctx, tx, c.ID, name)
				if err != nil || !there {
					return err
				}
				said = fmt.Sprintf("Needed for the vendor again: %s.", name)
			} else if err := filesdb.Waive(ctx, tx, filesdb.Waiver{CaseID: c.ID, Name: name, Reason: reason, Person: a.ID,
				MadeAt: w.Now}); err != nil {
				return err
			}
			_, err := w.Changed(ctx, said, nil)
			return err
		})
	})
	return err
}
