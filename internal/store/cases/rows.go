package cases

import (
	"context"

	"roundhouse.example/internal/store/db"
)

// Row is a case with the names that a list shows.
type Row struct {
	Case
	Vendor     string  `db:"vendor"`
	VendorKey  string  `db:"vendor_key"`
	VendorZone string  `db:"vendor_zone"`
	Owner      *string `db:"owner"`
	LevelLabel *string `db:"level_label"`
	Asset      *string `db:"asset"`
	// AssetSerial is the asset's serial number, or its identifier at a cloud vendor.
	AssetSerial *string `db:"asset_serial"`
	Account     *string `db:"account"`
	Maker       *string `db:"maker"`
	MakerKey    *string `db:"maker_key"`
	// Of the cases that this one is filed in place of, or was filed again as.
	InsteadOfNumber *int64 `db:"instead_of_number"`
	RefiledAsNumber *int64 `db:"refiled_as_number"`
}

// The names are asked for one by one: joined, their order is weighed anew with each question, which takes far longer
// than to answer it.
const caseRowColumns = `c.*, v.name as vendor, v.key as vendor_key, v.zone as vendor_zone,
	m.name as maker, m.key as maker_key,
	(select name from person where id = c.owner_id) as owner,
	(select label from vendor_level l where l.vendor_id = c.vendor_id and l.rank = c.level_rank) as level_label,
	(select name from asset where id = c.asset_id) as asset,
	(select coalesce(serial, nullif(facts->>'resource_id', '')) from asset where id = c.asset_id) as asset_serial,
	(select number from account where id = c.account_id) as account,
	(select number from support_case i where i.id = c.instead_of) as instead_of_number,
	(select number from support_case a where a.id = c.refiled_as) as refiled_as_number
	from support_case c join vendor v on v.id = c.vendor_id left join vendor m on m.id = c.maker_id`

// RowByID is one case as a list shows it.
func RowByID(ctx context.Context, q db.Querier, id int64) (r Row, err error) {
	return r, db.One(q.GetContext(ctx, &r, "select "+caseRowColumns+" where c.id = $1", id))
}

// CountUnsorted is how many cases have something that nobody could name yet; only are the vendors whose cases count,
// nil for all.
func CountUnsorted(ctx context.Context, q db.Querier, only []int64) (n int, err error) {
	return n, q.GetContext(ctx, &n, `select count(*) from support_case where unsorted <> '{}' and state <> 'withdrawn'
		and ($1::bigint[] is null or vendor_id = any($1))`, only)
}

// Titles are those of some cases, by id.
func Titles(ctx context.Context, q db.Querier, ids []int64) (map[int64]string, error) {
	out := make(map[int64]string, len(ids))
	if len(ids) == 0 {
		return out, nil
	}
	var rows []struct {
		ID    int64  `db:"id"`
		Title string `db:"title"`
	}
	err := q.SelectContext(ctx, &rows, "select id, title from support_case where id = any($1)", ids)
	for _, r := range rows {
		out[r.ID] = r.Title
	}
	return out, err
}

// Rows are some cases as a list shows them, in no order.
func Rows(ctx context.Context, q db.Querier, ids []int64) (out []Row, err error) {
	return out, q.SelectContext(ctx, &out, "select "+caseRowColumns+" where c.id = any($1)", ids)
}
