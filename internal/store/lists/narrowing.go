package lists

import (
	"context"
	"maps"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"github.com/jackc/pgx/v5"
	"github.com/jmoiron/sqlx"

	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
)

// dashes are those that the search would take for one "not" within another.
var dashes = regexp.MustCompile(`-(\s*-)+`)

// narrowing is what a filter says in SQL.
type narrowing struct {
	where []string
	args  map[string]any
}

// and is a narrowing with one more condition.
func (n narrowing) and(sql string) narrowing {
	n.where = append(slices.Clone(n.where), sql)
	return n
}

// page is one page of what it lets through.
func (n narrowing) page(ctx context.Context, q db.Querier, f Filter, o order) ([]int64, error) {
	args := map[string]any{"after_case": f.AfterCase, "after_key": f.AfterKey, "limit": f.Limit}
	maps.Copy(args, n.args)
	if f.After {
		n = n.and(o.after)
	}
	sql := "select c.id from support_case c"
	if len(n.where) > 0 {
		sql += " where " + strings.Join(n.where, " and ")
	}
	sql, list, err := sqlx.Named(sql+" order by "+o.by+" limit :limit", args)
	if err != nil {
		return nil, err
	}
	// Planned for these very values: how many cases there are of a vendor, say, decides which index is read.
	list = append([]any{pgx.QueryExecModeCacheDescribe}, list...)
	var ids []int64
	return ids, q.SelectContext(ctx, &ids, sqlx.Rebind(sqlx.DOLLAR, sql), list...)
}

// arg gives a name in the conditions its value.
func (n *narrowing) arg(name string, v any) {
	if n.args == nil {
		n.args = map[string]any{}
	}
	n.args[name] = v
}

// cond adds a condition with its argument, if it has one.
func (n *narrowing) cond(on bool, sql, name string, v any) {
	if on {
		n.where = append(n.where, sql)
		if name != "" {
			n.arg(name, v)
		}
	}
}

// oneOf is the condition that something is one of some values. One alone is said plainly: an index then has its cases
// in order.
func oneOf[T any](n *narrowing, what, name string, values []T) string {
	if len(values) == 1 {
		n.arg(name, values[0])
		return what + " = :" + name
	}
	n.arg(name, values)
	return what + " = any(:" + name + ")"
}

// in adds that condition, if there are values.
func in[T any](n *narrowing, what, name string, values []T) {
	if len(values) > 0 {
		n.where = append(n.where, oneOf(n, what, name, values))
	}
}

// any adds the condition that one of several holds; none of them is that none can.
func (n *narrowing) any(of []string) {
	if len(of) == 0 {
		of = []string{"false"}
	}
	n.where = append(n.where, "("+strings.Join(of, " or ")+")")
}

func (n *narrowing) facts(f Filter) {
	in(n, "c.state", "states", f.States)
	in(n, "c.kind", "kinds", f.Kinds)
	in(n, "coalesce(c.severity, 9)", "severities", f.Severities)
	n.cond(f.Move != "", "c.move = :move", "move", f.Move)
	n.cond(f.Owner != 0, "c.owner_id = :owner", "owner", f.Owner)
	n.cond(f.Asset != 0, "c.asset_id = :asset", "asset", f.Asset)
	n.cond(f.Account != 0, "c.account_id = :account", "account", f.Account)
	n.cond(f.Contract != 0, "c.contract_id = :contract", "contract", f.Contract)
	n.cond(f.Only != nil, "c.vendor_id = any(:only)", "only", f.Only)
	n.cond(f.Origin != "", "c.origin = :origin", "origin", f.Origin)
	n.cond(f.Among != nil, "c.vendor_id = any(:among)", "among", f.Among)
	n.cond(f.NoReference, "c.unnumbered", "", nil)
	n.cond(f.Unread, "c.unread > 0", "", nil)
	n.cond(f.Unsorted, "c.unsorted <> '{}'", "", nil)
}

