package files

import (
	"context"
	"os"
	"slices"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/enclosing"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	filesdb "roundhouse.example/internal/store/files"
	registerdb "roundhouse.example/internal/store/register"
)

// find is db.ErrNotFound for a case that is not there or that the person does not see.
func (d *Files) find(ctx context.Context, a desk.Actor, name string) (c casesdb.Case, err error) {
	id, err := casesdb.Find(ctx, d.db.DB, name)
	if err != nil {
		return c, err
	}
	c, err = casesdb.ByID(ctx, d.db.DB, id)
	if err == nil && !a.Grant().SeesVendor(c.VendorID) {
		err = db.ErrNotFound
	}
	return c, err
}

func sees(a desk.Actor, c casesdb.Case, f File) bool {
	return enclosing.Sees(a, &c, f.Sensitive, f.AddedBy)
}

// Listing is the files of a case that a person sees, how they go to its vendor, and those that the vendor wants.
type Listing struct {
	Leaving
	Files  []File
	Hidden int // how many there are besides
	Wanted []WantedFile
}

// List lists the files of a case.
func (d *Files) List(ctx context.Context, a desk.Actor, caseName string) (l Listing, err error) {
	c, err := d.read(ctx, a, caseName)
	if err != nil {
		return l, err
	}
	if l.Files, l.Hidden, err = d.seen(ctx, a, c); err != nil {
		return l, err
	}
	v, err := registerdb.VendorByID(ctx, d.db.DB, c.VendorID)
	if err != nil {
		return l, err
	}
	if l.Leaving, err = d.leavingOf(ctx, c, v); err != nil {
		return l, err
	}
	l.Wanted, err = enclosing.WantedFiles(ctx, d.db.DB, v.Profile.V, &c)
	return l, err
}

// seen are the files of a case that the person sees, and how many there are besides.
func (d *Files) seen(ctx context.Context, a desk.Actor, c casesdb.Case) (list []File, hidden int, err error) {
	all, err := filesdb.OfCase(ctx, d.db.DB, c.ID)
	list = slices.DeleteFunc(all, func(f File) bool { return !sees(a, c, f) })
	return list, len(all) - len(list), err
}

func (d *Files) read(ctx context.Context, a desk.Actor, caseName string) (casesdb.Case, error) {
	if err := a.May(access.Read); err != nil {
		return casesdb.Case{}, err
	}
	return d.find(ctx, a, caseName)
}

// Show is a file of a case, as One is, and how it goes to the vendor.
func (d *Files) Show(ctx context.Context, a desk.Actor, caseName string, number int) (f File, l Leaving, err error) {
	c, err := d.read(ctx, a, caseName)
	if err != nil {
		return f, l, err
	}
	if f, err = d.one(ctx, a, c, number); err != nil {
		return f, l, err
	}
	v, err := registerdb.VendorByID(ctx, d.db.DB, c.VendorID)
	if err != nil {
		return f, l, err
	}
	l, err = d.leavingOf(ctx, c, v)
	return f, l, err
}

// One is a file of a case by its number; a sensitive one that the person does not see is not there.
func (d *Files) One(ctx context.Context, a desk.Actor, caseName string, number int) (f File, err error) {
	c, err := d.read(ctx, a, caseName)
	if err != nil {
		return f, err
	}
	return d.one(ctx, a, c, number)
}

func (d *Files) one(ctx context.Context, a desk.Actor, c casesdb.Case, number int) (File, error) {
	f, err := filesdb.ByNumber(ctx, d.db.DB, c.ID, number)
	if err == nil && !sees(a, c, f) {
		err = db.ErrNotFound
	}
	return f, err
}

// Content opens a file of a case.
func (d *Files) Content(ctx context.Context, a desk.Actor, caseName string, number int) (f File, content *os.File,
	err error) {
	if f, err = d.One(ctx, a, caseName, number); err == nil {
		content, err = d.open(f)
	}
	return f, content, err
}

// open is ErrRemoved where the content of a file was removed.
func (d *Files) open(f File) (*os.File, error) {
	if f.RemovedAt != nil {
		return nil, ErrRemoved
	}
	return d.Bytes(f.Key)
}

// Bytes opens what is kept under a key, for those who take it to a vendor.
func (d *Files) Bytes(key string) (*os.File, error) {
	if d.folder == nil {
		return nil, ErrNoFolder
	}
	return d.folder.Open(key)
}
