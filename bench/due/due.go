// Package due measures what time costs: the sweep that finds what has come due, telling thousands of people's deadlines
// at once, and recalculating what follows from changed hours.
package due

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"roundhouse.example/bench/apart"
	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/service"
	peopledb "roundhouse.example/internal/store/people"
)

// world is a desk whose live cases are copies of one.
type world struct {
	*service.Desk
	model int64
}

// Run measures on a database of its own on the server, and prints a figure a line.
func Run(ctx context.Context, server string) error {
	d, _, err := apart.Fresh(ctx, server, "due")
	if err != nil {
		return err
	}
	defer d.Close()
	w := &world{Desk: d}
	if err := w.fill(ctx); err != nil {
		return err
	}
	if err := w.sweeps(ctx); err != nil {
		return err
	}
	if err := w.burst(ctx); err != nil {
		return err
	}
	return w.recalculated(ctx)
}

// fill plays the demo, whose cases are all ended then but for the one that is copied.
func (w *world) fill(ctx context.Context) error {
	if _, err := apart.Play(ctx, w.Desk); err != nil {
		return err
	}
	if err := w.Store.DB.GetContext(ctx, &w.model, `select c.id from support_case c join deadline d on d.case_id = c.id
		where c.state = 'open' and d.outcome = 'live' and not exists (select from dated_item i where i.case_id = c.id)
		group by c.id order by count(*) desc, c.last_entry, c.id limit 1`); err != nil {
		return err
	}
	// What else falls due by itself would blur the figures.
	return w.do(ctx, `delete from deadline where case_id <> $1`, w.model)
}

func (w *world) do(ctx context.Context, sql string, args ...any) error {
	_, err := w.Store.DB.ExecContext(ctx, sql, args...)
	return err
}

// columns are those of a table but for some, as a statement lists them.
func (w *world) columns(ctx context.Context, table string, but ...string) (string, error) {
	all, err := apart.Columns(ctx, w.Desk, table, but...)
	return strings.Join(all, ", "), err
}

// grow copies the model until there are n of them, with all that their records say; nothing of them is due for a year.
func (w *world) grow(ctx context.Context, n int) error {
	of, err := w.columns(ctx, "support_case", "id", "number", "wake_at", "model")
	if err != nil {
		return err
	}
	entry, err := w.columns(ctx, "case_entry", "id", "case_id")
	if err != nil {
		return err
	}
	clock, err := w.columns(ctx, "deadline", "case_id", "due_at", "soon_at")
	if err != nil {
		return err
	}
	for _, sql := range []string{
		fmt.Sprintf(`create temporary table fresh as with made as (insert into support_case (number, %[1]s)
			select nextval('case_number'), %[1]s from support_case, generate_series(1, $1) where id = $2 returning id)
			select id from made`, of),
		fmt.Sprintf(`with e as (insert into case_entry (case_id, %[1]s) select f.id, %[1]s from case_entry, fresh f
			where case_id = $2 and $1 > 0 returning id) insert into entry_body (entry_id, body) select id, 'Words.' from e`,
			entry),
		fmt.Sprintf(`insert into deadline (case_id, due_at, soon_at, %[1]s) select f.id, now() + interval '1 year',
			now() + interval '11 months', %[1]s from deadline, fresh f where case_id = $2 and $1 > 0`, clock),
	} {
		// One statement with two arguments each, so that all can be written alike.
		sql = strings.Replace(strings.Replace(sql, "$1", fmt.Sprint(n), 1), "$2", fmt.Sprint(w.model), 1)
		if err := w.do(ctx, sql); err != nil {
			return fmt.Errorf("%w in %s", err, sql)
		}
	}
	if err := w.do(ctx, "drop table fresh"); err != nil {
		return err
	}
	return w.do(ctx, "vacuum analyze")
}

// fall lets clocks of n cases come due within the last minute, and forgets what was told before.
func (w *world) fall(ctx context.Context, n int) error {
	return w.do(ctx, fmt.Sprintf(`
		delete from webhook_delivery; delete from notification; delete from notification_event;
		update notification_mark set done_at = now() - interval '1 minute';
		update deadline set due_at = now() + interval '1 year', soon_at = now() + interval '11 months'
			where due_at < now() + interval '1 day' and outcome = 'live';
		update deadline d set due_at = now() - random() * interval '50 seconds', soon_at = now() - interval '1 day'
			from (select case_id, min(opened) as opened from deadline where outcome = 'live' group by case_id
				order by case_id limit %d) x where d.case_id = x.case_id and d.opened = x.opened`, n))
}

