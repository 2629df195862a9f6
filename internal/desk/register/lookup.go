package register

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"roundhouse.example/internal/store/db"
	hoursdb "roundhouse.example/internal/store/hours"
	registerdb "roundhouse.example/internal/store/register"

	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/hours"
)

// Lookup finds what names mean. With a memory, for many records in one transaction,
// it asks for each name once.
type Lookup struct {
	Tx       *db.Tx
	Remember bool
	vendors  map[string]registerdb.Vendor
	things   map[thingName]int64
	products map[int64]register.Product
	accounts map[int64]register.Account
	schemes  map[int64]scheme
	terms    map[int64]hoursdb.Terms
	promises map[int64][]hoursdb.Term
}

// ReadTerms reads what some contracts promise now, for termsOf.
func (l *Lookup) ReadTerms(ctx context.Context, contracts []int64) (err error) {
	l.terms, l.promises, err = hours.CurrentTerms(ctx, l.Tx, contracts)
	for _, id := range contracts {
		if _, there := l.terms[id]; !there && err == nil {
			l.terms[id] = hoursdb.Terms{}
		}
	}
	return err
}

// termsOf is what a contract promises now; the zero version where it has none yet.
func (l *Lookup) termsOf(ctx context.Context, contract int64) (hoursdb.Terms, []hoursdb.Term, error) {
	if _, known := l.terms[contract]; !known {
		if err := l.ReadTerms(ctx, []int64{contract}); err != nil {
			return hoursdb.Terms{}, nil, err
		}
	}
	t := l.terms[contract]
	return t, l.promises[t.ID], nil
}

// scheme is what a vendor's promises can name: how many levels, and calendars by name.
type scheme struct {
	levels    int
	calendars map[string]int64
}

func (l *Lookup) scheme(ctx context.Context, vendor int64) (levels int, calendars map[string]int64, err error) {
	if s, known := l.schemes[vendor]; known {
		return s.levels, s.calendars, nil
	}
	list, err := registerdb.Levels(ctx, l.Tx, vendor)
	if err != nil {
		return 0, nil, err
	}
	calendars, err = hoursdb.CalendarNames(ctx, l.Tx, vendor)
	if err == nil && l.Remember {
		if l.schemes == nil {
			l.schemes = map[int64]scheme{}
		}
		l.schemes[vendor] = scheme{len(list), calendars}
	}
	return len(list), calendars, err
}

type thingName struct {
	kind   string
	vendor int64
	name   string
}

// noThing stands in the memory for a name that nothing has.
const noThing = -1

// Vendor is one by key; db.ErrNotFound where there is none.
func (l *Lookup) Vendor(ctx context.Context, key string) (v registerdb.Vendor, err error) {
	if v, known := l.vendors[key]; known {
		if v.ID == 0 {
			return v, db.ErrNotFound
		}
		return v, nil
	}
	v, err = registerdb.VendorByKey(ctx, l.Tx, key)
	if l.Remember && (err == nil || errors.Is(err, db.ErrNotFound)) {
		if l.vendors == nil {
			l.vendors = map[string]registerdb.Vendor{}
		}
		l.vendors[strings.Clone(key)] = v
	}
	return v, err
}

// thing is the id of a vendor's thing by its name or number.
func (l *Lookup) thing(ctx context.Context, kind registerdb.ThingKind, vendor int64,
	name string) (id int64, err error) {
	at := thingName{kind.Name, vendor, name}
	if id, known := l.things[at]; known {
		if id == noThing {
			return 0, db.ErrNotFound
		}
		return id, nil
	}
	id, err = registerdb.ThingNamed(ctx, l.Tx, kind, vendor, name)
	if l.Remember && (err == nil || errors.Is(err, db.ErrNotFound)) {
		if l.things == nil {
			l.things = map[thingName]int64{}
		}
		l.things[at] = id
		if err != nil {
			l.things[at] = noThing
		}
	}
	return id, err
}

// named resolves one name of a thing that must be there.
func (l *Lookup) named(ctx context.Context, kind registerdb.ThingKind, vendor int64, field string, name *string,
	to **int64) ([]desk.Field, error) {
	*to = nil
	if *name == "" {
		return nil, nil
	}
	id, err := l.thing(ctx, kind, vendor, *name)
	if errors.Is(err, db.ErrNotFound) {
		return []desk.Field{{Name: field,
			Detail: fmt.Sprintf("the vendor has no %s %.60q in the register", kind.Name, *name)}}, nil
	}
	*to, *name = &id, ""
	return nil, err
}

func (l *Lookup) product(ctx context.Context, id int64) (register.Product, error) {
	return looked(ctx, l, &l.products, registerdb.Products, id)
}

func (l *Lookup) account(ctx context.Context, id int64) (register.Account, error) {
	return looked(ctx, l, &l.accounts, registerdb.Accounts, id)
}

func looked[T any](ctx context.Context, l *Lookup, memory *map[int64]T, kind registerdb.ThingKind,
	id int64) (T, error) {
	if f, known := (*memory)[id]; known {
		return f, nil
	}
	t, err := registerdb.ThingByID[T](ctx, l.Tx, kind, id)
	if err == nil && l.Remember {
		if *memory == nil {
			*memory = map[int64]T{}
		}
		(*memory)[id] = t.Facts.V
	}
	return t.Facts.V, err
}
