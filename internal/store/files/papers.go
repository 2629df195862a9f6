package files

import (
	"context"
	"fmt"
	"slices"

	"roundhouse.example/internal/store/db"
)

// Owner is what papers belong to: a vendor, contract, account or asset, by its id.
type Owner struct {
	Kind string
	ID   int64
}

// Owners are the kinds of what can have papers.
var Owners = []string{"vendor", "contract", "account", "asset"}

// table is the one that has the owner; the kinds are those of Owners.
func (o Owner) table() string {
	if i := slices.Index(Owners, o.Kind); i >= 0 {
		return Owners[i]
	}
	panic(fmt.Sprintf("%q has no papers", o.Kind))
}

// column is the one of a paper that names its owner.
func (o Owner) column() string { return "f." + o.table() + "_id" }

// OwnerOf is what a paper belongs to.
func (f File) OwnerOf() Owner {
	for i, id := range []*int64{f.VendorID, f.ContractID, f.AccountID, f.AssetID} {
		if id != nil {
			return Owner{Owners[i], *id}
		}
	}
	return Owner{}
}

// Belong says whose paper a file is.
func (f *File) Belong(o Owner) {
	for i, id := range []**int64{&f.VendorID, &f.ContractID, &f.AccountID, &f.AssetID} {
		if Owners[i] == o.Kind {
			*id = &o.ID
		}
	}
}

// VendorOf is the vendor of what has papers; db.ErrNotFound where it is not there.
func VendorOf(ctx context.Context, q db.Querier, o Owner) (vendor int64, err error) {
	what := "vendor_id"
	if o.Kind == "vendor" {
		what = "id"
	}
	return vendor, db.One(q.GetContext(ctx, &vendor, "select "+what+" from "+o.table()+" where id = $1", o.ID))
}

// LockOwner takes what has papers, so that one at a time gives them their numbers.
func LockOwner(ctx context.Context, t *db.Tx, o Owner) error {
	var id int64
	return db.One(t.GetContext(ctx, &id, "select id from "+o.table()+" where id = $1 for no key update", o.ID))
}

// Papers are those of something that have arrived, in order.
func Papers(ctx context.Context, q db.Querier, o Owner) (out []File, err error) {
	return out, q.SelectContext(ctx, &out, columns+"where "+o.column()+" = $1 and f.number is not null order by f.number",
		o.ID)
}

// Paper is one by its number; db.ErrNotFound where there is none.
func Paper(ctx context.Context, q db.Querier, o Owner, number int) (f File, err error) {
	return f, db.One(q.GetContext(ctx, &f, columns+"where "+o.column()+" = $1 and f.number = $2", o.ID, number))
}

// NextPaper is the number of the next. What has them is locked.
func NextPaper(ctx context.Context, q db.Querier, o Owner) (n int, err error) {
	return n, q.GetContext(ctx, &n, "select coalesce(max(f.number), 0) + 1 from file f where "+o.column()+" = $1", o.ID)
}
