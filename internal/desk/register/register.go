package register

import (
	"context"
	"errors"
	"fmt"

	"roundhouse.example/internal/store/db"
	registerdb "roundhouse.example/internal/store/register"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/desk"
)

// Thing is one of the register's records with how it stands today.
type Thing[T any] struct {
	registerdb.Thing[T]
	// Facts are complete: what it refers to is in them by name.
	Facts T
	// Cover is an asset's, and where its number stands: on it, or on all of its product.
	Cover       register.Cover
	NumberFound string
	// Warnings are a contract's, and within how many days they come.
	Warnings []string
	Within   int
	// Doubts are what may be wrong with one shown by itself.
	Doubts []string
	// DaysLeft of a contract; negative once it has ended.
	DaysLeft int
}

// Kind is one kind of thing in the register: how it is checked, resolved and completed.
type Kind[T any] struct {
	registerdb.ThingKind
	Act   access.Act
	check func(T) []register.Fault
	// vendor is the key that the facts name.
	vendor func(*T) *string
	// resolve turns names into references and takes them out of what is stored.
	resolve func(context.Context, *Lookup, *registerdb.Thing[T], *T) ([]desk.Field, error)
	// after writes what stands in other tables.
	After func(context.Context, *Register, *Lookup, *registerdb.Thing[T], T) error
	// complete puts into the facts what stands in other tables, and how it stands on a date.
	complete func(ctx context.Context, q db.Querier, list []Thing[T], today string) error
	// told puts into the facts all that a table says of them.
	told func(context.Context, *Register, db.Querier, []Thing[T]) error
	// details are what only one by itself is shown with.
	details func(context.Context, *Register, db.Querier, *Thing[T]) error
	// touches says in words which open cases a change concerns; empty for none.
	Touches func(context.Context, *Register, db.Querier, Thing[T], T) (string, error)
}

// Follows says whether a key can be where a page of the kind's list ended.
func (k *Kind[T]) Follows(key string) bool { return k.ThingKind.Follows(key) }

// List is one page; more says that there is another.
func (k *Kind[T]) List(ctx context.Context, d *Register, a desk.Actor,
	f registerdb.ThingFilter) (out []Thing[T], more bool, err error) {
	if err := a.May(access.Read); err != nil {
		return nil, false, err
	}
	if f.Vendor != "" {
		if err := d.VendorThere(ctx, f.Vendor); err != nil {
			return nil, false, err
		}
	}
	if f.Today, err = d.hours.Today(ctx, d.db.DB); err != nil {
		return nil, false, err
	}
	limit := f.Limit
	f.Limit++
	rows, err := registerdb.Things[T](ctx, d.db.DB, k.ThingKind, f)
	if err != nil {
		return nil, false, err
	}
	if more = len(rows) > limit; more {
		rows = rows[:limit]
	}
	out, err = k.Whole(ctx, d.db.DB, rows, f.Today)
	return out, more, err
}

// Get is one.
func (k *Kind[T]) Get(ctx context.Context, d *Register, a desk.Actor, id int64) (t Thing[T], err error) {
	if err := a.May(access.Read); err != nil {
		return t, err
	}
	return k.One(ctx, d, d.db.DB, id)
}

// One is a record complete, within a transaction.
func (k *Kind[T]) One(ctx context.Context, d *Register, q db.Querier, id int64) (t Thing[T], err error) {
	row, err := registerdb.ThingByID[T](ctx, q, k.ThingKind, id)
	if err != nil {
		return t, err
	}
	if t, err = k.whole(ctx, d, q, row); err == nil && k.details != nil {
		err = k.details(ctx, d, q, &t)
	}
	return t, err
}

// Brief is a record without what only its own page shows: how many others have to do with it, and a contract's targets.
func (k *Kind[T]) Brief(ctx context.Context, d *Register, q db.Querier, id int64) (t Thing[T], err error) {
	row, err := registerdb.ThingAlone[T](ctx, q, k.ThingKind, id)
	if err != nil {
		return t, err
	}
	return k.whole(ctx, d, q, row)
}

