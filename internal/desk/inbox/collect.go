package inbox

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"roundhouse.example/internal/store/db"
	inboxdb "roundhouse.example/internal/store/inbox"

	"roundhouse.example/internal/channel"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/failpoint"
)

// eventTries is how often an event is tried that cannot be taken in, before it is set aside;
// eventsKept is how long one that is nobody's is kept in case its number turns up.
const (
	eventTries = 3
	eventsKept = 30 * 24 * time.Hour
)

// Due are the links whose time to be looked at has come, the longest waiting first.
func (d *Inbox) Due(ctx context.Context) ([]inboxdb.DueLink, error) {
	return inboxdb.Due(ctx, d.db.DB, 500)
}

// Collect looks at a link once, if its time has come and nobody else is at it: fetches what
// is new, keeps each event exactly once with the cursor in one transaction, then gives each
// to its case. It holds no connection while the vendor is asked. The next look is after
// every, later and later while the link fails.
func (d *Inbox) Collect(ctx context.Context, linkID int64, every time.Duration) error {
	l, err := inboxdb.ByID(ctx, d.db.DB, linkID)
	if err != nil {
		return err
	}
	ch, err := d.Channels(l)
	if err != nil {
		if taken, lost := inboxdb.TakeLink(ctx, d.db.DB, linkID, time.Minute); lost != nil || !taken {
			return errors.Join(err, lost)
		}
		// A description that cannot be used shows on the link like any other failure.
		return errors.Join(err, d.keep(ctx, &l, nil, l.Cursor, err, d.Now()),
			inboxdb.NextLook(ctx, d.db.DB, linkID, 5*time.Minute))
	}
	lease := ch.Timeout() + 2*time.Second
	if taken, err := inboxdb.TakeLink(ctx, d.db.DB, linkID, lease); err != nil || !taken {
		return err
	}
	err = d.collect(ctx, &l, ch, lease)
	after := every
	if l.Failures > 0 {
		after = max(every, min(2*time.Minute, every<<min(l.Failures, 12)))
	}
	return errors.Join(err, inboxdb.NextLook(context.WithoutCancel(ctx), d.db.DB, linkID, after))
}

func (d *Inbox) collect(ctx context.Context, l *inboxdb.Link, ch desk.Channel, lease time.Duration) error {
	for {
		began := d.Now()
		events, next, fetchErr := ch.Collect(ctx, l.Cursor)
		failpoint.Hit("collect.fetched")
		if ctx.Err() != nil {
			return ctx.Err()
		}
		more := next != l.Cursor && len(events) > 0
		if err := d.keep(ctx, l, events, next, fetchErr, began); err != nil {
			return err
		}
		failpoint.Hit("collect.kept")
		if fetchErr != nil || !more {
			break
		}
		if err := inboxdb.NextLook(ctx, d.db.DB, l.ID, lease); err != nil { // it is still ours
			return err
		}
	}
	waiting, err := inboxdb.Waiting(ctx, d.db.DB, l.ID, 1000)
	if err != nil {
		return err
	}
	var errs []error
	for _, e := range waiting {
		// One that cannot be taken in holds up none of the others.
		if err := d.placeEvent(ctx, *l, e); err != nil {
			if ctx.Err() != nil || db.Unavailable(err) {
				return errors.Join(append(errs, err)...)
			}
			errs = append(errs, fmt.Errorf("event %s of %s: %w", e.Key, e.Ticket, err),
				inboxdb.FailEvent(ctx, d.db.DB, e.ID, channel.Clean(err.Error(), 500), eventTries, d.Now()))
		}
		failpoint.Hit("collect.placed")
	}
	return errors.Join(errs...)
}

// keep stores a look's events and cursor, or why the look failed.
func (d *Inbox) keep(ctx context.Context, l *inboxdb.Link, events []channel.Incoming, next string, fetchErr error,
	began time.Time) error {
	return d.db.Do(ctx, func(tx *db.Tx) error {
		row, err := inboxdb.Lock(ctx, tx, l.ID)
		if err != nil {
			return err
		}
		now := d.Now()
		if fetchErr != nil {
			if row.FailingSince == nil {
				row.FailingSince = &now
			}
			row.Failures++
			row.Problem = channel.Clean(fetchErr.Error(), 500)
			*l = row
			return inboxdb.Save(ctx, tx, row)
		}
		floor := began
		if row.LookedAt != nil {
			floor = *row.LookedAt
		} else if len(events) > 0 && !events[0].At.IsZero() {
			floor = events[0].At // the first look ever: there is no earlier one to clamp to
		}
		hide := func(s string) string { return s }
		if len(events) > 0 {
			vendors, err := inboxdb.Served(ctx, tx, l.ID)
			if err != nil {
				return err
			}
			if hide, err = d.secrets.Hiding(ctx, tx, vendors...); err != nil {
				return err
			}
		}
		for _, e := range events {
			e = e.Clean()
			e.Text, e.Author, e.Word = hide(e.Text), hide(e.Author), hide(e.Word)
			raw, err := json.Marshal(e)
			if err != nil {
				return err
			}
			row := inboxdb.Event{LinkID: l.ID, Key: e.Key, Ticket: e.Ticket, FloorAt: floor, SeenAt: now}
			row.Event.V = raw
			if _, err := inboxdb.AddEvent(ctx, tx, &row); err != nil {
				return err
			}
		}
		row.Cursor, row.LookedAt, row.FailingSince, row.Failures, row.Problem = next, &began, nil, 0, ""
		*l = row
		failpoint.Hit("collect.before-commit")
		return inboxdb.Save(ctx, tx, row)
	})
}

// Forget takes out what has found no case for long.
func (d *Inbox) Forget(ctx context.Context) error {
	return inboxdb.Forget(ctx, d.db.DB, d.Now().Add(-eventsKept), 200)
}
