// Package notify keeps what our people and other programs are told of, and how far each telling has come.
package notify

import (
	"context"
	"encoding/json"
	"time"

	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/notify"
	"roundhouse.example/internal/store/db"
)

// Event is something that people are told of, once: its key is unique within the case.
type Event struct {
	ID         int64         `db:"id" json:"-"`
	CaseID     int64         `db:"case_id" json:"case_id"`
	Key        string        `db:"key" json:"key"`
	Kind       notify.Kind   `db:"kind" json:"kind"`
	Severity   int           `db:"severity" json:"severity"`
	What       string        `db:"what" json:"what"`
	Owed       deadline.Side `db:"owed" json:"owed"`
	Entry      int           `db:"entry" json:"entry"`
	HappenedAt time.Time     `db:"happened_at" json:"happened_at"`
	MadeAt     time.Time     `db:"made_at" json:"made_at"`
	ActorID    *int64        `db:"actor_id" json:"actor_id"`
	AgainAt    *time.Time    `db:"again_at" json:"again_at"`
}

// AddEvents keeps events, and gives those that were not kept before, with their ids.
func AddEvents(ctx context.Context, t *db.Tx, events []Event) (fresh []Event, err error) {
	if len(events) == 0 {
		return nil, nil
	}
	rows, err := json.Marshal(events)
	if err != nil {
		return nil, err
	}
	return fresh, t.SelectContext(ctx, &fresh, `insert into notification_event (case_id, key, kind, severity, what, owed,
			entry, happened_at, made_at, actor_id, again_at)
		select case_id, key, kind, severity, what, owed, entry, happened_at, made_at, actor_id, again_at
		from jsonb_to_recordset(cast($1 as jsonb)) as x(case_id bigint, key text, kind text, severity integer, what text,
			owed text, entry integer, happened_at timestamptz, made_at timestamptz, actor_id bigint, again_at timestamptz)
		order by case_id, key
		on conflict (case_id, key) do nothing returning *`, string(rows))
}

// Fallen is a clock or date that has come due, or comes due soon, with the facts of its case.
type Fallen struct {
	CaseID   int64             `db:"case_id"`
	Key      string            `db:"key"`
	Kind     notify.Kind       `db:"kind"`
	Clock    string            `db:"clock"` // the kind of a deadline; empty for a date
	Item     deadline.ItemKind `db:"item"`  // the kind of a date; empty for a deadline
	Owed     deadline.Side     `db:"owed"`  // of a date
	Words    string            `db:"words"` // of a date
	Entry    int               `db:"entry"`
	At       time.Time         `db:"at"`
	VendorID int64             `db:"vendor_id"`
	Severity int               `db:"severity"`
	OwnerID  *int64            `db:"owner_id"`
	PersonID *int64            `db:"person_id"` // whose date it is
}

// What is told of a clock or a date is named by what it is and its due; x is its row, when is soon or due.
func clockKey(x, when string) string {
	return x + ".kind || '/' || " + x + ".start_entry || '/" + when + "/' || cast(extract(epoch from " + x +
		".due_at) as bigint)"
}

func dateKey(x, when string) string {
	return "'item ' || " + x + ".name || '/" + when + "/' || cast(extract(epoch from " + x + ".due_at) as bigint)"
}

