package cases

import (
	"context"
	"slices"
	"time"

	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/register"
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
	// Rung is the one that was raised, from 1, and As how the ladder had it then.
	Rung int            `json:"rung,omitempty"`
	As   *register.Rung `json:"as,omitempty"`
	Details
}

// Details are what else is known of something that is to happen: when its window opens, who comes or calls, where,
// under which number, who lets them in, and when a part was sent.
type Details struct {
	From   *time.Time `json:"from,omitempty"`
	Who    string     `json:"who,omitempty"`
	Where  string     `json:"where,omitempty"`
	Number string     `json:"number,omitempty"`
	LetsIn string     `json:"lets_in,omitempty"`
	SentAt *time.Time `json:"sent_at,omitempty"`
}

// Take takes over what is given in another.
func (d *Details) Take(x Details) {
	for _, s := range []struct{ to, from *string }{{&d.Who, &x.Who}, {&d.Where, &x.Where}, {&d.Number, &x.Number},
		{&d.LetsIn, &x.LetsIn}} {
		if *s.from != "" {
			*s.to = *s.from
		}
	}
	if x.From != nil {
		d.From = x.From
	}
	if x.SentAt != nil {
		d.SentAt = x.SentAt
	}
}

// Texts are what people wrote in it.
func (i *Item) Texts() []*string { return []*string{&i.Words, &i.Who, &i.Where, &i.Number, &i.LetsIn} }

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
	Details    db.JSON[Details]  `db:"details"`
}

// ReplaceDated rewrites the dated items of a case.
func ReplaceDated(ctx context.Context, t *db.Tx, caseID int64, rows []DatedItem) error {
	return ReplaceDatedOf(ctx, t, []int64{caseID}, rows)
}

// ReplaceDatedOf rewrites the dated items of several cases.
func ReplaceDatedOf(ctx context.Context, t *db.Tx, cases []int64, rows []DatedItem) error {
	if _, err := t.ExecContext(ctx, "delete from dated_item where case_id = any($1)", cases); err != nil {
		return err
	}
	for part := range slices.Chunk(rows, most) {
		if err := insertDated(ctx, t, part); err != nil {
			return err
		}
	}
	return nil
}

func insertDated(ctx context.Context, t *db.Tx, rows []DatedItem) error {
	_, err := t.NamedExecContext(ctx, `insert into dated_item (case_id, opened, name, kind, owed, words, person_id,
		set_at, due_at, soon_at, ended_at, outcome, follows, start_entry, end_entry, details)
		values (:case_id, :opened, :name, :kind, :owed, :words, :person_id,
		:set_at, :due_at, :soon_at, :ended_at, :outcome, :follows, :start_entry, :end_entry, :details)`, rows)
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
	// Proposed is the first entry of the other side since, which may have kept it: of a live promise, ask or callback.
	Proposed *int `db:"proposed"`
}

// DatedNamed are the dated items of one case, with names: those that are open, the earliest due first, then those that
// have ended, the latest first.
func DatedNamed(ctx context.Context, q db.Querier, caseID int64) (out []NamedItem, err error) {
	return out, q.SelectContext(ctx, &out, `select i.*, coalesce(p.name, '') as person_name, e.number as proposed
		from dated_item i
		left join person p on p.id = i.person_id
		left join lateral (select coalesce(case when i.owed = 'ours' then e.refers_to end, e.number) as number
			from case_entry e
			where i.outcome = 'live' and i.kind in ('promise', 'ask', 'callback', 'escalation') and e.case_id = i.case_id
			and e.number > i.start_entry and e.happened_at >= i.set_at
			and e.effect->>'event' = case i.owed when 'ours' then 'our-message' else 'vendor-message' end
			and not cast(coalesce(e.effect->>'automatic', 'false') as boolean)
			order by e.happened_at, e.number limit 1) e on true
		where i.case_id = $1
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
