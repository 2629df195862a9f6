package cases

import (
	"context"
	"time"

	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/store/db"
)

// Raised is a rung of the vendor's ladder that was raised on a case.
type Raised struct {
	Entry      int                    `db:"number"`
	Said       int                    `db:"said"` // the entry of what was said to it
	HappenedAt time.Time              `db:"happened_at"`
	Rung       int                    `db:"rung"`
	As         db.JSON[register.Rung] `db:"as_then"`
	By         string                 `db:"by"`
	Text       string                 `db:"body"`
	// Before says that the case has been filed or reopened since.
	Before bool `db:"before"`
}

// RaisedOf are the rungs that were raised on a case, in order.
func RaisedOf(ctx context.Context, q db.Querier, caseID int64) (out []Raised, err error) {
	return out, q.SelectContext(ctx, &out, `select e.number, coalesce(e.refers_to, e.number) as said, e.happened_at,
			cast(e.effect->'item'->>'rung' as integer) as rung, coalesce(e.effect->'item'->'as', '{}') as as_then,
			coalesce(nullif(e.author_name, ''), s.author_name, '') as by, b.body,
			exists (select from case_entry r where r.case_id = e.case_id and r.effect->>'event' in ('filed', 'reopened')
				and (r.happened_at, r.number) > (e.happened_at, e.number)) as before
		from case_entry e join entry_body b on b.entry_id = e.id
		left join case_entry s on s.case_id = e.case_id and s.number = e.refers_to
		where e.case_id = $1 and e.effect->>'event' = 'raised'
		and not exists (select from case_entry x where x.case_id = e.case_id and x.supersedes = e.number)
		order by e.happened_at, e.number`, caseID)
}
