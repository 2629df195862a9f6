package store

import (
	"context"
	"encoding/json"
	"time"
)

// Link is a channel to a vendor that works by itself.
type Link struct {
	ID           int64                 `db:"id"`
	VendorID     int64                 `db:"vendor_id"`
	Kind         string                `db:"kind"`
	Address      string                `db:"address"`
	Description  JSON[json.RawMessage] `db:"description"`
	Cursor       string                `db:"cursor"`
	LookedAt     *time.Time            `db:"looked_at"`
	FailingSince *time.Time            `db:"failing_since"`
	Failures     int                   `db:"failures"`
	Problem      string                `db:"problem"`
}

// Links are all of them.
func Links(ctx context.Context, q Querier) (out []Link, err error) {
	return out, q.SelectContext(ctx, &out, "select * from link order by id")
}

// LinkOf is a vendor's; ErrNotFound where it has none.
func LinkOf(ctx context.Context, q Querier, vendor int64) (l Link, err error) {
	return l, one(q.GetContext(ctx, &l, "select * from link where vendor_id = $1", vendor))
}

// LinkByID is ErrNotFound where there is none.
func LinkByID(ctx context.Context, q Querier, id int64) (l Link, err error) {
	return l, one(q.GetContext(ctx, &l, "select * from link where id = $1", id))
}

// LockLink takes the link's row, so that one collector at a time moves its cursor.
func (t *Tx) LockLink(ctx context.Context, id int64) (l Link, err error) {
	return l, one(t.GetContext(ctx, &l, "select * from link where id = $1 for update", id))
}

// SaveLink writes what can change.
func (t *Tx) SaveLink(ctx context.Context, l Link) error {
	_, err := t.ExecContext(ctx, `update link set address = $2, description = cast($3 as jsonb), cursor = $4, looked_at = $5, failing_since = $6, failures = $7, problem = $8 where id = $1`,
		l.ID, l.Address, l.Description, l.Cursor, l.LookedAt, l.FailingSince, l.Failures, l.Problem)
	return err
}

// AddLink gives the link an id.
func AddLink(ctx context.Context, q Querier, l *Link) error {
	return q.GetContext(ctx, &l.ID, "insert into link (vendor_id, kind, address, description) values ($1, $2, $3, cast($4 as jsonb)) returning id",
		l.VendorID, l.Kind, l.Address, l.Description)
}

// LinkEvent is something that a vendor's feed said.
type LinkEvent struct {
	ID      int64                 `db:"id"`
	LinkID  int64                 `db:"link_id"`
	Key     string                `db:"event_key"`
	Ticket  string                `db:"ticket"`
	Event   JSON[json.RawMessage] `db:"event"`
	FloorAt time.Time             `db:"floor_at"`
	SeenAt  time.Time             `db:"seen_at"`
	CaseID  *int64                `db:"case_id"`
}

// AddLinkEvent keeps an event once; fresh is false where it was here already.
func (t *Tx) AddLinkEvent(ctx context.Context, e *LinkEvent) (fresh bool, err error) {
	err = one(t.GetContext(ctx, &e.ID, `insert into link_event (link_id, event_key, ticket, event, floor_at, seen_at)
		values ($1, $2, $3, cast($4 as jsonb), $5, $6) on conflict (link_id, event_key) do nothing returning id`,
		e.LinkID, e.Key, e.Ticket, e.Event, e.FloorAt, e.SeenAt))
	if err == ErrNotFound {
		return false, nil
	}
	return err == nil, err
}

// PlaceLinkEvent says which case an event went to.
func (t *Tx) PlaceLinkEvent(ctx context.Context, id, caseID int64) error {
	_, err := t.ExecContext(ctx, "update link_event set case_id = $2 where id = $1", id, caseID)
	return err
}

// WaitingEvents are those of a link that found no case yet, of one ticket or ("") all.
func WaitingEvents(ctx context.Context, q Querier, link int64, ticket string) (out []LinkEvent, err error) {
	return out, q.SelectContext(ctx, &out, `select * from link_event where link_id = $1 and case_id is null and ($2 = '' or ticket = $2) order by id`, link, ticket)
}
