package due

import (
	"context"
	"fmt"
	"slices"
	"time"

	"roundhouse.example/bench/apart"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/agenda"
	"roundhouse.example/internal/desk/record"
	"roundhouse.example/internal/desk/today"
	"roundhouse.example/internal/ical"
	peopledb "roundhouse.example/internal/store/people"
)

// Stood measures, with 20,000 open cases, Today as it stood, and a calendar that is followed.
func Stood(ctx context.Context, server string) error {
	d, _, err := apart.Fresh(ctx, server, "stood")
	if err != nil {
		return err
	}
	defer d.Close()
	w := &world{Desk: d}
	if err := w.fill(ctx); err != nil {
		return err
	}
	const open = 20_000
	if err := w.grow(ctx, open); err != nil {
		return err
	}
	people, err := peopledb.All(ctx, w.Store.DB)
	if err != nil {
		return err
	}
	a := desk.Actor{Person: people[0]}
	took, err := times(8, func() error {
		then := record.Moment{At: time.Now().Add(-time.Minute), Known: true}
		v, err := w.Today.NextAt(ctx, a, today.Filter{Limit: 100}, then)
		if err == nil && v.Live < open {
			err = fmt.Errorf("only %d cases were live then", v.Live)
		}
		return err
	})
	if err != nil {
		return err
	}
	slow := took[len(took)-1].Seconds()
	fmt.Printf("%-28s %6.2f s at worst with %d live cases (at most 2: %s)\n", "Today as it stood", slow, open,
		apart.Verdict(slow <= 2))
	return w.followed(ctx, a)
}

// followed measures what a calendar program costs, that asks anew and that asks whether anything has changed.
func (w *world) followed(ctx context.Context, a desk.Actor) error {
	_, secret, err := w.Agenda.Subscribe(ctx, a, agenda.Subscription{Name: "bench"})
	if err != nil {
		return err
	}
	events, tag := 0, ""
	took, err := times(40, func() error {
		f, err := w.Agenda.Follow(ctx, secret, "")
		if err == nil && len(ical.Write(f.Events, ical.Options{Name: f.Name, Desk: f.Desk, Now: f.Now})) == 0 {
			err = fmt.Errorf("nothing was written")
		}
		events, tag = len(f.Events), f.Tag
		return err
	})
	if err != nil {
		return err
	}
	p95 := took[len(took)*95/100].Seconds() * 1000
	fmt.Printf("%-28s %6.1f ms p95 with %d events (at most 150: %s)\n", "a calendar, written anew", p95, events,
		apart.Verdict(p95 <= 150 && events >= 5000))
	took, err = times(200, func() error {
		f, err := w.Agenda.Follow(ctx, secret, tag)
		if err == nil && !f.Same {
			err = fmt.Errorf("it says that something has changed")
		}
		return err
	})
	if err != nil {
		return err
	}
	p95 = took[len(took)*95/100].Seconds() * 1000
	fmt.Printf("%-28s %6.1f ms p95 (at most 5: %s)\n", "a calendar that is the same", p95, apart.Verdict(p95 <= 5))
	return nil
}

// times is how long something took that was done several times, the quickest first.
func times(n int, do func() error) ([]time.Duration, error) {
	var took []time.Duration
	for range n {
		began := time.Now()
		if err := do(); err != nil {
			return nil, err
		}
		took = append(took, time.Since(began))
	}
	slices.Sort(took)
	return took, nil
}
