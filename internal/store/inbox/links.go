// Package inbox keeps the links to vendors' systems, and what came by them.
package inbox

import (
	"context"
	"encoding/json"
	"net/url"
	"time"

	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/store/db"
)

// Link is a way to one or several vendors that works by itself.
type Link struct {
	ID           int64                    `db:"id"`
	Name         string                   `db:"name"`
	Kind         route.Kind               `db:"kind"`
	Address      string                   `db:"address"`
	Description  db.JSON[json.RawMessage] `db:"description"`
	Cursor       string                   `db:"cursor"`
	LookedAt     *time.Time               `db:"looked_at"`
	FailingSince *time.Time               `db:"failing_since"`
	Failures     int                      `db:"failures"`
	Problem      string                   `db:"problem"`
	NextLookAt   time.Time                `db:"next_look_at"`
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

// Due are those whose time has come by the database's clock, the longest waiting first.
func Due(ctx context.Context, q db.Querier, limit int) (out []DueLink, err error) {
	return out, q.SelectContext(ctx, &out,
		"select id, failures from link where next_look_at <= now() order by next_look_at limit $1", limit)
}

// TakeLink takes a link whose time has come, for a while: nobody else looks at it until that
// is over. taken is false where somebody else was first.
func TakeLink(ctx context.Context, q db.Querier, id int64, while time.Duration) (taken bool, err error) {
	return db.Affected(q.ExecContext(ctx,
		"update link set next_look_at = now() + make_interval(secs => $2) where id = $1 and next_look_at <= now()", id,
		while.Seconds()))
}

// NextLook says how long from now a link is to be looked at again.
func NextLook(ctx context.Context, q db.Querier, id int64, after time.Duration) error {
	_, err := q.ExecContext(ctx, "update link set next_look_at = now() + make_interval(secs => $2) where id = $1", id,
		after.Seconds())
	return err
}

// VendorLink is a link as one of the vendors has it that it serves.
type VendorLink struct {
	VendorID int64 `db:"vendor_id"`
	Link
}

// LinksOf are those of some vendors, each vendor's usual one first.
func LinksOf(ctx context.Context, q db.Querier, vendors ...int64) (out []VendorLink, err error) {
	return out, q.SelectContext(ctx, &out, `select v.vendor_id, l.* from vendor_link v join link l on l.id = v.link_id
		where v.vendor_id = any($1) order by v.vendor_id, v.rank, l.id`, vendors)
}

// Routes are links as ways to their vendor, in their order.
func Routes(links []VendorLink) []route.Route {
	out := make([]route.Route, len(links))
	for i, l := range links {
		out[i] = route.Route{Kind: l.Kind, Link: l.ID, Name: l.Name}
	}
	return out
}

// Served are the vendors that a link serves.
func Served(ctx context.Context, q db.Querier, link int64) (vendors []int64, err error) {
	return vendors, q.SelectContext(ctx, &vendors,
		"select vendor_id from vendor_link where link_id = $1 order by vendor_id", link)
}

// Serve lets a link serve a vendor, after the links that it has already.
func Serve(ctx context.Context, q db.Querier, link, vendor int64) error {
	_, err := q.ExecContext(ctx, `insert into vendor_link (vendor_id, link_id, rank)
		select $2, $1, coalesce(max(rank), 0) + 1 from vendor_link where vendor_id = $2`, link, vendor)
	return err
}

// ByID is ErrNotFound where there is none.
func ByID(ctx context.Context, q db.Querier, id int64) (l Link, err error) {
	return l, db.One(q.GetContext(ctx, &l, "select * from link where id = $1", id))
}

// Lock takes the link's row, so that one collector at a time moves its cursor.
func Lock(ctx context.Context, t *db.Tx, id int64) (l Link, err error) {
	return l, db.One(t.GetContext(ctx, &l, "select * from link where id = $1 for update", id))
}

// Save writes what can change.
func Save(ctx context.Context, t *db.Tx, l Link) error {
	_, err := t.ExecContext(ctx,
		`update link set address = $2, description = cast($3 as jsonb), cursor = $4, looked_at = $5, failing_since = $6,
			failures = $7, problem = $8 where id = $1`,
		l.ID, l.Address, l.Description, l.Cursor, l.LookedAt, l.FailingSince, l.Failures, l.Problem)
	return err
}

// AddLink gives the link an id.
func AddLink(ctx context.Context, q db.Querier, l *Link) error {
	return q.GetContext(ctx, &l.ID,
		"insert into link (name, kind, address, description) values ($1, $2, $3, cast($4 as jsonb)) returning id",
		l.Name, l.Kind, l.Address, l.Description)
}
