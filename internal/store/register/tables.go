package register

import (
	"context"
	"encoding/json"
	"time"

	"roundhouse.example/internal/store/db"
)

// ThingKeys are what rows of a table are known by, one of each for every row; of no
// vendor (0) nothing is found.
type ThingKeys struct {
	Vendors []int64
	Names   []string
	Serials []string
}

// ThingMatch is what one row, from 1, is known as.
type ThingMatch struct {
	Row      int    `db:"row"`
	Named    *int64 `db:"named"`
	Serial   *int64 `db:"serial"`
	SerialOf string `db:"serial_of"`
}

// MatchThings finds things by name or number, and assets by their serials too.
func MatchThings(ctx context.Context, q db.Querier, kind ThingKind, k ThingKeys) (out []ThingMatch, err error) {
	name := kind.name()
	sql := `select x.row, n.id as named, null::bigint as serial, '' as serial_of
		from unnest(cast($1 as bigint[]), cast($2 as text[]), cast($3 as text[])) with ordinality x(vendor, name, serial, row)
		cross join lateral (select id from ` + kind.Name + ` where vendor_id = x.vendor
		and lower(` + name + `) = lower(x.name) limit 1) n`
	if kind.Name == "asset" {
		sql = `select x.row, n.id as named, s.id as serial, coalesce(s.name, '') as serial_of
			from unnest(cast($1 as bigint[]), cast($2 as text[]), cast($3 as text[])) with ordinality x(vendor, name,
			serial, row)
			left join lateral (select id from asset where vendor_id = x.vendor and lower(name) = lower(x.name) limit 1) n on true
			left join lateral (select id, name from asset where vendor_id = x.vendor and lower(serial) = lower(x.serial)
			and serial is not null limit 1) s on true
			where n.id is not null or s.id is not null`
	}
	return out, q.SelectContext(ctx, &out, sql, k.Vendors, k.Names, k.Serials)
}

// columnsOf are things as arrays, one for each column.
func columnsOf[T any](list []Thing[T]) ([]any, error) {
	n := len(list)
	var (
		id, version, vendor        = make([]int64, n), make([]int64, n), make([]int64, n)
		product, account, contract = make([]*int64, n), make([]*int64, n), make([]*int64, n)
		starts, ends, notice       = make([]*time.Time, n), make([]*time.Time, n), make([]*time.Time, n)
		facts                      = make([]string, n)
	)
	for i, t := range list {
		raw, err := json.Marshal(t.Facts.V)
		if err != nil {
			return nil, err
		}
		id[i], version[i], vendor[i], facts[i] = t.ID, t.Version, t.VendorID, string(raw)
		product[i], account[i], contract[i] = t.ProductID, t.AccountID, t.ContractID
		starts[i], ends[i], notice[i] = t.Starts, t.Ends, t.Notice
	}
	return []any{id, version, vendor, facts, product, account, contract, starts, ends, notice}, nil
}

// AddThings writes many new ones in one statement, and gives contracts their ids: what they
// cover and promise is written after them.
func AddThings[T any](ctx context.Context, q db.Querier, kind ThingKind, list []Thing[T]) error {
	if len(list) == 0 {
		return nil
	}
	args, err := columnsOf(list)
	if err != nil {
		return err
	}
	if kind.Name != "contract" {
		_, err = q.ExecContext(ctx, kind.add, args...)
		return err
	}
	var rows []struct {
		ID     int64  `db:"id"`
		Vendor int64  `db:"vendor_id"`
		Facts  string `db:"facts"`
	}
	err = q.SelectContext(ctx, &rows, kind.add+" returning id, vendor_id, facts->>'number' as facts", args...)
	if err != nil {
		return err
	}
	type key struct {
		vendor int64
		number string
	}
	ids := make(map[key]int64, len(rows))
	for _, r := range rows {
		ids[key{r.Vendor, r.Facts}] = r.ID
	}
	for i, raw := range args[3].([]string) {
		var facts struct {
			Number string `json:"number"`
		}
		if err := json.Unmarshal([]byte(raw), &facts); err != nil {
			return err
		}
		list[i].ID = ids[key{list[i].VendorID, facts.Number}]
	}
	return nil
}

// name is the column that a thing of the kind is called by.
func (k ThingKind) name() string {
	if k.Name == "account" || k.Name == "contract" {
		return "number"
	}
	return "name"
}

// ChangeThings writes many in one statement; whole is false where one of them is no
// longer at the version it was read at.
func ChangeThings[T any](ctx context.Context, q db.Querier, kind ThingKind, list []Thing[T]) (whole bool, err error) {
	if len(list) == 0 {
		return true, nil
	}
	args, err := columnsOf(list)
	if err != nil {
		return false, err
	}
	r, err := q.ExecContext(ctx, kind.change, args...)
	if err != nil {
		return false, err
	}
	n, err := r.RowsAffected()
	return int(n) == len(list), err
}

// PairNames are all names that a member of pairs, such as attributes, has in any record.
func PairNames(ctx context.Context, q db.Querier, kind ThingKind, member string) (out []string, err error) {
	return out, q.SelectContext(ctx, &out, "select distinct jsonb_object_keys(facts->'"+member+"') as name from "+
		kind.Name+" order by name")
}
