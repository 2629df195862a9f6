package files

import (
	"context"
	"os"
	"slices"
	"strconv"
	"strings"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/store/db"
	filesdb "roundhouse.example/internal/store/files"
	registerdb "roundhouse.example/internal/store/register"
)

// paperActs are what it takes to add and remove papers, by what has them.
var paperActs = map[string]access.Act{"vendor": access.Vendors, "contract": access.Contracts,
	"account": access.Register, "asset": access.Register}

// owner is what has papers, by its kind and its id or, of a vendor, its key. One that the person does not see is not
// there.
func (d *Files) owner(ctx context.Context, a desk.Actor, kind, name string) (o filesdb.Owner, err error) {
	if !slices.Contains(filesdb.Owners, kind) {
		return o, db.ErrNotFound
	}
	o = filesdb.Owner{Kind: kind}
	if kind == "vendor" {
		v, err := registerdb.VendorByKey(ctx, d.db.DB, name)
		if err != nil {
			return o, err
		}
		o.ID = v.ID
	} else if o.ID, err = strconv.ParseInt(name, 10, 64); err != nil {
		return o, db.ErrNotFound
	}
	vendor, err := filesdb.VendorOf(ctx, d.db.DB, o)
	if err == nil && !a.Grant().SeesVendor(vendor) {
		err = db.ErrNotFound
	}
	return o, err
}

// BeginPaper makes room for a paper, which is then sent piece by piece as a file of a case is. of is its owner as
// asset/12 or vendor/tallow.
func (d *Files) BeginPaper(ctx context.Context, a desk.Actor, of string, offered Offered) (File, error) {
	kind, name, _ := strings.Cut(of, "/")
	act, known := paperActs[kind]
	if !known {
		return File{}, db.ErrNotFound
	}
	if err := a.May(act); err != nil {
		return File{}, err
	}
	if d.folder == nil {
		return File{}, ErrNoFolder
	}
	o, err := d.owner(ctx, a, kind, name)
	if err != nil {
		return File{}, err
	}
	offered.For, offered.From = "", 0
	f, err := check(offered)
	if err == nil && f.Sensitive {
		err = desk.Fault("sensitive", "everybody who reads the register sees its papers")
	}
	if err != nil {
		return File{}, err
	}
	f.AddedBy, f.BeganAt = a.ID, d.Now()
	f.Belong(o)
	return f, d.begin(ctx, &f)
}

// finishPaper gives a paper its number.
func (d *Files) finishPaper(ctx context.Context, tx *db.Tx, f *File) error {
	if err := filesdb.LockOwner(ctx, tx, f.OwnerOf()); err != nil {
		return err
	}
	now, err := filesdb.ByKey(ctx, tx, f.Key)
	if err != nil || now.ArrivedAt != nil {
		*f = now
		return err
	}
	next, err := filesdb.NextPaper(ctx, tx, f.OwnerOf())
	if err != nil {
		return err
	}
	f.Number, f.ArrivedAt = &next, new(d.Now())
	return filesdb.Arrived(ctx, tx, *f)
}

// Papers are those of a vendor, contract, account or asset.
func (d *Files) Papers(ctx context.Context, a desk.Actor, kind, name string) ([]File, error) {
	if err := a.May(access.Read); err != nil {
		return nil, err
	}
	o, err := d.owner(ctx, a, kind, name)
	if err != nil {
		return nil, err
	}
	return filesdb.Papers(ctx, d.db.DB, o)
}

func (d *Files) paper(ctx context.Context, a desk.Actor, kind, name string, number int) (f File, err error) {
	if err := a.May(access.Read); err != nil {
		return f, err
	}
	o, err := d.owner(ctx, a, kind, name)
	if err != nil {
		return f, err
	}
	return filesdb.Paper(ctx, d.db.DB, o, number)
}

// PaperContent opens a paper.
func (d *Files) PaperContent(ctx context.Context, a desk.Actor, kind, name string, number int) (f File,
	content *os.File, err error) {
	if f, err = d.paper(ctx, a, kind, name, number); err == nil {
		content, err = d.open(f)
	}
	return f, content, err
}

// RemovePaper removes the content of a paper for good; that it was there, its hash and why it was removed stay.
func (d *Files) RemovePaper(ctx context.Context, a desk.Actor, kind, name string, number int, because string) (File,
	error) {
	if err := a.May(paperActs[kind]); err != nil {
		return File{}, err
	}
	f, err := d.paper(ctx, a, kind, name, number)
	if err != nil {
		return f, err
	}
	if because, err = reasonOf(because); err != nil {
		return f, err
	}
	err = d.db.Do(ctx, func(tx *db.Tx) error {
		_, err := filesdb.Remove(ctx, tx, f.ID, a.ID, because, d.Now())
		if err == nil {
			f, err = filesdb.ByID(ctx, tx, f.ID)
		}
		return err
	})
	if err == nil {
		d.dropNow(ctx, f)
	}
	return f, err
}