func (k *Kind[T]) whole(ctx context.Context, d *Register, q db.Querier,
	row registerdb.Thing[T]) (t Thing[T], err error) {
	today := ""
	if k.complete != nil {
		if today, err = d.hours.Today(ctx, q); err != nil {
			return t, err
		}
	}
	list, err := k.Whole(ctx, q, []registerdb.Thing[T]{row}, today)
	if err != nil {
		return t, err
	}
	return list[0], nil
}

// Whole completes records as they are on a date.
func (k *Kind[T]) Whole(ctx context.Context, q db.Querier, rows []registerdb.Thing[T],
	today string) ([]Thing[T], error) {
	out := k.fromRows(rows)
	if k.complete == nil || len(out) == 0 {
		return out, nil
	}
	return out, k.complete(ctx, q, out, today)
}

// fromRows puts back into the facts whose they are.
func (k *Kind[T]) fromRows(rows []registerdb.Thing[T]) []Thing[T] {
	out := make([]Thing[T], len(rows))
	for i, r := range rows {
		out[i] = Thing[T]{Thing: r, Facts: r.Facts.V}
		*k.vendor(&out[i].Facts) = r.Vendor
	}
	return out
}

// Add writes a new one.
func (k *Kind[T]) Add(ctx context.Context, d *Register, a desk.Actor, facts T) (Thing[T], error) {
	var none Thing[T]
	if err := a.May(k.Act); err != nil {
		return none, err
	}
	ref, err := desk.Once(ctx, d.Desk, func(tx *db.Tx) (desk.Ref, error) {
		row, l := registerdb.Thing[T]{}, &Lookup{Tx: tx}
		if err := k.Prepare(ctx, l, &row, facts); err != nil {
			return desk.Ref{}, err
		}
		if err := registerdb.AddThing(ctx, tx, k.ThingKind, &row); err != nil {
			return desk.Ref{}, k.taken(err)
		}
		if k.After != nil {
			if err := k.After(ctx, d, l, &row, facts); err != nil {
				return desk.Ref{}, err
			}
		}
		return desk.Ref{ID: row.ID}, nil
	})
	if err != nil {
		return none, err
	}
	return k.One(ctx, d, d.db.DB, ref.ID)
}

// Prepare checks facts and resolves what they name.
func (k *Kind[T]) Prepare(ctx context.Context, l *Lookup, row *registerdb.Thing[T], facts T) error {
	var wrong []desk.Field
	for _, f := range k.check(facts) {
		wrong = append(wrong, desk.Field{Name: f.Field, Detail: f.Detail})
	}
	key := *k.vendor(&facts)
	v, err := l.Vendor(ctx, key)
	switch {
	case errors.Is(err, db.ErrNotFound):
		if key != "" {
			wrong = append(wrong, desk.Field{Name: "vendor", Detail: fmt.Sprintf("there is no vendor %.60q", key)})
		}
		return &desk.Invalid{Fields: wrong}
	case err != nil:
		return err
	case row.VendorID != 0 && row.VendorID != v.ID:
		return desk.Fault("vendor", "the vendor cannot be changed: add a new record instead")
	}
	row.VendorID = v.ID
	stored := facts
	*k.vendor(&stored) = ""
	if k.resolve != nil {
		more, err := k.resolve(ctx, l, row, &stored)
		if err != nil {
			return err
		}
		wrong = append(wrong, more...)
	}
	if len(wrong) > 0 {
		return &desk.Invalid{Fields: wrong}
	}
	row.Facts.V = stored
	return nil
}

// Check says what would be wrong with a record: a new one (id 0), or one changed by
// the patch. It writes nothing.
func (k *Kind[T]) Check(ctx context.Context, d *Register, a desk.Actor, id int64, patch []byte) error {
	if err := a.May(k.Act); err != nil {
		return err
	}
	return d.OnlyLook(ctx, func(tx *db.Tx) error {
		var facts T
		var row registerdb.Thing[T]
		if id != 0 {
			before, err := k.One(ctx, d, tx, id)
			if err != nil {
				return err
			}
			facts, row = before.Facts, before.Thing
		}
		if err := desk.Merge(&facts, patch); err != nil {
			return err
		}
		if err := k.Prepare(ctx, &Lookup{Tx: tx}, &row, facts); err != nil {
			return err
		}
		var err error
		if id == 0 {
			err = registerdb.AddThing(ctx, tx, k.ThingKind, &row)
		} else {
			_, err = registerdb.ChangeThing(ctx, tx, k.ThingKind, &row)
		}
		return k.taken(err)
	})
}

