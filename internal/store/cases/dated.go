package cases

import (
	"context"
	"time"

	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/store/db"
)

// Item is what an effect says of a dated item.
type Item struct {
	Name string            `json:"name"`
	Kind deadline.ItemKind `json:"kind,omitempty"`
	Owed deadline.Side     `json:"owed,omitempty"`
	Due  *time.Time        `json:"due,omitempty"`
	// Words say what is to happen; Person is whose it is on our side, by id.
	Words  string `json:"words,omitempty"`
	Person int64  `json:"person,omitempty"`
}

// DatedItem is a row of the cache.
type DatedItem struct {
	CaseID     int64             `db:"case_id"`
	Opened     int               `db:"opened"`
	Name       string            `db:"name"`
	Kind       deadline.ItemKind `db:"kind"`
	Owed       deadline.Side     `db:"owed"`
	Words      string            `db:"words"`
	PersonID   *int64            `db:"person_id"`
	SetAt      time.Time         `db:"set_at"`
	DueAt      time.Time         `db:"due_at"`
	SoonAt     time.Time         `db:"soon_at"`
	EndedAt    *time.Time        `db:"ended_at"`
	Outcome    string            `db:"outcome"`
	Follows    *int              `db:"follows"`
	StartEntry int               `db:"start_entry"`
	EndEntry   int               `db:"end_entry"`
}

// ReplaceDated rewrites the dated items of a case.
func ReplaceDated(ctx context.Context, t *db.Tx, caseID int64, rows []DatedItem) error {
	if _, err := t.ExecContext(ctx, "delete from dated_item where case_id = $1", caseID); err != nil || len(rows) == 0 {
		return err
	}
	_, err := t.NamedExecContext(ctx, `insert into dated_item (case_id, opened, name, kind, owed, words, person_id,
		set_at, due_at, soon_at, ended_at, outcome, follows, start_entry, end_entry)
		values (:case_id, :opened, :name, :kind, :owed, :words, :person_id,
		:set_at, :due_at, :soon_at, :ended_at, :outcome, :follows, :start_entry, :end_entry)`, rows)
	return err
}

// Dated are the dated items of one case, as they were opened.
func Dated(ctx context.Context, q db.Querier, caseID int64) (out []DatedItem, err error) {
	return out, q.SelectContext(ctx, &out, "select * from dated_item where case_id = $1 order by opened", caseID)
}

// NamedItem is a dated item with the name of whose it is on our side; empty for the desk.
type NamedItem struct {
	DatedItem
	For string `db:"person_name"`
}

// DatedNamed are the dated items of one case, with names: those that are open, the earliest due first, then those that
// have ended, the latest first.
func DatedNamed(ctx context.Context, q db.Querier, caseID int64) (out []NamedItem, err error) {
	return out, q.SelectContext(ctx, &out, `select i.*, coalesce(p.name, '') as person_name from dated_item i
		left join person p on p.id = i.person_id where i.case_id = $1
		order by i.ended_at desc nulls first, i.due_at, i.opened`, caseID)
}

// LiveDated are the live dated items of some cases.
func LiveDated(ctx context.Context, q db.Querier, cases []int64) (out []DatedItem, err error) {
	return out, q.SelectContext(ctx, &out,
		"select * from dated_item where case_id = any($1) and outcome = 'live' order by case_id, due_at, opened", cases)
}

// NextDated is the number of the next item that people set on a case.
func NextDated(ctx context.Context, q db.Querier, caseID int64) (n int, err error) {
	return n, q.GetContext(ctx, &n, `select 1 + coalesce(max(cast(name as integer)), 0) from dated_item
		where case_id = $1 and name ~ '^[0-9]{1,6}$'`, caseID)
}
