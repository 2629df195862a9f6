// Package rota keeps who can be reached round the clock, and knows which live cases need that.
package rota

import (
	"context"
	"time"

	"roundhouse.example/internal/store/db"
)

// Period is a row of rota_period with the person's name.
type Period struct {
	ID       int64     `db:"id"`
	StartsAt time.Time `db:"starts_at"`
	EndsAt   time.Time `db:"ends_at"`
	PersonID int64     `db:"person_id"`
	Phone    string    `db:"phone"`
	Note     string    `db:"note"`
	Version  int64     `db:"version"`
	Name     string    `db:"name"`
	Email    string    `db:"email"`
	// Active says that the person still works here.
	Active bool `db:"active"`
}

const columns = `select r.*, p.name, p.email, p.active from rota_period r join person p on p.id = r.person_id `

// Between are the periods that touch a stretch of time, in order.
func Between(ctx context.Context, q db.Querier, from, until time.Time) (out []Period, err error) {
	return out, q.SelectContext(ctx, &out, columns+"where r.ends_at > $1 and r.starts_at < $2 order by r.starts_at", from,
		until)
}

// ByID is db.ErrNotFound where there is none.
func ByID(ctx context.Context, q db.Querier, id int64) (p Period, err error) {
	return p, db.One(q.GetContext(ctx, &p, columns+"where r.id = $1", id))
}

// Insert gives the period its id.
func Insert(ctx context.Context, t *db.Tx, p *Period) error {
	return t.GetContext(ctx, &p.ID, `insert into rota_period (starts_at, ends_at, person_id, phone, note)
		values ($1, $2, $3, $4, $5) returning id`, p.StartsAt, p.EndsAt, p.PersonID, p.Phone, p.Note)
}

// Save writes a period of the version that was read, and says whether it was still there.
func Save(ctx context.Context, t *db.Tx, p Period) (bool, error) {
	return db.Affected(t.ExecContext(ctx, `update rota_period set starts_at = $3, ends_at = $4, person_id = $5, phone = $6,
		note = $7, version = version + 1 where id = $1 and version = $2`, p.ID, p.Version, p.StartsAt, p.EndsAt, p.PersonID,
		p.Phone, p.Note))
}

// Delete removes a period of the version that was read, and says whether it was still there.
func Delete(ctx context.Context, t *db.Tx, id, version int64) (bool, error) {
	return db.Affected(t.ExecContext(ctx, "delete from rota_period where id = $1 and version = $2", id, version))
}

// Needing are the numbers of the first live cases at a level that needs a contact round the clock, up to most of them,
// and how many there are in all.
func Needing(ctx context.Context, q db.Querier, most int) (numbers []int64, total int, err error) {
	var rows []struct {
		Number int64 `db:"number"`
		Total  int   `db:"total"`
	}
	err = q.SelectContext(ctx, &rows, `with needing as materialized (select c.number from vendor_level l
			join support_case c on c.vendor_id = l.vendor_id and c.level_rank = l.rank
				and c.state in ('filed', 'open', 'fix-offered') where l.round_the_clock)
		select number, (select count(*) from needing) as total from needing order by number limit $1`, most)
	for _, r := range rows {
		numbers, total = append(numbers, r.Number), r.Total
	}
	return numbers, total, err
}
