package work

import (
	"context"
	"log/slog"
	"sync"
	"time"

	"roundhouse.example/internal/desk/whole"
)

// How many links one service looks at side by side. Those that failed the last time have a
// few places of their own, and a look that has taken slowAfter moves to another, so that
// vendors that hang hold up none that answer.
const (
	wellPlaces    = 12
	failingPlaces = 4
	slowPlaces    = 64
	slowAfter     = time.Second
)

// places are as many as can be taken at once.
type places chan struct{}

func (p places) take() bool {
	select {
	case p <- struct{}{}:
		return true
	default:
		return false
	}
}

func (p places) leave() { <-p }

// looker looks at links as their time comes.
type looker struct {
	ctx           context.Context // the service's: a look outlives the round that began it
	d             *whole.Desk
	every         time.Duration
	log           *slog.Logger
	well, failing places
	slow          places
	looks         sync.WaitGroup
	mu            sync.Mutex
	busy          map[int64]bool // links that this service is at
}

func newLooker(ctx context.Context, d *whole.Desk, o Options) *looker {
	return &looker{ctx: ctx, d: d, every: o.Look, log: o.Log, busy: map[int64]bool{},
		well: make(places, wellPlaces), failing: make(places, failingPlaces), slow: make(places, slowPlaces)}
}

// round begins to look at what is due, as far as there are places; the rest is due in the
// next round too. It does not wait for the looks to end.
func (l *looker) round(ctx context.Context) error {
	due, err := l.d.Inbox.Due(ctx)
	if err != nil {
		return err
	}
	for _, k := range due {
		place := l.well
		if k.Failures > 0 {
			place = l.failing
		}
		if !l.begin(k.ID) {
			continue
		}
		if !place.take() {
			l.end(k.ID)
			continue
		}
		l.looks.Go(func() { l.look(k.ID, place) })
	}
	return nil
}

func (l *looker) look(id int64, place places) {
	defer l.end(id)
	var mu sync.Mutex
	slow := time.AfterFunc(slowAfter, func() {
		mu.Lock()
		defer mu.Unlock()
		if place != nil && l.slow.take() {
			place.leave()
			place = l.slow
		}
	})
	defer func() {
		slow.Stop()
		mu.Lock()
		defer mu.Unlock()
		place.leave()
		place = nil
	}()
	ctx, cancel := context.WithTimeout(l.ctx, time.Minute)
	defer cancel()
	if err := l.d.Inbox.Collect(ctx, id, l.every); err != nil && ctx.Err() == nil {
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

func (l *looker) wait() { l.looks.Wait() }
