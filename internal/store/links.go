package store

import (
	"context"
	"encoding/json"
	"net/url"
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
	NextLookAt   time.Time             `db:"next_look_at"`
}

// Host is where the link leads, with its port; empty where its address is none.
func (l Link) Host() string {
	u, err := url.Parse(l.Address)
	if err != nil {
		return ""
	}
	return u.Host
}

// DueLink is a link whose time to be looked at has come.
type DueLink struct {
	ID       int64 `db:"id"`
	Failures int   `db:"failures"`
}

// DueLinks are those whose time has come by the database's clock, the longest waiting first.
func DueLinks(ctx context.Context, q Querier, limit int) (out []DueLink, err error) {
	return out, q.SelectContext(ctx, &out, "select id, failures from link where next_look_at <= now() order by next_look_at limit $1", limit)
}

// TakeLink takes a link whose time has come, for a while: nobody else looks at it until that
// is over. taken is false where somebody else was first.
func TakeLink(ctx context.Context, q Querier, id int64, while time.Duration) (taken bool, err error) {
	return affected(q.ExecContext(ctx, "update link set next_look_at = now() + make_interval(secs => $2) where id = $1 and next_look_at <= now()", id, while.Seconds()))
}

// NextLook says how long from now a link is to be looked at again.
func NextLook(ctx context.Context, q Querier, id int64, after time.Duration) error {
	_, err := q.ExecContext(ctx, "update link set next_look_at = now() + make_interval(secs => $2) where id = $1", id, after.Seconds())
	return err
}

// LinksOf are those of some vendors.
func LinksOf(ctx context.Context, q Querier, vendors []int64) (out []Link, err error) {
	return out, q.SelectContext(ctx, &out, "select * from link where vendor_id = any($1)", vendors)
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
	// AsideAt is when it was set aside: its ticket is no case's, or it cannot be taken in.
	AsideAt *time.Time `db:"aside_at"`
	Tries   int        `db:"tries"`
	Problem string     `db:"problem"`
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

// WaitingEvents are those of a link that found no case yet and were not set aside.
func WaitingEvents(ctx context.Context, q Querier, link int64, limit int) (out []LinkEvent, err error) {
	return out, q.SelectContext(ctx, &out, "select * from link_event where link_id = $1 and case_id is null and aside_at is null order by id limit $2", link, limit)
}

// TicketEvents are those of one ticket that found no case yet, also those that were set aside.
func TicketEvents(ctx context.Context, q Querier, link int64, ticket string) (out []LinkEvent, err error) {
	return out, q.SelectContext(ctx, &out, "select * from link_event where link_id = $1 and case_id is null and ticket = $2 order by id", link, ticket)
}

// SetAside leaves an event alone until its ticket's number becomes known.
func SetAside(ctx context.Context, q Querier, id int64, at time.Time) error {
	_, err := q.ExecContext(ctx, "update link_event set aside_at = $2 where id = $1 and case_id is null", id, at)
	return err
}

// FailEvent keeps why an event could not be taken in; after so many tries it is set aside.
func FailEvent(ctx context.Context, q Querier, id int64, problem string, tries int, at time.Time) error {
	_, err := q.ExecContext(ctx, `update link_event set tries = tries + 1, problem = $2, aside_at = case when tries + 1 >= $3 then cast($4 as timestamptz) end
		where id = $1 and case_id is null`, id, problem, tries, at)
	return err
}

// CountFailedEvents is how many of a link's events could not be taken in.
func CountFailedEvents(ctx context.Context, q Querier, link int64) (n int, err error) {
	return n, q.GetContext(ctx, &n, "select count(*) from link_event where link_id = $1 and case_id is null and problem <> ''", link)
}

// ForgetEvents takes out what was set aside before an instant, up to n of them.
func ForgetEvents(ctx context.Context, q Querier, before time.Time, n int) error {
	_, err := q.ExecContext(ctx, "delete from link_event where id in (select id from link_event where case_id is null and aside_at < $1 order by aside_at limit $2)", before, n)
	return err
}
