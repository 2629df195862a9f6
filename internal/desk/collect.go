package desk

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"roundhouse.example/internal/channel"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/failpoint"
	"roundhouse.example/internal/store"
)

// eventTries is how often an event is tried that cannot be taken in, before it is set aside;
// eventsKept is how long one that is nobody's is kept in case its number turns up.
const (
	eventTries = 3
	eventsKept = 30 * 24 * time.Hour
)

// DueLinks are the links whose time to be looked at has come, the longest waiting first.
func (d *Desk) DueLinks(ctx context.Context) ([]store.DueLink, error) {
	return store.DueLinks(ctx, d.Store.DB, 500)
}

// Collect looks at a link once, if its time has come and nobody else is at it: fetches what
// is new, keeps each event exactly once with the cursor in one transaction, then gives each
// to its case. It holds no connection while the vendor is asked. The next look is after
// every, later and later while the link fails.
func (d *Desk) Collect(ctx context.Context, linkID int64, every time.Duration) error {
	l, err := store.LinkByID(ctx, d.Store.DB, linkID)
	if err != nil {
		return err
	}
	ch, err := d.channels(l)
	if err != nil {
		if taken, lost := store.TakeLink(ctx, d.Store.DB, linkID, time.Minute); lost != nil || !taken {
			return errors.Join(err, lost)
		}
		// A description that cannot be used shows on the link like any other failure.
		return errors.Join(err, d.keep(ctx, &l, nil, l.Cursor, err, d.Now()), store.NextLook(ctx, d.Store.DB, linkID, 5*time.Minute))
	}
	lease := ch.Timeout() + 2*time.Second
	if taken, err := store.TakeLink(ctx, d.Store.DB, linkID, lease); err != nil || !taken {
		return err
	}
	err = d.collect(ctx, &l, ch, lease)
	after := every
	if l.Failures > 0 {
		after = max(every, min(2*time.Minute, every<<min(l.Failures, 12)))
	}
	return errors.Join(err, store.NextLook(context.WithoutCancel(ctx), d.Store.DB, linkID, after))
}

func (d *Desk) collect(ctx context.Context, l *store.Link, ch Channel, lease time.Duration) error {
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
		if err := store.NextLook(ctx, d.Store.DB, l.ID, lease); err != nil { // it is still ours
			return err
		}
	}
	waiting, err := store.WaitingEvents(ctx, d.Store.DB, l.ID, 1000)
	if err != nil {
		return err
	}
	var errs []error
	for _, e := range waiting {
		// One that cannot be taken in holds up none of the others.
		if err := d.placeEvent(ctx, *l, e); err != nil {
			if ctx.Err() != nil || store.Unavailable(err) {
				return errors.Join(append(errs, err)...)
			}
			errs = append(errs, fmt.Errorf("event %s of %s: %w", e.Key, e.Ticket, err), store.FailEvent(ctx, d.Store.DB, e.ID, channel.Clean(err.Error(), 500), eventTries, d.Now()))
		}
		failpoint.Hit("collect.placed")
	}
	return errors.Join(errs...)
}

// keep stores a look's events and cursor, or why the look failed.
func (d *Desk) keep(ctx context.Context, l *store.Link, events []channel.Incoming, next string, fetchErr error, began time.Time) error {
	return d.Store.Do(ctx, func(tx *store.Tx) error {
		row, err := tx.LockLink(ctx, l.ID)
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
			return tx.SaveLink(ctx, row)
		}
		floor := began
		if row.LookedAt != nil {
			floor = *row.LookedAt
		} else if len(events) > 0 && !events[0].At.IsZero() {
			floor = events[0].At // the first look ever: there is no earlier one to clamp to
		}
		hide := func(s string) string { return s }
		if len(events) > 0 {
			if hide, err = d.hiding(ctx, tx, row.VendorID); err != nil {
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
			row := store.LinkEvent{LinkID: l.ID, Key: e.Key, Ticket: e.Ticket, FloorAt: floor, SeenAt: now}
			row.Event.V = raw
			if _, err := tx.AddLinkEvent(ctx, &row); err != nil {
				return err
			}
		}
		row.Cursor, row.LookedAt, row.FailingSince, row.Failures, row.Problem = next, &began, nil, 0, ""
		*l = row
		failpoint.Hit("collect.before-commit")
		return tx.SaveLink(ctx, row)
	})
}

// placeEvent finds an event's case by the vendor's number, or by our marker in
// it. One of a ticket that is none of ours is set aside.
func (d *Desk) placeEvent(ctx context.Context, l store.Link, e store.LinkEvent) error {
	id, err := store.CaseByReference(ctx, d.Store.DB, l.VendorID, e.Ticket)
	if errors.Is(err, store.ErrNotFound) {
		var in channel.Incoming
		if err := json.Unmarshal(e.Event.V, &in); err != nil {
			return err
		}
		del := int64(0)
		if err = store.ErrNotFound; in.Marker != "" {
			del, err = store.DeliveryByMarker(ctx, d.Store.DB, in.Marker)
		}
		if errors.Is(err, store.ErrNotFound) {
			return d.setAside(ctx, e)
		} else if err != nil {
			return err
		}
		row, err := store.DeliveryByID(ctx, d.Store.DB, del)
		if err != nil {
			return err
		}
		id = row.CaseID
	} else if err != nil {
		return err
	}
	return d.Store.Do(ctx, func(tx *store.Tx) error {
		return d.change(ctx, tx, id, nil, func(w *work) error {
			waiting, err := store.TicketEvents(ctx, tx, l.ID, e.Ticket)
			if err != nil {
				return err
			}
			for _, x := range waiting { // another collector may have placed it
				if x.ID == e.ID {
					return w.place(ctx, x)
				}
			}
			return nil
		})
	})
}

