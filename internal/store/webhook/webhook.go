// Package webhook keeps the addresses of other programs that are told what our people are told, and what is on its way
// to them.
package webhook

import (
	"context"
	"net/url"
	"time"

	"roundhouse.example/internal/core/notify"
	"roundhouse.example/internal/store/db"
)

// Webhook is one address.
type Webhook struct {
	ID      int64                  `db:"id"`
	Name    string                 `db:"name"`
	Address string                 `db:"address"`
	Kinds   db.JSON[[]notify.Kind] `db:"kinds"`
	Secret  string                 `db:"secret"` // the name of the secret that signs
	Active  bool                   `db:"active"`
	MadeAt  time.Time              `db:"made_at"`
	Version int64                  `db:"version"`
}

// Host is where it leads, with its port; empty where its address is none.
func (w Webhook) Host() string {
	u, err := url.Parse(w.Address)
	if err != nil {
		return ""
	}
	return u.Host
}

// Standing is how the deliveries of a webhook stand.
type Standing struct {
	WebhookID int64      `db:"webhook_id"`
	Waiting   int        `db:"waiting"`
	NotSent   int        `db:"not_sent"`
	SentAt    *time.Time `db:"sent_at"`
	Problem   string     `db:"problem"`
}

// All are all of them by name.
func All(ctx context.Context, q db.Querier) (out []Webhook, err error) {
	return out, q.SelectContext(ctx, &out, "select * from webhook order by name")
}

// ByName is db.ErrNotFound where there is none.
func ByName(ctx context.Context, q db.Querier, name string) (w Webhook, err error) {
	return w, db.One(q.GetContext(ctx, &w, "select * from webhook where name = $1", name))
}

// Add gives it an id. A second one with the same name violates webhook_name_key.
func Add(ctx context.Context, q db.Querier, w *Webhook) error {
	return q.GetContext(ctx, &w.ID, `insert into webhook (name, address, kinds, secret, active, made_at)
		values ($1, $2, cast($3 as jsonb), $4, $5,
			$6) returning id`, w.Name, w.Address, w.Kinds, w.Secret, w.Active, w.MadeAt)
}

// Change writes one, unless it is no longer at the version that was read. What waits is tried again at once.
func Change(ctx context.Context, t *db.Tx, w Webhook, at time.Time) (changed bool, err error) {
	changed, err = db.Affected(t.ExecContext(ctx, `update webhook set address = $3, kinds = cast($4 as jsonb), secret = $5,
		active = $6, version = version + 1 where id = $1 and version = $2`, w.ID, w.Version, w.Address, w.Kinds, w.Secret,
		w.Active))
	if err == nil && changed {
		_, err = t.ExecContext(ctx, `update webhook_delivery set next_at = $2, tries = 0
			where webhook_id = $1 and next_at is not null`, w.ID, at)
	}
	return changed, err
}

// Remove takes one away with what was on its way to it.
func Remove(ctx context.Context, q db.Querier, name string) (gone bool, err error) {
	return db.Affected(q.ExecContext(ctx, "delete from webhook where name = $1", name))
}

// Standings are how the deliveries of all of them stand.
func Standings(ctx context.Context, q db.Querier) (map[int64]Standing, error) {
	var rows []Standing
	err := q.SelectContext(ctx, &rows, `select webhook_id, count(*) filter (where next_at is not null) as waiting,
			count(*) filter (where next_at is null and sent_at is null) as not_sent, max(sent_at) as sent_at,
			coalesce((array_agg(problem order by event_id desc) filter (where problem <> '' and sent_at is null))[1], '')
				as problem
		from webhook_delivery group by webhook_id`)
	out := make(map[int64]Standing, len(rows))
	for _, s := range rows {
		out[s.WebhookID] = s
	}
	return out, err
}

// Deliver puts events on their way to those who want to be told of them.
func Deliver(ctx context.Context, t *db.Tx, events []int64, at time.Time) error {
	_, err := t.ExecContext(ctx, `insert into webhook_delivery (webhook_id, event_id, next_at)
		select w.id, e.id, $2 from notification_event e join webhook w on w.active and w.kinds ? e.kind
		where e.id = any($1) on conflict do nothing`, events, at)
	return err
}

// Delivery is an event on its way to a webhook, with what is told.
type Delivery struct {
	WebhookID int64  `db:"webhook_id"`
	EventID   int64  `db:"event_id"`
	Tries     int    `db:"tries"`
	Address   string `db:"address"`
	Secret    string `db:"secret"`
	Name      string `db:"name"`

	CaseID     int64       `db:"case_id"`
	Kind       notify.Kind `db:"kind"`
	Severity   int         `db:"severity"`
	What       string      `db:"what"`
	Entry      int         `db:"entry"`
	HappenedAt time.Time   `db:"happened_at"`
	MadeAt     time.Time   `db:"made_at"`
	Number     int64       `db:"number"`
	Title      string      `db:"title"`
	VendorKey  string      `db:"vendor_key"`
	Vendor     string      `db:"vendor"`
	State      string      `db:"state"`
}

// Claim takes what is due for a while: nobody else sends it until that is over.
func Claim(ctx context.Context, t *db.Tx, at, until time.Time, limit int) (out []Delivery, err error) {
	return out, t.SelectContext(ctx, &out, `with due as (
			select d.webhook_id, d.event_id from webhook_delivery d join webhook w on w.id = d.webhook_id and w.active
			where d.next_at <= $1 order by d.next_at, d.event_id limit $3 for update of d skip locked),
		taken as (
			update webhook_delivery d set next_at = $2, tries = tries + 1 from due
			where d.webhook_id = due.webhook_id and d.event_id = due.event_id returning d.*)
		select t.webhook_id, t.event_id, t.tries, w.address, w.secret, w.name, e.case_id, e.kind, e.severity, e.what,
			e.entry, e.happened_at, e.made_at, c.number, c.title, c.state, v.key as vendor_key, v.name as vendor
		from taken t join webhook w on w.id = t.webhook_id join notification_event e on e.id = t.event_id
		join support_case c on c.id = e.case_id join vendor v on v.id = c.vendor_id order by t.event_id`, at, until, limit)
}

// Settle says what became of an attempt: sent is zero where it is to be tried again at next, or never where that is
// zero.
func Settle(ctx context.Context, q db.Querier, d Delivery, sent, next *time.Time, problem string) error {
	_, err := q.ExecContext(ctx, `update webhook_delivery set sent_at = $3, next_at = $4, problem = $5
		where webhook_id = $1 and event_id = $2 and sent_at is null`, d.WebhookID, d.EventID, sent, next, problem)
	return err
}
