package inbox

import (
	"context"
	"encoding/json"
	"time"

	"roundhouse.example/internal/store/db"
)

// Event is something that a vendor's feed said.
type Event struct {
	ID      int64                    `db:"id"`
	LinkID  int64                    `db:"link_id"`
	Key     string                   `db:"event_key"`
	Ticket  string                   `db:"ticket"`
	Event   db.JSON[json.RawMessage] `db:"event"`
	FloorAt time.Time                `db:"floor_at"`
	SeenAt  time.Time                `db:"seen_at"`
	CaseID  *int64                   `db:"case_id"`
	// AsideAt is when it was set aside: its ticket is no case's, or it cannot be taken in.
	AsideAt *time.Time `db:"aside_at"`
	Tries   int        `db:"tries"`
	Problem string     `db:"problem"`
}

// AddEvent keeps an event once; fresh is false where it was here already.
func AddEvent(ctx context.Context, t *db.Tx, e *Event) (fresh bool, err error) {
	err = db.One(t.GetContext(ctx, &e.ID, `insert into link_event (link_id, event_key, ticket, event, floor_at, seen_at)
		values ($1, $2, $3, cast($4 as jsonb), $5, $6) on conflict (link_id, event_key) do nothing returning id`,
		e.LinkID, e.Key, e.Ticket, e.Event, e.FloorAt, e.SeenAt))
	if err == db.ErrNotFound {
		return false, nil
	}
	return err == nil, err
}

// CaseAt is the case that a link means by a ticket: one of a vendor that it serves, with that number of the
// vendor's. One that was filed by another link is at that one, whatever numbers the two have in common.
func CaseAt(ctx context.Context, q db.Querier, link int64, ticket string) (id int64, err error) {
	return id, db.One(q.GetContext(ctx, &id, `select r.case_id from vendor_link v join case_reference r
		on r.vendor_id = v.vendor_id
		left join lateral (select d.link_id from delivery d where d.case_id = r.case_id and d.action = 'open'
		and d.link_id is not null and d.state <> 'not-sent'
			order by d.id desc limit 1) filed on true
		where v.link_id = $1 and r.whose = 'vendor' and r.value = $2 and coalesce(filed.link_id, $1) = $1
		order by filed.link_id is null, r.case_id desc limit 1`, link, ticket))
}

// PlaceEvent says which case an event went to.
func PlaceEvent(ctx context.Context, t *db.Tx, id, caseID int64) error {
	_, err := t.ExecContext(ctx, "update link_event set case_id = $2 where id = $1", id, caseID)
	return err
}

// Waiting are those of a link that found no case yet and were not set aside.
func Waiting(ctx context.Context, q db.Querier, link int64, limit int) (out []Event, err error) {
	return out, q.SelectContext(ctx, &out,
		"select * from link_event where link_id = $1 and case_id is null and aside_at is null order by id limit $2", link,
		limit)
}

// TicketEvents are those of one ticket that found no case yet, also those that were set aside.
func TicketEvents(ctx context.Context, q db.Querier, link int64, ticket string) (out []Event, err error) {
	return out, q.SelectContext(ctx, &out,
		"select * from link_event where link_id = $1 and case_id is null and ticket = $2 order by id", link, ticket)
}

// SetAside leaves an event alone until its ticket's number becomes known.
func SetAside(ctx context.Context, q db.Querier, id int64, at time.Time) error {
	_, err := q.ExecContext(ctx, "update link_event set aside_at = $2 where id = $1 and case_id is null", id, at)
	return err
}

// FailEvent keeps why an event could not be taken in; after a number of tries it is set aside.
func FailEvent(ctx context.Context, q db.Querier, id int64, problem string, tries int, at time.Time) error {
	_, err := q.ExecContext(ctx, `update link_event set tries = tries + 1, problem = $2, aside_at = case when tries +
		1 >= $3 then cast($4 as timestamptz) end
		where id = $1 and case_id is null`, id, problem, tries, at)
	return err
}

// CountFailed is how many of a link's events could not be taken in.
func CountFailed(ctx context.Context, q db.Querier, link int64) (n int, err error) {
	return n, q.GetContext(ctx, &n,
		"select count(*) from link_event where link_id = $1 and case_id is null and problem <> ''", link)
}

// Forget takes out what was set aside before an instant, up to n of them.
func Forget(ctx context.Context, q db.Querier, before time.Time, n int) error {
	_, err := q.ExecContext(ctx,
		`delete from link_event where id in (select id from link_event where case_id is null and aside_at < $1
			order by aside_at limit $2)`, before, n)
	return err
}
