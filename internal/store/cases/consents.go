package cases

import (
	"context"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/store/db"
)

// ConsentRow is a consent with the case it was given on.
type ConsentRow struct {
	Number  int64                     `db:"number"`
	Title   string                    `db:"title"`
	Vendor  string                    `db:"vendor"`
	Consent db.JSON[casework.Consent] `db:"consent"`
}

// Consents are those of the cases with some vendors (nil: all), the latest given first: all, or those that hold at an
// instant.
func Consents(ctx context.Context, q db.Querier, vendors []int64, holding bool, now time.Time,
	limit int) (out []ConsentRow, err error) {
	return out, q.SelectContext(ctx, &out, `select c.number, c.title, v.name as vendor, x.consent from support_case c
		join vendor v on v.id = c.vendor_id
		cross join lateral jsonb_array_elements(c.consents) as x(consent)
		where c.consents <> '[]' and ($1::bigint[] is null or c.vendor_id = any($1))
		and (not $2 or x.consent->>'withdrawn' is null
			and coalesce(cast(x.consent->>'until' as timestamptz) > $3, true))
		order by x.consent->>'given' desc, c.number desc, x.consent->>'number' desc limit $4`, vendors, holding, now, limit)
}
