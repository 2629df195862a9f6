// Package work runs what goes on by itself: delivering, collecting, sweeping.
// The jobs only wake somebody; what is to be done stands in the desk's own
// tables, so that a lost job loses nothing.
package work

import (
	"context"
	"errors"
	"log/slog"
	"runtime/debug"
	"sync"
	"time"

	"roundhouse.example/internal/store/db"

	"roundhouse.example/internal/desk/whole"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
)

// Options say how often the workers look by themselves. Zero values take the defaults.
type Options struct {
	// Look is the time between two looks at the vendors' links; 20 s.
	Look time.Duration
	// Sweep is the time between two sweeps for what has become due; 2 s.
	Sweep time.Duration
	Log   *slog.Logger
}

// Queue enqueues in the transaction of the record. It is the desk's queue.
type Queue struct{ client *river.Client[pgx.Tx] }

// NewQueue makes a queue that only enqueues; Start makes one that works too.
func NewQueue(s *db.Store) (*Queue, error) {
	c, err := river.NewClient(riverpgxv5.New(s.Pool), &river.Config{})
	return &Queue{c}, err
}

// Workers are running workers; Stop ends them.
type Workers struct {
	client *river.Client[pgx.Tx]
	stop   context.CancelFunc
	loops  sync.WaitGroup
	looks  *looker
	log    *slog.Logger
}

// Start runs workers for a desk: the queue's, and the loops that need nobody
// to wake them. Of several services on one database one at a time sweeps, under a lock
// that dies with its connection; one at a time looks at a link, which it takes for as long
// as the vendor's time-out: a killed service holds nobody up.
func Start(ctx context.Context, d *whole.Desk, s *db.Store, o Options) (*Workers, error) {
	if o.Look == 0 {
		o.Look = 20 * time.Second
	}
	if o.Sweep == 0 {
		o.Sweep = 2 * time.Second
	}
	ws := river.NewWorkers()
	river.AddWorker(ws, &deliverWorker{d: d, link: &turns{most: 3}})
	river.AddWorker(ws, &rebuildWorker{d: d})
	// Time-outs grow outward: a call to a vendor, the job around it, the rescue of a job whose worker died.
	c, err := river.NewClient(riverpgxv5.New(s.Pool), &river.Config{
		Queues: map[string]river.QueueConfig{river.QueueDefault: {MaxWorkers: 24},
			rebuildQueue: {MaxWorkers: 1}},
		Workers:                     ws,
		JobTimeout:                  time.Minute,
		RescueStuckJobsAfter:        90 * time.Second,
		FetchCooldown:               10 * time.Millisecond,
		FetchPollInterval:           2 * time.Second,
		CompletedJobRetentionPeriod: 10 * time.Minute,
		DiscardedJobRetentionPeriod: time.Hour,
		Logger:                      o.Log,
	})
	if err != nil {
		return nil, err
	}
	loops, stop := context.WithCancel(ctx)
	w := &Workers{client: c, stop: stop, log: o.Log}
	if err := c.Start(ctx); err != nil {
		stop()
		return nil, err
	}
	w.loop(loops, o.Sweep, time.Minute, "sweep", sweep(d, s))
	// Of several services one examines a file, under a lock on it that dies with the service.
	w.loop(loops, o.Sweep, time.Hour, "examine", d.Files.ExamineDue)
	// Each email and each request is taken by one service; none holds a connection while it waits.
	w.loop(loops, o.Sweep, 5*time.Minute, "email", func(ctx context.Context) error {
		return errors.Join(d.Agenda.Invitations(ctx), d.Mailing.Run(ctx))
	})
	w.loop(loops, o.Sweep, 5*time.Minute, "webhooks", d.Webhooks.Run)
	l := newLooker(loops, d, o)
	w.looks = l
	w.loop(loops, min(o.Look, time.Second), time.Minute, "look", l.round)
	w.loops.Go(func() {
		if err := d.Today.Warm(loops); err != nil && loops.Err() == nil {
			o.Log.Warn("today", "error", err)
		}
		// What was read to make the board is several times what stays of it; nothing else would give it back soon.
		debug.FreeOSMemory()
	})
	return w, nil
}

func (w *Workers) loop(ctx context.Context, every, most time.Duration, name string,
	fn func(context.Context) error) {
	w.loops.Go(func() {
		t := time.NewTicker(every)
		defer t.Stop()
		for {
			within, cancel := context.WithTimeout(ctx, most)
			err := fn(within)
			cancel()
			if err != nil && ctx.Err() == nil {
				w.log.Warn(name, "error", err)
			}
			select {
			case <-ctx.Done():
				return
			case <-t.C:
			}
		}
	})
}

// Stop lets running work end, for as long as ctx allows.
func (w *Workers) Stop(ctx context.Context) error {
	w.stop()
	w.loops.Wait()
	w.looks.wait()
	if err := w.client.Stop(ctx); err != nil {
		ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), 3*time.Second)
		defer cancel()
		return w.client.StopAndCancel(ctx)
	}
	return nil
}
