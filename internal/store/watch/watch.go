// Package watch keeps what people watch.
package watch

import (
	"context"
	"time"

	"roundhouse.example/internal/store/db"
)

// Watch is one thing that a person watches: a case, a vendor or a severity.
type Watch struct {
	ID       int64     `db:"id"`
	PersonID int64     `db:"person_id"`
	CaseID   *int64    `db:"case_id"`
	VendorID *int64    `db:"vendor_id"`
	Severity *int      `db:"severity"`
	MadeAt   time.Time `db:"made_at"`
	// Number and Title are the case's, Key and Vendor the vendor's, where it is one.
	Number *int64  `db:"number"`
	Title  *string `db:"title"`
	Key    *string `db:"key"`
	Vendor *string `db:"vendor"`
}

const columns = `select w.*, c.number, c.title, v.key, v.name as vendor from watch w
	left join support_case c on c.id = w.case_id left join vendor v on v.id = w.vendor_id `

// Of is what a person watches, the newest first.
func Of(ctx context.Context, q db.Querier, person int64) (out []Watch, err error) {
	return out, q.SelectContext(ctx, &out, columns+"where w.person_id = $1 order by w.id desc", person)
}

// Add watches something; what is watched already stays so.
func Add(ctx context.Context, q db.Querier, w Watch) error {
	_, err := q.ExecContext(ctx, `insert into watch (person_id, case_id, vendor_id, severity, made_at)
		values ($1, $2, $3, $4, $5) on conflict do nothing`, w.PersonID, w.CaseID, w.VendorID, w.Severity, w.MadeAt)
	return err
}

// Remove ends a watch of a person's; gone is false where there is none.
func Remove(ctx context.Context, q db.Querier, person, id int64) (gone bool, err error) {
	return db.Affected(q.ExecContext(ctx, "delete from watch where person_id = $1 and id = $2", person, id))
}