// taken says which name is there already.
func (k *Kind[T]) taken(err error) error {
	for index, field := range map[string]string{"product_name": "name", "account_number": "number",
		"contract_vendor_id_number_key": "number", "asset_name": "name", "asset_serial": "serial"} {
		if db.Unique(err, index) {
			return desk.Fault(field, "the vendor has another %s with this %s already", k.Name, field)
		}
	}
	return err
}

// Change applies an RFC 7396 patch to the facts. match is the version that the
// person saw; meant says that open cases may be concerned.
func (k *Kind[T]) Change(ctx context.Context, d *Register, a desk.Actor, id, match int64, patch []byte,
	meant bool) (Thing[T], error) {
	var none Thing[T]
	if err := a.May(k.Act); err != nil {
		return none, err
	}
	_, err := desk.Once(ctx, d.Desk, func(tx *db.Tx) (desk.Ref, error) {
		before, err := k.One(ctx, d, tx, id)
		if err != nil {
			return desk.Ref{}, err
		}
		if before.Version != match {
			return desk.Ref{}, &desk.Stale{What: k.Name}
		}
		facts := before.Facts
		if err := desk.Merge(&facts, patch); err != nil {
			return desk.Ref{}, err
		}
		row, l := before.Thing, &Lookup{Tx: tx}
		if err := k.Prepare(ctx, l, &row, facts); err != nil {
			return desk.Ref{}, err
		}
		if k.Touches != nil && !meant {
			words, err := k.Touches(ctx, d, tx, before, facts)
			if err != nil {
				return desk.Ref{}, err
			}
			if words != "" {
				return desk.Ref{}, &desk.Touches{Words: words}
			}
		}
		changed, err := registerdb.ChangeThing(ctx, tx, k.ThingKind, &row)
		if err != nil {
			return desk.Ref{}, k.taken(err)
		}
		if !changed {
			return desk.Ref{}, &desk.Stale{What: k.Name}
		}
		if k.After != nil {
			err = k.After(ctx, d, l, &row, facts)
		}
		return desk.Ref{}, err
	})
	if err != nil {
		return none, err
	}
	return k.One(ctx, d, d.db.DB, id)
}

// Remove takes one out that nothing refers to.
func (k *Kind[T]) Remove(ctx context.Context, d *Register, a desk.Actor, id, match int64) error {
	if err := a.May(k.Act); err != nil {
		return err
	}
	_, err := desk.Once(ctx, d.Desk, func(tx *db.Tx) (desk.Ref, error) {
		if _, err := registerdb.ThingByID[T](ctx, tx, k.ThingKind, id); err != nil {
			return desk.Ref{}, err
		}
		removed, err := registerdb.RemoveThing(ctx, tx, k.ThingKind, id, match)
		if table, refers := db.Refers(err); refers {
			return desk.Ref{}, &desk.InUse{Why: fmt.Sprintf("The %s was not removed: %s refer to it.", k.Name, referring[table])}
		}
		if err == nil && !removed {
			err = &desk.Stale{What: k.Name}
		}
		return desk.Ref{}, err
	})
	return err
}

var referring = map[string]string{"asset": "assets", "support_case": "cases", "contract_cover": "contracts",
	"terms": "terms that cases run under", "file": "papers of it"}

// Find looks for an identifier or for words, exact hits first. Where the
// kind is empty it looks everywhere.
func (d *Register) Find(ctx context.Context, a desk.Actor, words, kind string, limit int) ([]registerdb.Hit, error) {
	if err := a.May(access.Read); err != nil {
		return nil, err
	}
	return registerdb.Find(ctx, d.db.DB, words, kind, limit, a.Grant().Vendors)
}