const (
	due    = 500 // clocks come due in the minute
	rounds = 12
)

// sweeps measures the sweep of a minute in which the same number of clocks comes due, with ever more open cases.
func (w *world) sweeps(ctx context.Context) error {
	var first float64
	have := 1
	for _, open := range []int{1_000, 10_000, 100_000} {
		if err := w.grow(ctx, open-have); err != nil {
			return err
		}
		have = open
		var took []time.Duration
		for range rounds {
			if err := w.fall(ctx, due); err != nil {
				return err
			}
			began := time.Now()
			n, err := w.Sweep(ctx)
			if err != nil {
				return err
			}
			if n < due {
				return fmt.Errorf("%d of %d were told", n, due)
			}
			took = append(took, time.Since(began))
		}
		slices.Sort(took)
		// Of a machine that others use too, the rounds in which they leave it alone say most.
		quick := took[len(took)/4].Seconds() * 1000
		if first == 0 {
			first = quick
		}
		fmt.Printf("%-28s %6.1f ms with %d due and %d open, ratio %.2f (at most 1.2: %s)\n", "a minute's sweep", quick, due,
			open, quick/first, apart.Verdict(quick/first <= 1.2))
	}
	return nil
}

// burst measures how long 5,000 clocks take to be told that come due within one minute.
func (w *world) burst(ctx context.Context) error {
	const many = 5_000
	if err := w.fall(ctx, many); err != nil {
		return err
	}
	began := time.Now()
	n, err := w.Notify.Sweep(ctx)
	if err != nil {
		return err
	}
	took := time.Since(began).Seconds()
	fmt.Printf("%-28s %6.1f s for %d (under 60: %s)\n", "a burst is told in", took, n,
		apart.Verdict(took < 60 && n >= many))
	return nil
}

// part is how many cases are recalculated.
const part = 4_000

// recalculated measures how long deadlines take to follow changed hours.
func (w *world) recalculated(ctx context.Context) error {
	if err := w.fall(ctx, 0); err != nil {
		return err
	}
	var id int64
	if err := w.Store.DB.GetContext(ctx, &id, `select calendar_id from deadline where case_id = $1 and outcome = 'live'
		order by opened limit 1`, w.model); err != nil {
		return err
	}
	admin, err := peopledb.ByEmail(ctx, w.Store.DB, "tuva@saltmarsh.example")
	if err != nil {
		return err
	}
	tuva := desk.Actor{Person: admin}
	if _, err := w.Hours.AddCalendarVersion(ctx, tuva, id, time.Now().AddDate(0, 0, 3).Format(time.DateOnly),
		calendar.Definition{Zone: "Europe/Oslo", Week: map[string][]string{"mon": {"08:00-17:00"}, "tue": {"08:00-17:00"},
			"wed": {"08:00-17:00"}, "thu": {"08:00-17:00"}, "fri": {"08:00-17:00"}}}); err != nil {
		return err
	}
	// A part of them says how long all take.
	if err := w.do(ctx, `update support_case set wake_at = null where wake_at is not null and id not in (select id
		from support_case where wake_at <= now() order by id limit $1)`, part); err != nil {
		return err
	}
	var clocks int
	if err := w.Store.DB.GetContext(ctx, &clocks, `select count(*) from deadline d join support_case c on c.id = d.case_id
		where d.outcome = 'live' and c.wake_at <= now()`); err != nil {
		return err
	}
	began := time.Now()
	n, err := w.Waking.Due(ctx)
	if err != nil {
		return err
	}
	took := time.Since(began).Seconds()
	goal := took / float64(clocks) * 100_000
	fmt.Printf("%-28s %6.1f s for %d deadlines of %d cases: %.1f s for 100,000 (under 30: %s)\n", "hours change in", took,
		clocks, n, goal, apart.Verdict(goal < 30))
	return nil
}