func (n *narrowing) dates(f Filter) {
	n.cond(f.NextBefore != nil, "c.next_at < :next_before", "next_before", f.NextBefore)
	n.cond(f.DueBefore != nil, casesdb.DueBefore(":due_before"), "due_before", f.DueBefore)
	n.cond(f.Late, casesdb.DueBefore(":now"), "now", f.Now)
	n.cond(f.NotConfirmed, casesdb.Asks+" and c.id in (select case_id from dated_item where outcome = 'live' "+
		"and kind = 'receipt' and due_at < :now)", "now", f.Now)
}

// vendors finds whose cases are asked for: those filed with a vendor, and those filed with another for it as the maker.
func (n *narrowing) vendors(ctx context.Context, q db.Querier, f Filter) error {
	if len(f.Vendors) == 0 {
		return nil
	}
	var ids []int64
	var makers bool
	err := q.SelectContext(ctx, &ids, "select id from vendor where key = any($1)", f.Vendors)
	if err == nil {
		err = q.GetContext(ctx, &makers, "select exists (select from support_case where maker_id = any($1))", ids)
	}
	of := []string{oneOf(n, "c.vendor_id", "vendors", ids)}
	if makers {
		of = append(of, oneOf(n, "c.maker_id", "vendors", ids))
	}
	n.any(of)
	return err
}

// watched finds what a person watches.
func (n *narrowing) watched(ctx context.Context, q db.Querier, f Filter) error {
	if f.Watcher == 0 {
		return nil
	}
	var of []string
	for _, x := range []struct{ what, is string }{{"case_id", "c.id"}, {"vendor_id", "c.vendor_id"},
		{"severity", "coalesce(c.severity, 9)"}} {
		var ids []int64
		if err := q.SelectContext(ctx, &ids, "select "+x.what+" from watch where person_id = $1 and "+x.what+
			" is not null", f.Watcher); err != nil {
			return err
		}
		if len(ids) > 0 {
			of = append(of, oneOf(n, x.is, "watched_"+x.what, ids))
		}
	}
	n.any(of)
	return nil
}

// words finds a number or a reference, which is read first, or words of the title.
func (n *narrowing) words(ctx context.Context, q db.Querier, f Filter) error {
	if f.Words == "" {
		return nil
	}
	var number int64
	if n, err := strconv.ParseInt(strings.TrimPrefix(strings.ToUpper(f.Words), "C-"), 10, 64); err == nil {
		number = n
	}
	var ids []int64
	if err := q.SelectContext(ctx, &ids, `select id from support_case where number = $1
		union select case_id from case_reference where folded = $2`, number, casesdb.Fold(f.Words)); err != nil {
		return err
	}
	n.arg("words", dashes.ReplaceAllString(f.Words, " "))
	rare, err := rare(ctx, q, n.args["words"])
	if err != nil {
		return err
	}
	var worded []int64
	if rare {
		err = q.SelectContext(ctx, &worded, "select c.id from support_case c where "+inTitle("$1")+" limit $2",
			n.args["words"], mostWorded)
	}
	var of []string
	if !rare || len(worded) == mostWorded {
		of = append(of, inTitle(":words"))
	} else {
		ids = append(ids, worded...)
	}
	if len(ids) > 0 {
		of = append(of, oneOf(n, "c.id", "named", ids))
	}
	n.any(of)
	return err
}

// mostWorded is how many cases with rare words are found before all else.
const mostWorded = 5000

// inTitle is the condition that words stand in a case's title.
func inTitle(words string) string {
	return "to_tsvector('simple', c.title) @@ websearch_to_tsquery('simple', " + words + ")"
}

// rare says that one of some words stands in few titles, as the database has counted them. All cases with the words are
// found first then: who walks through an order until a page is full would walk through nearly all of it.
func rare(ctx context.Context, q db.Querier, words any) (rare bool, err error) {
	return rare, q.GetContext(ctx, &rare, `select coalesce(min(coalesce(s.share, 0)) < 0.002, true)
		from unnest(tsvector_to_array(to_tsvector('simple', $1))) w left join (
			select unnest(cast(cast(most_common_elems as text) as text[])) as word, unnest(most_common_elem_freqs) as share
			from pg_stats where schemaname = current_schema() and tablename = 'case_words') s on s.word = w`, words)
}
