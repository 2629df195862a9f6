// Package outbox keeps what is to go to vendors, and each attempt to send it.
package outbox

import (
	"context"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/core/route"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
)

// Params are what the channel needs besides the text.
type Params struct {
	Level string `json:"level,omitempty"` // the vendor's label
	// Dates are what the message asks by a date, and Keeps the dates that it answers, by name, once it has left.
	Dates []casesdb.Item `json:"dates,omitempty"`
	Keeps []string       `json:"keeps,omitempty"`
	// Raises is the rung that the message goes to, with why; nil for none.
	Raises *Raising `json:"raises,omitempty"`
}

// Raising is a rung of the ladder that is raised once something has left.
type Raising struct {
	Rung int           `json:"rung"` // from 1
	Of   int           `json:"of"`   // how many the ladder has
	As   register.Rung `json:"as"`   // as the ladder had it then
	Why  string        `json:"why"`
}

// Delivery is one thing on its way to a vendor, its message already in the record.
type Delivery struct {
	ID          int64                    `db:"id"`
	CaseID      int64                    `db:"case_id"`
	EntryID     int64                    `db:"entry_id"`
	EntryKind   string                   `db:"entry_kind"`
	EntryNumber int                      `db:"entry_number"`
	Action      route.Action             `db:"action"`
	Step        casework.Step            `db:"step"`
	Effect      db.JSON[*casesdb.Effect] `db:"effect"`
	Params      db.JSON[Params]          `db:"params"`
	Channel     route.Kind               `db:"channel"`
	// LinkID is the link that takes it there; nil: a person does.
	LinkID      *int64           `db:"link_id"`
	State       casework.Sending `db:"state"`
	Attempts    int              `db:"attempts"`
	NextAt      *time.Time       `db:"next_at"`
	Problem     string           `db:"problem"`
	NeedsPerson bool             `db:"needs_person"`
	MadeAt      time.Time        `db:"made_at"`
	LeftAt      *time.Time       `db:"left_at"`
	// AbsentAt is when the vendor first said, looked up in unsureness, that it is not there.
	AbsentAt *time.Time `db:"absent_at"`
	// MessageID is that of an email that has left, with its angle brackets.
	MessageID string `db:"message_id"`
}

// Route is the way by which it goes; it does not know the link's name.
func (d Delivery) Route() route.Route {
	r := route.Route{Kind: d.Channel}
	if d.LinkID != nil {
		r.Link = *d.LinkID
	}
	return r
}

// Attempt is one call to a vendor, written down before it is made.
type Attempt struct {
	ID         int64      `db:"id"`
	DeliveryID int64      `db:"delivery_id"`
	Marker     string     `db:"marker"`
	StartedAt  time.Time  `db:"started_at"`
	LeaseUntil time.Time  `db:"lease_until"`
	EndedAt    *time.Time `db:"ended_at"`
	Outcome    string     `db:"outcome"`
	Detail     string     `db:"detail"`
}

// Add gives the delivery an id.
func Add(ctx context.Context, t *db.Tx, d *Delivery) error {
	return t.GetContext(ctx, &d.ID, `insert into delivery (case_id, entry_id, entry_number, action, step, effect,
		params, channel, link_id, state, needs_person, next_at, made_at)
		values ($1, $2, $3, $4, $5, cast($6 as jsonb), cast($7 as jsonb), $8, $9, $10, $11, $12, $13) returning id`,
		d.CaseID, d.EntryID, d.EntryNumber, d.Action, d.Step, d.Effect, d.Params, d.Channel, d.LinkID, d.State,
		d.NeedsPerson, d.NextAt, d.MadeAt)
}

// Save writes what can change.
func Save(ctx context.Context, t *db.Tx, d *Delivery) error {
	_, err := t.ExecContext(ctx,
		`update delivery set state = $2, attempts = $3, next_at = $4, problem = $5, needs_person = $6, left_at = $7,
			channel = $8, link_id = $9, absent_at = $10, message_id = $11 where id = $1`,
		d.ID, d.State, d.Attempts, d.NextAt, d.Problem, d.NeedsPerson, d.LeftAt, d.Channel, d.LinkID, d.AbsentAt,
		d.MessageID)
	return err
}

// ByID is ErrNotFound where there is none. Lock its case first.
func ByID(ctx context.Context, q db.Querier, id int64) (d Delivery, err error) {
	return d, db.One(q.GetContext(ctx, &d, "select * from delivery where id = $1", id))
}

// LinkOf is the link by which a delivery goes, 0 where a person takes it; ErrNotFound where there is no
// such delivery.
func LinkOf(ctx context.Context, q db.Querier, id int64) (link int64, err error) {
	return link, db.One(q.GetContext(ctx, &link, "select coalesce(link_id, 0) from delivery where id = $1", id))
}

// Of are those of a case, in the order they go out.
func Of(ctx context.Context, q db.Querier, caseID int64) (out []Delivery, err error) {
	return out, q.SelectContext(ctx, &out, "select * from delivery where case_id = $1 order by id", caseID)
}

// UnderWay says whether anything is being sent by itself right now, or is about to be.
func UnderWay(ctx context.Context, q db.Querier) (is bool, err error) {
	return is, q.GetContext(ctx, &is, "select exists (select 1 from delivery where state in ('waiting', 'under-way'))")
}

// Open are those of some cases that have not come to an end.
func Open(ctx context.Context, q db.Querier, cases []int64) (out []Delivery, err error) {
	return out, q.SelectContext(ctx, &out,
		`select * from delivery where case_id = any($1) and state in ('waiting', 'under-way', 'unsure', 'to-send',
			'refused') order by id`, cases)
}

// Due are those whose time has come, or whose attempt was never ended.
func Due(ctx context.Context, q db.Querier, now time.Time, limit int) (ids []int64, err error) {
	return ids, q.SelectContext(ctx, &ids, `select id from delivery where state in ('waiting', 'under-way', 'unsure')
		and next_at <= $1 and not needs_person order by next_at limit $2`, now, limit)
}

// AddAttempt gives the attempt an id.
func AddAttempt(ctx context.Context, t *db.Tx, a *Attempt) error {
	return t.GetContext(ctx, &a.ID, `insert into delivery_attempt (delivery_id, marker, started_at, lease_until)
		values ($1, $2, $3, $4) returning id`, a.DeliveryID, a.Marker, a.StartedAt, a.LeaseUntil)
}

// EndAttempt writes how it went.
func EndAttempt(ctx context.Context, t *db.Tx, a Attempt) error {
	_, err := t.ExecContext(ctx, "update delivery_attempt set ended_at = $2, outcome = $3, detail = $4 where id = $1",
		a.ID, a.EndedAt, a.Outcome, a.Detail)
	return err
}

// Attempts are a delivery's, in order.
func Attempts(ctx context.Context, q db.Querier, delivery int64) (out []Attempt, err error) {
	return out, q.SelectContext(ctx, &out, "select * from delivery_attempt where delivery_id = $1 order by id", delivery)
}

// ByMarker finds which sending of ours a marker in a vendor's text stands for.
func ByMarker(ctx context.Context, q db.Querier, marker string) (id int64, err error) {
	return id, db.One(q.GetContext(ctx, &id, "select delivery_id from delivery_attempt where marker = $1", marker))
}
