package register

import (
	"context"
	"fmt"
	"strings"
	"time"

	"roundhouse.example/internal/store/db"
)

// Thing is a row of the register: what is known of it, and what it refers to.
type Thing[T any] struct {
	// Key is the text that a list goes by, for the cursor of the next page.
	Key        string     `db:"list_key"`
	ID         int64      `db:"id"`
	VendorID   int64      `db:"vendor_id"`
	Version    int64      `db:"version"`
	Facts      db.JSON[T] `db:"facts"`
	Vendor     string     `db:"vendor"`
	VendorName string     `db:"vendor_name"`
	ProductID  *int64     `db:"product_id"`
	AccountID  *int64     `db:"account_id"`
	ContractID *int64     `db:"contract_id"`
	Product    *string    `db:"product"`
	Account    *string    `db:"account"`
	Contract   *string    `db:"contract"`
	// ProductNumberFound says where the number of an asset's product stands.
	ProductNumberFound *string `db:"product_number_found"`
	// CoversProducts and CoversAccounts are what a contract that is to be written names.
	CoversProducts []int64 `db:"-"`
	CoversAccounts []int64 `db:"-"`
	// Starts, Ends and Notice are a contract's.
	Starts *time.Time `db:"starts_on"`
	Ends   *time.Time `db:"ends_on"`
	Notice *time.Time `db:"notice_on"`
	// Assets is how many refer to it; Live how many live cases do.
	Assets int `db:"assets"`
	Live   int `db:"live"`
	// Opened is how many cases were filed under a contract while it counted.
	Opened int `db:"opened"`
	// Whole are the facts with what stands in other tables, of one that is to be written.
	Whole T `db:"-"`
}

// ThingFilter narrows a list of the register.
type ThingFilter struct {
	Vendor string // its key
	Words  string // an identifier's beginning or words of its name
	Site   string
	// Cover is, of assets, covered, twice or not-covered as of Today; of contracts
	// in-force or ended.
	Cover    string
	Today    string // a date
	Product  int64
	Account  int64
	Contract int64
	Covering int64 // of contracts: those that cover this asset, whenever they count
	IDs      []int64
	Limit    int
	After    bool
	AfterKey string
	AfterID  int64
	EndingOn string // of contracts: those that end, or must be given notice, by this date and not before Today
	// Uncounted leaves 0 for every count.
	Uncounted bool
}

// Things is one page of a table in its order.
func Things[T any](ctx context.Context, q db.Querier, kind ThingKind, f ThingFilter) (out []Thing[T], err error) {
	var where []string
	var args []any
	arg := func(v any) string {
		args = append(args, v)
		return fmt.Sprintf("$%d", len(args))
	}
	if f.Vendor != "" {
		where = append(where, "v.key = "+arg(strings.ToLower(f.Vendor)))
	}
	if f.IDs != nil {
		where = append(where, "t.id = any("+arg(f.IDs)+")")
	}
	if f.Words != "" {
		words := arg(f.Words)
		where = append(where, "t.id in (select ref from findable where kind = '"+kind.Name+"' and ("+begins(words)+
			" and find_fold("+words+") <> '' or to_tsvector('simple', words) @@ find_words("+words+")))")
	}
	if f.Site != "" {
		where = append(where, "lower(t.site) = lower("+arg(f.Site)+")")
	}
	for column, id := range map[string]int64{"product_id": f.Product, "account_id": f.Account, "contract_id": f.Contract} {
		if id != 0 {
			where = append(where, "t."+column+" = "+arg(id))
		}
	}
	if f.Cover != "" && kind.Name == "asset" {
		today := arg(f.Today)
		n := "(select count(*) from " + covering + " where cast(" + today + " as date) between k.starts_on and k.ends_on)"
		where = append(where, n+map[string]string{"covered": " = 1", "twice": " > 1", "not-covered": " = 0"}[f.Cover])
	}
	if f.Cover != "" && kind.Name == "contract" {
		where = append(where, map[string]string{"in-force": "t.ends_on >= ", "ended": "t.ends_on < "}[f.Cover]+"cast("+
			arg(f.Today)+" as date)")
	}
	if f.Covering != 0 {
		where = append(where, "t.id in (select k.id from asset t cross join lateral "+covering+
			" where t.id = "+arg(f.Covering)+")")
	}
	if f.EndingOn != "" {
		today, until := arg(f.Today), arg(f.EndingOn)
		where = append(where, fmt.Sprintf("t.ends_on >= cast(%s as date) and (t.ends_on <= cast(%s as date) or "+
			"t.notice_on between cast(%s as date) and cast(%s as date))", today, until, today, until))
	}
	if f.After {
		key := arg(f.AfterKey)
		if kind.date {
			key = "cast(" + key + " as date)"
		}
		where = append(where, "("+kind.Order+", t.id) > ("+key+", "+arg(f.AfterID)+")")
	}
	sql := kind.selection()
	if f.Uncounted {
		sql = kind.uncounted()
	}
	if len(where) > 0 {
		sql += " where " + strings.Join(where, " and ")
	}
	sql += " order by " + kind.Order + ", t.id limit " + arg(f.Limit)
	return out, q.SelectContext(ctx, &out, sql, args...)
}

