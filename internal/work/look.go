package work

import (
	"context"
	"log/slog"
	"sync"
	"time"

	"golang.org/x/sync/errgroup"

	"roundhouse.example/internal/desk"
)

// How many links one service looks at side by side. Those that failed the last time have a
// few places of their own, so that vendors that hang hold up none that answer.
const (
	wellPlaces    = 12
	failingPlaces = 4
)

// looker looks at links as their time comes.
type looker struct {
	ctx           context.Context // the service's: a look outlives the round that began it
	d             *desk.Desk
	every         time.Duration
	log           *slog.Logger
	well, failing errgroup.Group
	mu            sync.Mutex
	busy          map[int64]bool // links that this service is at
}

func newLooker(ctx context.Context, d *desk.Desk, o Options) *looker {
	l := &looker{ctx: ctx, d: d, every: o.Look, log: o.Log, busy: map[int64]bool{}}
	l.well.SetLimit(wellPlaces)
	l.failing.SetLimit(failingPlaces)
	return l
}

// round begins to look at what is due, as far as there are places; the rest is due in the
// next round too. It does not wait for the looks to end.
func (l *looker) round(ctx context.Context) error {
	due, err := l.d.DueLinks(ctx)
	if err != nil {
		return err
	}
	for _, k := range due {
		places := &l.well
		if k.Failures > 0 {
			places = &l.failing
		}
		if !l.begin(k.ID) {
			continue
		}
		if !places.TryGo(func() error { l.look(k.ID); return nil }) {
			l.end(k.ID)
		}
	}
	return nil
}

func (l *looker) look(id int64) {
	defer l.end(id)
	ctx, cancel := context.WithTimeout(l.ctx, time.Minute)
	defer cancel()
	if err := l.d.Collect(ctx, id, l.every); err != nil && ctx.Err() == nil {
		l.log.Warn("look", "link", id, "error", err)
	}
}

func (l *looker) begin(id int64) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.busy[id] {
		return false
	}
	l.busy[id] = true
	return true
}

func (l *looker) end(id int64) {
	l.mu.Lock()
	defer l.mu.Unlock()
	delete(l.busy, id)
}

func (l *looker) wait() {
	_ = l.well.Wait()
	_ = l.failing.Wait()
}
