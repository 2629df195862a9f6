// Package outages keeps the outages of vendors that somebody noted.
package outages

import (
	"context"
	"time"

	"roundhouse.example/internal/store/db"
)

// Outage is a row of outage with the names that a list shows.
type Outage struct {
	ID        int64      `db:"id"`
	VendorID  int64      `db:"vendor_id"`
	Title     string     `db:"title"`
	Effect    string     `db:"effect"` // on our users
	Said      string     `db:"said"`   // the vendor's own words
	Page      string     `db:"page"`   // where it tells of it
	Since     time.Time  `db:"since"`
	UpdatedAt *time.Time `db:"updated_at"` // when the vendor told of it last
	EndedAt   *time.Time `db:"ended_at"`
	NotedBy   int64      `db:"noted_by"`
	NotedAt   time.Time  `db:"noted_at"`
	Version   int64      `db:"version"`
	VendorKey string     `db:"vendor_key"`
	Vendor    string     `db:"vendor"`
	Person    string     `db:"person"`
	Cases     int        `db:"cases"` // that are tied to it
}

const columns = `select o.*, v.key as vendor_key, v.name as vendor, p.name as person,
	(select count(*) from support_case c where c.outage_id = o.id) as cases
	from outage o join vendor v on v.id = o.vendor_id join person p on p.id = o.noted_by `

// Filter narrows a list; its zero value is all outages.
type Filter struct {
	Vendor  int64   // of this vendor
	Only    []int64 // vendors that may be seen; nil: all
	Current bool    // that have not ended
	Limit   int
}

// List are outages, the latest first.
func List(ctx context.Context, q db.Querier, f Filter) (out []Outage, err error) {
	return out, q.SelectContext(ctx, &out, columns+`where ($1 = 0 or o.vendor_id = $1)
		and ($2::bigint[] is null or o.vendor_id = any($2)) and (not $3 or o.ended_at is null)
		order by o.ended_at is not null, o.since desc, o.id desc limit $4`, f.Vendor, f.Only, f.Current, f.Limit)
}

// ByID is db.ErrNotFound where there is none.
func ByID(ctx context.Context, q db.Querier, id int64) (o Outage, err error) {
	return o, db.One(q.GetContext(ctx, &o, columns+"where o.id = $1", id))
}

// Insert gives the outage its id.
func Insert(ctx context.Context, t *db.Tx, o *Outage) error {
	return t.GetContext(ctx, &o.ID, `insert into outage (vendor_id, title, effect, said, page, since, updated_at, ended_at,
		noted_by, noted_at) values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10) returning id`, o.VendorID, o.Title, o.Effect,
		o.Said, o.Page, o.Since, o.UpdatedAt, o.EndedAt, o.NotedBy, o.NotedAt)
}

// Save writes an outage of the version that was read, and says whether it was still there.
func Save(ctx context.Context, t *db.Tx, o Outage) (bool, error) {
	return db.Affected(t.ExecContext(ctx, `update outage set title = $3, effect = $4, said = $5, page = $6, since = $7,
		updated_at = $8, ended_at = $9, version = version + 1 where id = $1 and version = $2`, o.ID, o.Version, o.Title,
		o.Effect, o.Said, o.Page, o.Since, o.UpdatedAt, o.EndedAt))
}