// fallen are the clocks and dates by an index on their instants. What is told is named by what it is, through which
// entry it began, and its due: a due that moves is told anew.
var fallen = `select x.*, c.vendor_id, coalesce(c.severity, 4) as severity, c.owner_id from (
		select case_id, 'due' as kind, kind as clock, '' as item, '' as owed, '' as words, cast(null as bigint) as person_id,
			start_entry as entry, due_at as at,
			` + clockKey("d", "due") + ` as key
		from deadline d where outcome = 'live' and due_at > $1 and due_at <= $2
		union all
		select case_id, 'due-soon', kind, '', '', '', null, start_entry, due_at,
			` + clockKey("d", "soon") + `
		from deadline d where outcome = 'live' and soon_at > $1 and soon_at <= $2 and due_at > $2
		union all
		select case_id, 'due', '', kind, owed, words, person_id, start_entry, due_at,
			` + dateKey("d", "due") + `
		from dated_item d where outcome = 'live' and due_at > $1 and due_at <= $2
		union all
		select case_id, 'due-soon', '', kind, owed, words, person_id, start_entry, due_at,
			` + dateKey("d", "soon") + `
		from dated_item d where outcome = 'live' and soon_at > $1 and soon_at <= $2 and due_at > $2
	) x join support_case c on c.id = x.case_id `

// FallenSince are those whose instant is after from and not after until, and that nobody was told of, the earliest
// first.
func FallenSince(ctx context.Context, q db.Querier, from, until time.Time, limit int) (out []Fallen, err error) {
	return out, q.SelectContext(ctx, &out, fallen+`where not exists (select from notification_event e
			where e.case_id = x.case_id and e.key = x.key)
		order by x.at, x.case_id, x.key limit $3`, from, until, limit)
}

// FallenOf are those of some cases up to an instant that nobody was told of.
func FallenOf(ctx context.Context, q db.Querier, cases []int64, until time.Time) (out []Fallen, err error) {
	return out, q.SelectContext(ctx, &out, fallen+`where x.case_id = any($3)
		and not exists (select from notification_event e where e.case_id = x.case_id and e.key = x.key)`,
		time.Unix(0, 0), until, cases)
}

// Unlocked are those of some cases that nobody is changing; they stay as they are until the transaction ends.
func Unlocked(ctx context.Context, t *db.Tx, cases []int64) (out []int64, err error) {
	return out, t.SelectContext(ctx, &out,
		"select id from support_case where id = any($1) order by id for key share skip locked", cases)
}

// DoneUntil is up to when clocks and dates were looked at.
func DoneUntil(ctx context.Context, q db.Querier) (at time.Time, err error) {
	return at, q.GetContext(ctx, &at, "select done_at from notification_mark")
}

// Done says up to when they were.
func Done(ctx context.Context, q db.Querier, at time.Time) error {
	_, err := q.ExecContext(ctx, "update notification_mark set done_at = $1", at)
	return err
}

// Unanswered is an event whose time to be reacted to is over, with what has become of it.
type Unanswered struct {
	Event
	VendorID int64  `db:"vendor_id"`
	OwnerID  *int64 `db:"owner_id"`
	// Open says that nobody has reacted.
	Open bool `db:"open"`
}

// UnansweredAt are those whose time is over at an instant. To what is due somebody reacts by any entry of theirs, if it
// does not end by itself; to a message by reading it.
func UnansweredAt(ctx context.Context, q db.Querier, at time.Time, limit int) (out []Unanswered, err error) {
	return out, q.SelectContext(ctx, &out, `select e.*, c.vendor_id, c.owner_id, case e.kind
			when 'message' then c.state in ('filed', 'open', 'fix-offered') and c.read_entry < e.entry
			else not exists (select from case_entry n where n.case_id = e.case_id and n.recorded_at > e.made_at
					and n.author_id is not null)
				and (exists (select from deadline d where d.case_id = e.case_id and d.outcome = 'live' and e.key
						= `+clockKey("d", "due")+`)
					or exists (select from dated_item d where d.case_id = e.case_id and d.outcome = 'live' and e.key
						= `+dateKey("d", "due")+`)) end as open
		from notification_event e join support_case c on c.id = e.case_id
		where e.again_at <= $1 order by e.again_at, e.id limit $2`, at, limit)
}

// Settled says of events that nothing more is told of them.
func Settled(ctx context.Context, t *db.Tx, events []int64) error {
	_, err := t.ExecContext(ctx, "update notification_event set again_at = null where id = any($1)", events)
	return err
}
