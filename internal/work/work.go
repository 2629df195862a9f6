// Package work runs what goes on by itself: delivering, collecting, sweeping.
// The jobs only wake somebody; what is to be done stands in the desk's own
// tables, so that a lost job loses nothing.
package work

import (
	"context"
	"errors"
	"log/slog"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivertype"

	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/store"
)

// Options say how often the workers look by themselves. Zero values take the defaults.
type Options struct {
	// Look is the time between two looks at the vendors' links; 20 s.
	Look time.Duration
	// Sweep is the time between two sweeps for what has become due; 2 s.
	Sweep time.Duration
	Log   *slog.Logger
}

type deliverArgs struct {
	Delivery int64 `json:"delivery"`
}

func (deliverArgs) Kind() string { return "deliver" }

type lookArgs struct{}

func (lookArgs) Kind() string { return "look" }

type sweepArgs struct{}

func (sweepArgs) Kind() string { return "sweep" }

// Queue enqueues in the transaction of the record. It is the desk's queue.
type Queue struct{ client *river.Client[pgx.Tx] }

// NewQueue makes a queue that only enqueues; Start makes one that works too.
func NewQueue(s *store.Store) (*Queue, error) {
	c, err := river.NewClient(riverpgxv5.New(s.Pool), &river.Config{})
	return &Queue{c}, err
}

// Deliver wakes the workers for a delivery at an instant.
func (q *Queue) Deliver(ctx context.Context, tx *store.Tx, delivery int64, at time.Time) error {
	return tx.Pgx(func(ptx pgx.Tx) error {
		_, err := q.client.InsertTx(ctx, ptx, deliverArgs{delivery}, &river.InsertOpts{MaxAttempts: 1, ScheduledAt: at})
		return err
	})
}

// one at a time of a kind, whoever runs it.
func alone() *river.InsertOpts {
	return &river.InsertOpts{MaxAttempts: 1, UniqueOpts: river.UniqueOpts{ByArgs: true, ByState: []rivertype.JobState{
		rivertype.JobStateAvailable, rivertype.JobStatePending, rivertype.JobStateRunning, rivertype.JobStateRetryable, rivertype.JobStateScheduled}}}
}

type deliverWorker struct {
	river.WorkerDefaults[deliverArgs]
	d *desk.Desk
}

func (w *deliverWorker) Work(ctx context.Context, j *river.Job[deliverArgs]) error {
	return w.d.Deliver(ctx, j.Args.Delivery)
}

type sweepWorker struct {
	river.WorkerDefaults[sweepArgs]
	d *desk.Desk
}

func (w *sweepWorker) Work(ctx context.Context, _ *river.Job[sweepArgs]) error {
	_, err := w.d.Sweep(ctx)
	return err
}

type lookWorker struct {
	river.WorkerDefaults[lookArgs]
	d *desk.Desk
}

// Work looks at every link side by side: one that hangs holds up no other.
func (w *lookWorker) Work(ctx context.Context, _ *river.Job[lookArgs]) error {
	links, err := store.Links(ctx, w.d.Store.DB)
	if err != nil {
		return err
	}
	errs := make([]error, len(links))
	var all sync.WaitGroup
	for i, l := range links {
		all.Go(func() { errs[i] = w.d.Collect(ctx, l.ID) })
	}
	all.Wait()
	return errors.Join(errs...)
}

// Workers are running workers; Stop ends them.
type Workers struct{ client *river.Client[pgx.Tx] }

// Start runs workers for a desk.
func Start(ctx context.Context, d *desk.Desk, o Options) (*Workers, error) {
	if o.Look == 0 {
		o.Look = 20 * time.Second
	}
	if o.Sweep == 0 {
		o.Sweep = 2 * time.Second
	}
	ws := river.NewWorkers()
	river.AddWorker(ws, &deliverWorker{d: d})
	river.AddWorker(ws, &sweepWorker{d: d})
	river.AddWorker(ws, &lookWorker{d: d})
	periodic := func(every time.Duration, args func() river.JobArgs) *river.PeriodicJob {
		return river.NewPeriodicJob(river.PeriodicInterval(every), func() (river.JobArgs, *river.InsertOpts) { return args(), alone() },
			&river.PeriodicJobOpts{RunOnStart: true})
	}
	// Time-outs grow outward: a call to a vendor, the job around it, the rescue of a job whose worker died.
	c, err := river.NewClient(riverpgxv5.New(d.Store.Pool), &river.Config{
		Queues:                      map[string]river.QueueConfig{river.QueueDefault: {MaxWorkers: 8}},
		Workers:                     ws,
		JobTimeout:                  time.Minute,
		RescueStuckJobsAfter:        90 * time.Second,
		FetchCooldown:               10 * time.Millisecond,
		FetchPollInterval:           500 * time.Millisecond,
		CompletedJobRetentionPeriod: 10 * time.Minute,
		DiscardedJobRetentionPeriod: time.Hour,
		Logger:                      o.Log,
		PeriodicJobs: []*river.PeriodicJob{
			periodic(o.Sweep, func() river.JobArgs { return sweepArgs{} }),
			periodic(o.Look, func() river.JobArgs { return lookArgs{} }),
		},
	})
	if err != nil {
		return nil, err
	}
	return &Workers{c}, c.Start(ctx)
}

// Stop lets running jobs end, for as long as ctx allows.
func (w *Workers) Stop(ctx context.Context) error {
	if err := w.client.Stop(ctx); err != nil {
		ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), 3*time.Second)
		defer cancel()
		return w.client.StopAndCancel(ctx)
	}
	return nil
}
