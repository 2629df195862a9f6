package cases

import (
	"context"
	"time"

	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/store/db"
)

// answered bounds how many of a vendor's latest cases are looked at for how long its answers took.
const answered = 120

// Answered is how long a vendor took for its first response to a case.
type Answered struct {
	Channel   route.Kind
	StartedAt time.Time `db:"started_at"`
	EndedAt   time.Time `db:"ended_at"`
}

// LastAnswers are the vendor's first responses at a level to the latest cases filed by each channel; most is the
// maximum number for each.
func LastAnswers(ctx context.Context, q db.Querier, vendor int64, rank, most int) (out []Answered, err error) {
	return out, q.SelectContext(ctx, &out, `with one as (
			select e.channel, d.started_at, d.ended_at, row_number() over (partition by e.channel order by c.number desc) as nth
			from (select id, number from support_case where vendor_id = $1 and state <> 'draft' order by number desc limit $2) c
			cross join lateral (select started_at, ended_at from deadline where case_id = c.id and kind = $3 and rank = $4
				and ended_at is not null and outcome in ('met', 'missed') order by opened limit 1) d
			cross join lateral (select channel from delivery where case_id = c.id and action = $5 and state = 'arrived'
				order by id limit 1) e)
		select channel, started_at, ended_at from one where nth <= $6`,
		vendor, answered, deadline.FirstResponse.String(), rank, route.Open, most)
}