// grace is how long an event waits for its ticket's number to become known: the filing that
// brings it may be under way.
const grace = 2 * time.Minute

// setAside leaves an event for when its ticket's number becomes known.
func (d *Desk) setAside(ctx context.Context, e store.LinkEvent) error {
	if d.Now().Sub(e.SeenAt) < grace {
		return nil
	}
	return store.SetAside(ctx, d.Store.DB, e.ID, d.Now())
}

// place writes one of the vendor's events into the case's record.
func (w *work) place(ctx context.Context, e store.LinkEvent) error {
	var in channel.Incoming
	if err := json.Unmarshal(e.Event.V, &in); err != nil {
		return err
	}
	switch in.Kind {
	case channel.Echo:
		done, err := w.echo(ctx, in)
		if err != nil || !done {
			return err
		}
		return w.tx.PlaceLinkEvent(ctx, e.ID, w.c.ID)
	case channel.Elsewhere:
		if in.Text != "" {
			if _, err := w.add(ctx, store.Entry{Kind: "change", AuthorName: in.Author, Channel: "rest", HappenedAt: clamp(in.At, e.FloorAt, e.SeenAt),
				Body: "Written at the vendor from our side, and not by this desk: " + in.Text}); err != nil {
				return err
			}
		}
		return w.tx.PlaceLinkEvent(ctx, e.ID, w.c.ID)
	}
	if err := w.tx.PlaceLinkEvent(ctx, e.ID, w.c.ID); err != nil {
		return err
	}
	low := e.FloorAt
	if w.c.FiledAt != nil && w.c.FiledAt.After(low) {
		low = *w.c.FiledAt
	}
	v, err := store.VendorByID(ctx, w.tx, w.c.VendorID)
	if err != nil {
		return err
	}
	in.Automatic = in.Automatic || in.Kind == channel.Message && v.Profile.V.Automatic(in.Text)
	entry := store.Entry{AuthorName: in.Author, Channel: "rest", HappenedAt: clamp(in.At, low, e.SeenAt), Automatic: in.Automatic, Body: in.Text}
	if !in.At.IsZero() {
		entry.StatedAt = &in.At
	}
	// What we wrote down of the vendor's words counts before what its link says of them.
	if v.Profile.V.Means(in.Word).Move != "" {
		in.Move = ""
	}
	w.describe(in, &entry)
	w.word(v.Profile.V, in.Word, &entry, false)
	if in.Kind == channel.Message && !in.Automatic && in.Author != "" {
		w.c.Holder = in.Author
	}
	_, err = w.add(ctx, entry)
	return err
}

// describe says what an event means for the case.
func (w *work) describe(in channel.Incoming, entry *store.Entry) {
	inward := "in"
	switch in.Kind {
	case channel.Message:
		entry.Kind, entry.Direction = "message", &inward
		entry.Effect.V = &store.Effect{Event: "vendor-message", Automatic: in.Automatic, Offers: in.Offers}
		if !in.Automatic {
			entry.Effect.V.Move = in.Move
		}
	case channel.Ended:
		entry.Kind, entry.Direction = "message", &inward
		entry.Effect.V = &store.Effect{Event: "vendor-message"}
		closed := entry.HappenedAt
		w.c.VendorClosedAt = &closed
		if entry.Body == "" {
			entry.Body = "They closed it."
		}
	case channel.Graded:
		entry.Kind, entry.Body = "change", fmt.Sprintf("The vendor set its level to %q without our agreeing. %s", in.Level, in.Text)
		w.c.VendorLevel = in.Level
	case channel.Status:
		entry.Kind, entry.Body = "change", fmt.Sprintf("Their word is now %q.", in.Word)
		if in.Move != "" {
			entry.Effect.V = &store.Effect{Event: "move", Move: in.Move}
		}
	}
}

// echo is our own doing come back: it settles a sending of which nobody could
// say whether it arrived. done is false while the sending is still under way.
func (w *work) echo(ctx context.Context, in channel.Incoming) (done bool, err error) {
	if in.Marker == "" {
		return true, nil
	}
	id, err := store.DeliveryByMarker(ctx, w.tx, in.Marker)
	if errors.Is(err, store.ErrNotFound) {
		return true, nil
	} else if err != nil {
		return false, err
	}
	del, err := store.DeliveryByID(ctx, w.tx, id)
	if err != nil || del.CaseID != w.c.ID {
		return true, err
	}
	switch del.State {
	case casework.SendingUnderWay, casework.SendingWaiting:
		return false, nil
	case casework.SendingUnsure:
		attempts, err := store.Attempts(ctx, w.tx, del.ID)
		if err != nil {
			return false, err
		}
		return true, w.arrive(ctx, &del, in.Ticket, clamp(in.At, attempts[0].StartedAt, w.now))
	}
	return true, nil
}

// placeWaiting gives a case what the vendor's link said before we knew its number.
func placeWaiting(ctx context.Context, w *work, reference string, filed *time.Time) error {
	link, err := store.LinkOf(ctx, w.tx, w.c.VendorID)
	if errors.Is(err, store.ErrNotFound) {
		return nil
	} else if err != nil {
		return err
	}
	events, err := store.TicketEvents(ctx, w.tx, link.ID, reference)
	if err != nil {
		return err
	}
	// The clamp below must not put them before the filing that has just taken effect.
	if w.c.FiledAt == nil {
		w.c.FiledAt = filed
	}
	for _, e := range events {
		if err := w.place(ctx, e); err != nil {
			return err
		}
	}
	return nil
}

// forgetEvents takes out what has found no case for long.
func (d *Desk) forgetEvents(ctx context.Context) error {
	return store.ForgetEvents(ctx, d.Store.DB, d.Now().Add(-eventsKept), 200)
}
