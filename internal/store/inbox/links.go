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
	Version      int64                    `db:"version"`
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

// Due are those that bring events and whose time has come by the database's clock, the longest waiting first.
func Due(ctx context.Context, q db.Querier, limit int) (out []DueLink, err error) {
	return out, q.SelectContext(ctx, &out,
		"select id, failures from link where next_look_at <= now() and kind = 'api' order by next_look_at limit $1", limit)
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

// Failing says since when a link to a mail server fails, and why; an empty problem: it works.
func Failing(ctx context.Context, q db.Querier, id int64, problem string, at time.Time) error {
	_, err := q.ExecContext(ctx, `update link set problem = $2, failing_since = case when $2 <> '' then
		coalesce(failing_since, $3) end where id = $1 and problem <> $2`, id, problem, at)
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

// ByName is db.ErrNotFound where there is none.
func ByName(ctx context.Context, q db.Querier, name string) (l Link, err error) {
	return l, db.One(q.GetContext(ctx, &l, "select * from link where name = $1", name))
}

// All are all links by name.
func All(ctx context.Context, q db.Querier) (out []Link, err error) {
	return out, q.SelectContext(ctx, &out, "select * from link order by name")
}

// ServedBy are the keys of the vendors that each link serves, by the link's id.
func ServedBy(ctx context.Context, q db.Querier) (map[int64][]string, error) {
	var rows []struct {
		Link int64  `db:"link_id"`
		Key  string `db:"key"`
	}
	err := q.SelectContext(ctx, &rows,
		"select l.link_id, v.key from vendor_link l join vendor v on v.id = l.vendor_id order by v.key")
	out := map[int64][]string{}
	for _, r := range rows {
		out[r.Link] = append(out[r.Link], r.Key)
	}
	return out, err
}

// ServeOnly lets a link serve these vendors and no other. Where it is new to a vendor it comes after that one's others.
func ServeOnly(ctx context.Context, t *db.Tx, link int64, vendors []int64) error {
	if _, err := t.ExecContext(ctx, "delete from vendor_link where link_id = $1 and vendor_id <> all($2)", link,
		vendors); err != nil {
		return err
	}
	_, err := t.ExecContext(ctx, `insert into vendor_link (vendor_id, link_id, rank)
		select v.id, $1, coalesce((select max(rank) from vendor_link o where o.vendor_id = v.id), 0) + 1
		from vendor v where v.id = any($2) on conflict do nothing`, link, vendors)
	return err
}

// Describe writes what a person says of a link.
func Describe(ctx context.Context, t *db.Tx, l Link) error {
	_, err := t.ExecContext(ctx, `update link set name = $2, address = $3, description = cast($4 as jsonb), version = $5
		where id = $1`, l.ID, l.Name, l.Address, l.Description, l.Version)
	return err
}

// Used says whether anything has gone or come by a link.
func Used(ctx context.Context, q db.Querier, id int64) (used bool, err error) {
	return used, q.GetContext(ctx, &used, `select exists (select 1 from delivery where link_id = $1)
		or exists (select 1 from link_event where link_id = $1)`, id)
}

// RemoveLink removes a link that was not used.
func RemoveLink(ctx context.Context, t *db.Tx, id int64) error {
	if _, err := t.ExecContext(ctx, "delete from vendor_link where link_id = $1", id); err != nil {
		return err
	}
	_, err := t.ExecContext(ctx, "delete from link where id = $1", id)
	return err
}
