package cases

import (
	"context"
	"time"

	"roundhouse.example/internal/store/db"
)

// Wait is how long a vendor took for a kind of deadline of cases that were filed by a channel, beside what was
// promised: covered seconds, of those that have ended since an instant. Half of them took Real or less, nine of ten
// Slowest or less.
type Wait struct {
	Channel  string `db:"channel"`
	Deadline string `db:"kind"`
	Cases    int    `db:"n"`
	Promised int64  `db:"promised"`
	Real     int64  `db:"real"`
	Slowest  int64  `db:"slowest"`
	Late     int    `db:"late"`
}

// Waits are those of a vendor for a first response, a workaround and a resolution, by channel.
func Waits(ctx context.Context, q db.Querier, vendor int64, since time.Time) (out []Wait, err error) {
	return out, q.SelectContext(ctx, &out, `select e.effect->>'channel' as channel, d.kind, count(*) as n,
			percentile_disc(0.5) within group (order by d.target_seconds) as promised,
			percentile_disc(0.5) within group (order by d.counted_seconds) as real,
			percentile_disc(0.9) within group (order by d.counted_seconds) as slowest,
			count(*) filter (where d.outcome = 'missed' or d.ended_at > d.due_at) as late
		from deadline d join support_case c on c.id = d.case_id
		join case_entry e on e.case_id = d.case_id and e.number = d.start_entry
		where c.vendor_id = $1 and d.kind in ('first-response', 'workaround', 'resolution')
			and d.outcome in ('met', 'missed') and d.ended_at >= $2 and coalesce(e.effect->>'channel', '') <> ''
		group by 1, 2 order by 1, array_position(array['first-response', 'workaround', 'resolution'], d.kind)`, vendor, since)
}
