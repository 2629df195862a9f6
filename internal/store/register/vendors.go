// Package register keeps vendors and what we have from them, and finds any of it.
package register

import (
	"context"
	"time"

	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/store/db"
	hoursdb "roundhouse.example/internal/store/hours"
)

// Vendor is somebody we buy from.
type Vendor struct {
	ID              int64     `db:"id"`
	Key             string    `db:"key"`
	Name            string    `db:"name"`
	Does            string    `db:"does"`
	Zone            string    `db:"zone"`
	HoursID         int64     `db:"hours_id"`
	ReferencePrefix string    `db:"reference_prefix"`
	CreatedAt       time.Time `db:"created_at"`
	// Profile is what is known beside the columns; its members that are columns are empty.
	Profile db.JSON[register.Vendor] `db:"profile"`
	Version int64                    `db:"version"`
	// Placeholder says that it is nobody: cases whose vendor is not known yet are with it.
	Placeholder bool `db:"placeholder"`
}

// InForce says whether the contract holds on a date, written like 2026-12-25.
func (k Contract) InForce(date string) bool {
	return k.StartsOn.Format(time.DateOnly) <= date && date <= k.EndsOn.Format(time.DateOnly)
}

// Vendors are all of them by name.
func Vendors(ctx context.Context, q db.Querier) (out []Vendor, err error) {
	return out, q.SelectContext(ctx, &out, "select * from vendor where not placeholder order by lower(name)")
}

// VendorsOfAccess are the ids of the vendors whose access list has a person, by email address.
func VendorsOfAccess(ctx context.Context, q db.Querier, email string) (ids []int64, err error) {
	return ids, q.SelectContext(ctx, &ids, `select id from vendor where exists (
		select from jsonb_array_elements(case jsonb_typeof(profile->'access') when 'array' then profile->'access'
			else '[]' end) a where lower(a->>'person') = lower($1))`, email)
}

// VendorByKey takes the key or the whole name, in any case.
func VendorByKey(ctx context.Context, q db.Querier, key string) (v Vendor, err error) {
	return v, db.One(q.GetContext(ctx, &v, `select * from vendor where not placeholder
		and (key = lower($1) or lower(name) = lower($1))`, key))
}

// PlaceholderVendor is the one with which cases are whose vendor is not known yet; ErrNotFound while there was no such
// case.
func PlaceholderVendor(ctx context.Context, q db.Querier) (v Vendor, err error) {
	return v, db.One(q.GetContext(ctx, &v, "select * from vendor where placeholder"))
}

// VendorByID is ErrNotFound where there is none.
func VendorByID(ctx context.Context, q db.Querier, id int64) (v Vendor, err error) {
	return v, db.One(q.GetContext(ctx, &v, "select * from vendor where id = $1", id))
}

// AddVendor gives the vendor an id.
func AddVendor(ctx context.Context, q db.Querier, v *Vendor) error {
	v.Version = 1
	return q.GetContext(ctx, &v.ID, `insert into vendor (key, name, does, zone, hours_id, reference_prefix,
		created_at, profile, placeholder)
		values ($1, $2, $3, $4, $5, $6, $7, cast($8 as jsonb), $9) returning id`, v.Key, v.Name, v.Does, v.Zone, v.HoursID,
		v.ReferencePrefix, v.CreatedAt, v.Profile, v.Placeholder)
}

// ChangeVendor writes it, unless it is no longer at the version it was read at.
func ChangeVendor(ctx context.Context, q db.Querier, v *Vendor) (changed bool, err error) {
	return db.Affected(q.ExecContext(ctx, `update vendor set version = version + 1, name = $3, does = $4, zone = $5,
		hours_id = $6, profile = cast($7 as jsonb)
		where id = $1 and version = $2`, v.ID, v.Version, v.Name, v.Does, v.Zone, v.HoursID, v.Profile))
}

// linksOfNobody takes out links that serve no vendor and by which nothing ever went or was placed, with what they
// brought that was nobody's.
var linksOfNobody = []string{
	`delete from link_event e where case_id is null
		and not exists (select from vendor_link v where v.link_id = e.link_id)`,
	`delete from link l where not exists (select from vendor_link v where v.link_id = l.id)
		and not exists (select from link_event e where e.link_id = l.id) and not exists (select from delivery d
		where d.link_id = l.id)`,
}

// RemoveVendor takes one out with its levels and the calendars that are its own,
// where nothing else refers to it.
func RemoveVendor(ctx context.Context, q db.Querier, id, version int64) (removed bool, err error) {
	own, err := hoursdb.OwnCalendars(ctx, q, id)
	if err != nil {
		return false, err
	}
	for _, sql := range []string{"delete from severity_level where vendor_id = $1",
		"delete from level_criterion where level_id in (select id from vendor_level where vendor_id = $1)",
		"delete from vendor_level where vendor_id = $1", "delete from vendor_link where vendor_id = $1"} {
		if _, err := q.ExecContext(ctx, sql, id); err != nil {
			return false, err
		}
	}
	for _, sql := range linksOfNobody {
		if _, err := q.ExecContext(ctx, sql); err != nil {
			return false, err
		}
	}
	r, err := q.ExecContext(ctx, "delete from vendor where id = $1 and version = $2", id, version)
	if err != nil {
		return false, err
	}
	for _, c := range own {
		if _, err := hoursdb.RemoveCalendar(ctx, q, c); err != nil {
			return false, err
		}
	}
	n, err := r.RowsAffected()
	return n == 1, err
}

// VendorsByID are some vendors, by id.
func VendorsByID(ctx context.Context, q db.Querier, ids []int64) (map[int64]Vendor, error) {
	var rows []Vendor
	err := q.SelectContext(ctx, &rows, "select * from vendor where id = any($1)", ids)
	out := make(map[int64]Vendor, len(rows))
	for _, v := range rows {
		out[v.ID] = v
	}
	return out, err
}

// Ladders are those of some vendors, by id.
func Ladders(ctx context.Context, q db.Querier, ids []int64) (map[int64][]register.Rung, error) {
	var rows []struct {
		ID     int64                    `db:"id"`
		Ladder db.JSON[[]register.Rung] `db:"ladder"`
	}
	err := q.SelectContext(ctx, &rows, `select id, coalesce(profile->'ladder', '[]') as ladder from vendor
		where id = any($1)`, ids)
	out := make(map[int64][]register.Rung, len(rows))
	for _, r := range rows {
		out[r.ID] = r.Ladder.V
	}
	return out, err
}
