package cases

import (
	"context"
	"fmt"
	"regexp"
	"strings"
	"time"

	"github.com/jmoiron/sqlx"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
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

// dashes are those that the search would take for one "not" within another.
var dashes = regexp.MustCompile(`-(\s*-)+`)

// Filter narrows and orders the list of cases. The zero value is all, newest first.
type Filter struct {
	States     []casework.State
	Vendors    []string
	Kinds      []string
	Severities []int64
	Move       deadline.Side
	Owner      int64
	Words      string
	Asset      int64
	Account    int64
	Contract   int64
	// NoReference is of live cases to which the vendor has not given its number yet, though it gives numbers.
	NoReference bool
	// Late is of cases of which a deadline or a date is late, Unread of those with a message of the vendor's that nobody
	// has read, NotConfirmed of those of which something has left that the vendor has not confirmed in time; as of Now.
	Late, Unread, NotConfirmed bool
	Now                        time.Time
	// NextBefore and DueBefore are of cases that ask for attention, or have something due, before then.
	NextBefore, DueBefore *time.Time
	Origin                casework.Origin
	// Watcher is of what a person watches, by id; Among of these vendors, nil for all.
	Watcher int64
	Among   []int64
	// Unsorted is of cases of which something could not be named yet.
	Unsorted bool
	// Only are the vendors whose cases may be seen, by id; nil: all of them.
	Only []int64
	Sort string // newest, oldest, severity, changed, next
	// After is where the last page ended: the sort key and the number of its last row.
	After     bool
	AfterKey  string
	AfterCase int64
	Limit     int
}

// orders is the whitelist of sorts; each is backed by an index and ends with the
// number, which is unique. A missing severity counts as 9.
var orders = map[string]struct{ by, after string }{
	"newest": {"c.number desc", "c.number < :after_case"},
	"oldest": {"c.number", "c.number > :after_case"},
	"severity": {"coalesce(c.severity, 9), c.number desc",
		"(coalesce(c.severity, 9) > CAST(:after_key AS integer) or coalesce(c.severity, 9) = CAST(:after_key AS " +
			"integer) and c.number < :after_case)"},
	"changed": {"c.changed_at desc, c.number desc",
		"(c.changed_at, c.number) < (CAST(:after_key AS timestamptz), :after_case)"},
	"next": {"coalesce(c.next_at, 'infinity'), c.number",
		"(coalesce(c.next_at, 'infinity'), c.number) > (CAST(:after_key AS timestamptz), :after_case)"},
}

// SortKey is what a row sorts by, for the cursor.
func SortKey(sort string, r Row) string {
	switch sort {
	case "severity":
		if r.Severity == nil {
			return "9"
		}
		return fmt.Sprint(*r.Severity)
	case "changed":
		return r.ChangedAt.Format(time.RFC3339Nano)
	case "next":
		if r.NextAt == nil {
			return "infinity"
		}
		return r.NextAt.Format(time.RFC3339Nano)
	}
	return ""
}

// dueBefore is the condition that something live of a case is due before an instant.
func dueBefore(at string) string {
	return "(c.id in (select case_id from deadline where outcome = 'live' and due_at < " + at + ") " +
		"or c.id in (select case_id from dated_item where outcome = 'live' and due_at < " + at + "))"
}

// List is one page of the list.
func List(ctx context.Context, q db.Querier, f Filter) ([]Row, error) {
	order, ok := orders[f.Sort]
	if !ok {
		return nil, fmt.Errorf("no order %q", f.Sort)
	}
	var where []string
	args := map[string]any{"after_case": f.AfterCase, "after_key": f.AfterKey, "limit": f.Limit}
	cond := func(on bool, sql, name string, v any) {
		if on {
			where = append(where, sql)
			args[name] = v
		}
	}
	cond(len(f.States) > 0, "c.state = any(:states)", "states", f.States)
	cond(len(f.Vendors) > 0, "(v.key = any(:vendors) or m.key = any(:vendors))", "vendors", f.Vendors)
	cond(len(f.Kinds) > 0, "c.kind = any(:kinds)", "kinds", f.Kinds)
	cond(len(f.Severities) > 0, "c.severity = any(:severities)", "severities", f.Severities)
	cond(f.Move != "", "c.move = :move", "move", f.Move)
	cond(f.Owner != 0, "c.owner_id = :owner", "owner", f.Owner)
	cond(f.Asset != 0, "c.asset_id = :asset", "asset", f.Asset)
	cond(f.Account != 0, "c.account_id = :account", "account", f.Account)
	cond(f.Contract != 0, "c.contract_id = :contract", "contract", f.Contract)
	cond(f.Only != nil, "c.vendor_id = any(:only)", "only", f.Only)
	cond(f.Origin != "", "c.origin = :origin", "origin", f.Origin)
	cond(f.Among != nil, "c.vendor_id = any(:among)", "among", f.Among)
	cond(f.NextBefore != nil, "c.next_at < :next_before", "next_before", f.NextBefore)
	cond(f.DueBefore != nil, dueBefore(":due_before"), "due_before", f.DueBefore)
	cond(f.Late, dueBefore(":now"), "now", f.Now)
	cond(f.NotConfirmed, "c.id in (select case_id from dated_item where outcome = 'live' and kind = 'receipt' "+
		"and due_at < :now)", "now", f.Now)
	cond(f.Watcher != 0, `(c.id in (select case_id from watch where person_id = :watcher and case_id is not null)
		or c.vendor_id in (select vendor_id from watch where person_id = :watcher and vendor_id is not null)
		or c.severity in (select severity from watch where person_id = :watcher and severity is not null))`, "watcher",
		f.Watcher)
	if f.NoReference {
		where = append(where, "c.unnumbered")
	}
	if f.Unread {
		where = append(where, "c.unread > 0")
	}
	if f.Unsorted {
		where = append(where, "c.unsorted <> '{}'")
	}
	if f.Words != "" {
		where = append(where, `(to_tsvector('simple', c.title) @@ websearch_to_tsquery('simple', :words) or c.number = :number
			or c.id in (select case_id from case_reference where folded = :folded))`)
		var number int64
		if n := strings.TrimPrefix(strings.ToUpper(f.Words), "C-"); isDigits(n) && len(n) < 19 {
			fmt.Sscan(n, &number)
		}
		args["words"], args["number"], args["folded"] = dashes.ReplaceAllString(f.Words, " "), number, Fold(f.Words)
	}
	if f.After {
		where = append(where, order.after)
	}
	sql := "select " + caseRowColumns
	if len(where) > 0 {
		sql += " where " + strings.Join(where, " and ")
	}
	sql, list, err := sqlx.Named(sql+" order by "+order.by+" limit :limit", args)
	if err != nil {
		return nil, err
	}
	var out []Row
	return out, q.SelectContext(ctx, &out, sqlx.Rebind(sqlx.DOLLAR, sql), list...)
}