// ThingByID is ErrNotFound where there is none.
func ThingByID[T any](ctx context.Context, q db.Querier, kind ThingKind, id int64) (t Thing[T], err error) {
	return t, db.One(q.GetContext(ctx, &t, kind.selection()+" where t.id = $1", id))
}

// ThingAlone is ThingByID without how many others have to do with it.
func ThingAlone[T any](ctx context.Context, q db.Querier, kind ThingKind, id int64) (t Thing[T], err error) {
	return t, db.One(q.GetContext(ctx, &t, kind.uncounted()+" where t.id = $1", id))
}

// OpenedUnder is how many cases were filed under a contract while it was in force.
func OpenedUnder(ctx context.Context, q db.Querier, contract int64) (n int, err error) {
	return n, q.GetContext(ctx, &n, `select count(*) from support_case c join contract t on t.id = c.contract_id
		where t.id = $1 and `+whileInForce, contract)
}

// AddThing gives it an id and a first version.
func AddThing[T any](ctx context.Context, q db.Querier, kind ThingKind, t *Thing[T]) error {
	t.Version = 1
	args, err := columnsOf([]Thing[T]{*t})
	if err != nil {
		return err
	}
	return q.GetContext(ctx, &t.ID, kind.add+" returning id", args...)
}

// ChangeThing writes it, unless it is no longer at the version it was read at;
// changed is then false.
func ChangeThing[T any](ctx context.Context, q db.Querier, kind ThingKind, t *Thing[T]) (changed bool, err error) {
	changed, err = ChangeThings(ctx, q, kind, []Thing[T]{*t})
	t.Version++
	return changed, err
}

// RemoveThing takes it out, where nothing refers to it.
func RemoveThing(ctx context.Context, q db.Querier, kind ThingKind, id, version int64) (removed bool, err error) {
	if kind.Name == "contract" { // what it promises goes with it, unless a case runs under that
		for _, sql := range []string{"delete from term where terms_id in (select id from terms where contract_id = $1)",
			"delete from terms where contract_id = $1"} {
			if _, err := q.ExecContext(ctx, sql, id); err != nil {
				return false, err
			}
		}
	}
	return db.Affected(q.ExecContext(ctx, "delete from "+kind.Name+" where id = $1 and version = $2", id, version))
}

// ThingNamed is the id of one of a vendor's things by its whole name or number, in
// any case; of assets by serial or resource identifier too.
func ThingNamed(ctx context.Context, q db.Querier, kind ThingKind, vendor int64, name string) (id int64, err error) {
	return id, db.One(q.GetContext(ctx, &id, kind.named, vendor, name))
}
