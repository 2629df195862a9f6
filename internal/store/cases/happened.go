package cases

import (
	"context"
	"time"

	"roundhouse.example/internal/store/db"
)

// Happened is what has been recorded of a case since an instant, in counts and in what became of it.
type Happened struct {
	CaseID   int64  `db:"case_id"`
	Number   int64  `db:"number"`
	Title    string `db:"title"`
	Vendor   string `db:"vendor"`
	Severity *int   `db:"severity"`
	State    string `db:"state"`
	Filed    bool   `db:"filed"`
	Heard    int    `db:"heard"` // words of the vendor's, but for automatic ones
	Told     int    `db:"told"`  // messages and steps of ours that have left
	Notes    int    `db:"notes"`
	Offered  bool   `db:"offered"`
	Ended    bool   `db:"ended"`
	Reopened bool   `db:"reopened"`
	Handed   bool   `db:"handed"`
	Graded   bool   `db:"graded"`  // its severity was changed
	Raised   int    `db:"raised"`  // the highest rung of the vendor's ladder that was raised
	Briefed  int    `db:"briefed"` // how often management or users were told of it
}

// HappenedSince is what has been recorded since an instant, case by case, the most severe first; only are the vendors
// whose cases count, nil for all. Cases of which nothing but small changes were recorded are left out.
func HappenedSince(ctx context.Context, q db.Querier, since time.Time, only []int64, most int) (out []Happened,
	err error) {
	return out, q.SelectContext(ctx, &out, `with x as (
			select e.case_id,
				bool_or(e.effect->>'event' = 'filed') as filed,
				count(*) filter (where e.effect->>'event' = 'vendor-message'
					and not cast(coalesce(e.effect->>'automatic', 'false') as boolean)) as heard,
				count(*) filter (where e.effect->>'event' = 'our-message' or e.effect->>'event' <> 'filed'
					and cast(coalesce(e.effect->>'told', 'false') as boolean)) as told,
				count(*) filter (where e.kind = 'note') as notes,
				bool_or(e.effect->>'offers' is not null) as offered,
				bool_or(e.effect->>'event' in ('fix-accepted', 'resolved', 'closed', 'withdrawn')) as ended,
				bool_or(e.effect->>'event' = 'reopened') as reopened,
				bool_or(e.number > 1 and e.effect->'sets' ? 'owner') as handed,
				bool_or(e.effect->>'event' = 'severity') as graded,
				max(cast(e.effect->'item'->>'rung' as integer)) filter (where e.effect->>'event' = 'raised') as raised,
				count(*) filter (where e.kind = 'briefing') as briefed
			from case_entry e where e.recorded_at >= $1 group by e.case_id)
		select c.id as case_id, c.number, c.title, v.name as vendor, c.severity, c.state, coalesce(x.filed, false) as filed,
			x.heard, x.told, x.notes, coalesce(x.offered, false) as offered, coalesce(x.ended, false) as ended,
			coalesce(x.reopened, false) as reopened, coalesce(x.handed, false) as handed,
			coalesce(x.graded, false) as graded, coalesce(x.raised, 0) as raised, x.briefed
		from x join support_case c on c.id = x.case_id join vendor v on v.id = c.vendor_id
		where (x.filed or x.heard > 0 or x.told > 0 or x.notes > 0 or x.ended or x.reopened or x.handed
			or x.graded or x.raised > 0 or x.briefed > 0)
			and ($2::bigint[] is null or c.vendor_id = any($2))
		order by coalesce(c.severity, 9), c.number limit $3`, since, only, most)
}

// Asks is what holds of a case c that asks for attention at some time: of each live one, and of those that have ended
// of which something is still due. They have indexes of their own, so that it is said once where it follows from the
// rest.
const Asks = "c.next_at is not null"

// DueBefore is the condition that something live of a case is due before an instant.
func DueBefore(at string) string {
	return Asks + " and (c.id in (select case_id from deadline where outcome = 'live' and due_at < " + at + ") " +
		"or c.id in (select case_id from dated_item where outcome = 'live' and due_at < " + at + "))"
}

// Held is what a person has: live cases, those that wait on us, those of severity 1 and 2.
type Held struct {
	PersonID *int64 `db:"owner_id"`
	Name     string `db:"name"`
	Live     int    `db:"live"`
	OnUs     int    `db:"on_us"`
	Severe   int    `db:"severe"`
	Late     int    `db:"late"`
}

// HeldBy is who has which live cases, by name; what nobody has comes last.
func HeldBy(ctx context.Context, q db.Querier, now time.Time, only []int64) (out []Held, err error) {
	return out, q.SelectContext(ctx, &out, `select c.owner_id, coalesce(p.name, '') as name, count(*) as live,
			count(*) filter (where c.move = 'ours') as on_us, count(*) filter (where c.severity <= 2) as severe,
			count(*) filter (where `+DueBefore("$1")+`) as late
		from support_case c left join person p on p.id = c.owner_id
		where c.`+LiveCases+` and ($2::bigint[] is null or c.vendor_id = any($2))
		group by c.owner_id, p.name order by p.name nulls last`, now, only)
}
