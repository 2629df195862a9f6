package files

import (
	"context"
	"fmt"
	"strings"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/store/db"
	filesdb "roundhouse.example/internal/store/files"
)

// Edit is what people change of a file; nil leaves it as it is.
type Edit struct {
	Caption   *string
	Sensitive *bool
	For       *string // which of the files that the vendor wants it is; empty for none
}

// on changes a file, and says in words what that was; empty for nothing.
func (e Edit) on(f *File) string {
	var said []string
	if e.Caption != nil && *e.Caption != f.Caption {
		f.Caption = *e.Caption
		text := fmt.Sprintf("File %d has a new caption", *f.Number)
		if f.Sensitive || f.Caption == "" {
			said = append(said, text+".")
		} else {
			said = append(said, text+": "+f.Caption)
		}
	}
	if e.For != nil && *e.For != f.Serves {
		f.Serves = *e.For
		said = append(said, fmt.Sprintf("File %d is the %q that the vendor wants.", *f.Number, f.Serves))
		if f.Serves == "" {
			said[len(said)-1] = fmt.Sprintf("File %d is none of those that the vendor wants.", *f.Number)
		}
	}
	if e.Sensitive != nil && *e.Sensitive != f.Sensitive {
		f.Sensitive = *e.Sensitive
		said = append(said, map[bool]string{
			true:  fmt.Sprintf("File %d is sensitive now: only those on the case see it.", *f.Number),
			false: fmt.Sprintf("File %d is no longer sensitive.", *f.Number)}[f.Sensitive])
	}
	return strings.Join(said, "\n")
}

// Change changes what people say of a file, and writes that into the record. Whoever sees a file can make it sensitive,
// or say that it is not.
func (d *Files) Change(ctx context.Context, a desk.Actor, caseName string, number int, e Edit) (f File, err error) {
	if err := a.May(access.Work); err != nil {
		return f, err
	}
	c, err := d.read(ctx, a, caseName)
	if err != nil {
		return f, err
	}
	if f, err = d.one(ctx, a, c, number); err != nil {
		return f, err
	}
	if e.Caption != nil {
		if *e.Caption, err = captionOf(*e.Caption); err != nil {
			return f, err
		}
	}
	if e.For != nil && *e.For != "" && *e.For != f.Serves {
		if err := d.wants(ctx, c, "for", *e.For); err != nil {
			return f, err
		}
	}
	err = d.db.Do(ctx, func(tx *db.Tx) error {
		return d.cases.Change(ctx, tx, f.CaseID, &a, func(w *cases.Work) error {
			if f, err = filesdb.ByNumber(ctx, tx, f.CaseID, number); err != nil {
				return err
			}
			said := e.on(&f)
			if said == "" {
				return nil
			}
			if _, err := w.Changed(ctx, said, nil); err != nil {
				return err
			}
			return filesdb.Describe(ctx, tx, f)
		})
	})
	return f, err
}
