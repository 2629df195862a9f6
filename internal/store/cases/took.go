package cases

import (
	"context"
	"time"

	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/store/db"
)

// answered bounds how many of a vendor's latest cases are looked at for how long its answers took.
const answered = 400

// Answered is how long a vendor took for its first response to a case.
type Answered struct {
	Channel   route.Kind
	StartedAt time.Time `db:"started_at"`
	EndedAt   time.Time `db:"ended_at"`
}

// LastAnswers are the vendor's first responses at a level to the latest cases filed by each channel, at most so many of
// each.
func LastAnswers(ctx context.Context, q db.Querier, vendor int64, rank, most int) (out []Answered, err error) {
	return out, q.SelectContext(ctx, &out, `with latest as (select id, number from support_case where vendor_id = $1
			order by number desc limit $2),
		one as (select e.channel, d.started_at, d.ended_at,
				row_number() over (partition by e.channel order by c.number desc, d.opened) as nth
			from latest c join deadline d on d.case_id = c.id join delivery e on e.case_id = c.id
			where d.kind = $3 and d.rank = $4 and d.ended_at is not null and d.outcome in ('met', 'missed')
				and e.action = $5 and e.state = 'arrived')
		select channel, started_at, ended_at from one where nth <= $6`,
		vendor, answered, deadline.FirstResponse.String(), rank, route.Open, most)
}
