package register

import (
	"context"
	"fmt"
	"strings"
	"time"

	casesdb "roundhouse.example/internal/store/cases"
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

// ThingKind is one of the register's tables, with the SQL that is its own.
type ThingKind struct {
	Name    string
	columns string // with where they come from
	Order   string // what a list goes by, with an index behind it
	date    bool   // Order is a date, not a text
}

// Follows says whether a key is one that a list of the kind goes by.
func (k ThingKind) Follows(key string) bool {
	if !k.date {
		return true
	}
	_, err := time.Parse(time.DateOnly, key)
	return err == nil
}

func (k ThingKind) selection() string {
	if k.date {
		return "select to_char(" + k.Order + ", 'YYYY-MM-DD') as list_key, " + k.columns
	}
	return "select " + k.Order + " as list_key, " + k.columns
}

// The register's tables.
var (
	Products = ThingKind{"product", `t.id, t.vendor_id, t.version, t.facts, v.key as vendor, v.name as vendor_name,
		(select count(*) from asset a where a.product_id = t.id) as assets, 0 as live
		from product t join vendor v on v.id = t.vendor_id`, "lower(t.name)", false}
	Accounts = ThingKind{"account", `t.id, t.vendor_id, t.version, t.facts, v.key as vendor, v.name as vendor_name,
		(select count(*) from asset a where a.account_id = t.id) as assets,
		(select count(*) from support_case c where c.account_id = t.id and c.` + casesdb.LiveCases + `) as live
		from account t join vendor v on v.id = t.vendor_id`, "lower(t.number)", false}
	Contracts = ThingKind{"contract",
		`t.id, t.vendor_id, t.version, t.facts, t.starts_on, t.ends_on, t.notice_on, v.key as vendor, v.name as vendor_name,
		(select count(*) from asset a where a.contract_id = t.id) as assets,
		(select count(*) from support_case c where c.contract_id = t.id and c.` + casesdb.LiveCases + `) as live,
		(select count(*) from support_case c where c.contract_id = t.id and c.filed_at >= t.starts_on
		and c.filed_at < t.ends_on + 1) as opened
		from contract t join vendor v on v.id = t.vendor_id`, "t.ends_on", true}
	Assets = ThingKind{"asset",
		`t.id, t.vendor_id, t.version, t.facts, t.product_id, t.account_id, t.contract_id, v.key as vendor,
		v.name as vendor_name,
		p.name as product, p.facts->>'number_found' as product_number_found, k.number as contract, o.number as account,
		0 as assets,
		(select count(*) from support_case c where c.asset_id = t.id and c.` + casesdb.LiveCases + `) as live
		from asset t join vendor v on v.id = t.vendor_id left join product p on p.id = t.product_id
		left join contract k on k.id = t.contract_id left join account o on o.id = t.account_id`, "lower(t.name)", false}
)

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
	IDs      []int64
	Limit    int
	After    bool
	AfterKey string
	AfterID  int64
	EndingOn string // of contracts: those that end, or must be given notice, by this date and not before Today
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

// AddThing gives it an id and a first version.
func AddThing[T any](ctx context.Context, q db.Querier, kind ThingKind, t *Thing[T]) error {
	t.Version = 1
	switch kind.Name {
	case "asset":
		return q.GetContext(ctx, &t.ID,
			`insert into asset (vendor_id, facts, product_id, account_id, contract_id)
				values ($1, cast($2 as jsonb), $3, $4, $5) returning id`,
			t.VendorID, t.Facts, t.ProductID, t.AccountID, t.ContractID)
	case "contract":
		return q.GetContext(ctx, &t.ID, `insert into contract (vendor_id, number, facts, starts_on, ends_on, notice_on)
			values ($1, cast($2 as jsonb)->>'number', cast($2 as jsonb), $3, $4, $5)
			returning id`, t.VendorID, t.Facts, t.Starts, t.Ends, t.Notice)
	}
	return q.GetContext(ctx, &t.ID, "insert into "+kind.Name+
		" (vendor_id, facts) values ($1, cast($2 as jsonb)) returning id", t.VendorID, t.Facts)
}

// ChangeThing writes it, unless it is no longer at the version it was read at;
// changed is then false.
func ChangeThing[T any](ctx context.Context, q db.Querier, kind ThingKind, t *Thing[T]) (changed bool, err error) {
	set, args := "facts = cast($3 as jsonb)", []any{t.ID, t.Version, t.Facts}
	switch kind.Name {
	case "asset":
		set += ", product_id = $4, account_id = $5, contract_id = $6"
		args = append(args, t.ProductID, t.AccountID, t.ContractID)
	case "contract":
		set += ", number = cast($3 as jsonb)->>'number', starts_on = $4, ends_on = $5, notice_on = $6"
		args = append(args, t.Starts, t.Ends, t.Notice)
	}
	r, err := q.ExecContext(ctx, "update "+kind.Name+" set version = version + 1, "+set+" where id = $1 and version = $2",
		args...)
	if err != nil {
		return false, err
	}
	n, err := r.RowsAffected()
	t.Version++
	return n == 1, err
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
	by := map[string]string{"product": "lower(name) = lower($2)", "account": "lower(number) = lower($2)",
		"contract": "lower(number) = lower($2)",
		"asset":    "(lower(name) = lower($2) or lower(serial) = lower($2) or facts->>'resource_id' = $2)"}[kind.Name]
	return id, db.One(q.GetContext(ctx, &id, "select id from "+kind.Name+" where vendor_id = $1 and "+by+
		" order by id limit 1", vendor, name))
}
