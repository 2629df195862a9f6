package inbox

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	inboxdb "roundhouse.example/internal/store/inbox"
	outboxdb "roundhouse.example/internal/store/outbox"

	"roundhouse.example/internal/channel"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/desk/filing"
	"roundhouse.example/internal/desk/outbox"
)

// placeEvent finds an event's case by the vendor's number, or by our marker in
// it. One of a ticket that is none of ours is set aside.
func (d *Inbox) placeEvent(ctx context.Context, l inboxdb.Link, e inboxdb.Event) error {
	id, err := inboxdb.CaseAt(ctx, d.db.DB, l.ID, e.Ticket)
	if errors.Is(err, db.ErrNotFound) {
		var in channel.Incoming
		if err := json.Unmarshal(e.Event.V, &in); err != nil {
			return err
		}
		del := int64(0)
		if err = db.ErrNotFound; in.Marker != "" {
			del, err = outboxdb.ByMarker(ctx, d.db.DB, in.Marker)
		}
		if errors.Is(err, db.ErrNotFound) {
			return d.setAside(ctx, e)
		} else if err != nil {
			return err
		}
		row, err := outboxdb.ByID(ctx, d.db.DB, del)
		if err != nil {
			return err
		}
		if row.Route().Link != l.ID { // a mark that never went there proves nothing
			return d.setAside(ctx, e)
		}
		id = row.CaseID
	} else if err != nil {
		return err
	}
	return d.db.Do(ctx, func(tx *db.Tx) error {
		return d.change(ctx, tx, id, nil, func(w *work) error {
			waiting, err := inboxdb.TicketEvents(ctx, tx, l.ID, e.Ticket)
			if err != nil {
				return err
			}
			for _, x := range waiting { // another collector may have placed it
				if x.ID == e.ID {
					return w.place(ctx, l, x)
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
func (d *Inbox) setAside(ctx context.Context, e inboxdb.Event) error {
	if d.Now().Sub(e.SeenAt) < grace {
		return nil
	}
	return inboxdb.SetAside(ctx, d.db.DB, e.ID, d.Now())
}

// place writes one of the vendor's events into the case's record.
func (w *work) place(ctx context.Context, l inboxdb.Link, e inboxdb.Event) error {
	var in channel.Incoming
	if err := json.Unmarshal(e.Event.V, &in); err != nil {
		return err
	}
	switch in.Kind {
	case channel.Echo:
		done, err := w.echo(ctx, l, in)
		if err != nil || !done {
			return err
		}
		return inboxdb.PlaceEvent(ctx, w.Tx, e.ID, w.Case.ID)
	case channel.Elsewhere:
		if in.Text != "" {
			if _, err := w.Add(ctx, casesdb.Entry{Kind: casework.Change, AuthorName: in.Author, Channel: l.Kind,
				HappenedAt: outbox.Clamp(in.At, e.FloorAt, e.SeenAt),
				Body:       "Written at the vendor by one of us, outside this desk: " + in.Text}); err != nil {
				return err
			}
		}
		return inboxdb.PlaceEvent(ctx, w.Tx, e.ID, w.Case.ID)
	}
	if err := inboxdb.PlaceEvent(ctx, w.Tx, e.ID, w.Case.ID); err != nil {
		return err
	}
	low := e.FloorAt
	if w.Case.FiledAt != nil && w.Case.FiledAt.After(low) {
		low = *w.Case.FiledAt
	}
	v, err := w.Vendor(ctx)
	if err != nil {
		return err
	}
	in.Automatic = in.Automatic || in.Kind == channel.Message && v.Profile.V.Automatic(in.Text)
	entry := casesdb.Entry{AuthorName: in.Author, Channel: l.Kind, HappenedAt: outbox.Clamp(in.At, low, e.SeenAt),
		Automatic: in.Automatic, Body: in.Text}
	if !in.At.IsZero() {
		entry.StatedAt = &in.At
	}
	// What we wrote down of the vendor's words counts before what its link says of them.
	if v.Profile.V.Means(in.Word).Move != "" {
		in.Move = ""
	}
	w.describe(in, &entry)
	w.Word(v.Profile.V, in.Word, &entry, false)
	if in.Kind == channel.Message && !in.Automatic && in.Author != "" {
		entry.Set().VendorContact = &in.Author
	}
	_, err = w.Add(ctx, entry)
	return err
}

// describe says what an event means for the case.
func (w *work) describe(in channel.Incoming, entry *casesdb.Entry) {
	inward := "in"
	switch in.Kind {
	case channel.Message:
		entry.Kind, entry.Direction = "message", &inward
		entry.Effect.V = &casesdb.Effect{Event: deadline.VendorMessage, Automatic: in.Automatic, Offers: in.Offers}
		if !in.Automatic {
			entry.Effect.V.Move = in.Move
		}
	case channel.Ended:
		entry.Kind, entry.Direction = "message", &inward
		entry.Effect.V = &casesdb.Effect{Event: deadline.VendorMessage}
		closed := entry.HappenedAt
		entry.Set().VendorClosedAt = &closed
		if entry.Body == "" {
			entry.Body = "Closed by the vendor."
		}
	case channel.Graded:
		entry.Kind, entry.Body = "change",
			fmt.Sprintf("The vendor set its level to %q without our agreement. %s", in.Level, in.Text)
		entry.Set().VendorLevel = &in.Level
	case channel.Status:
		entry.Kind, entry.Body = "change", fmt.Sprintf("The vendor status is now %q.", in.Word)
		if in.Move != "" {
			entry.Effect.V = &casesdb.Effect{Event: deadline.Moved, Move: in.Move}
		}
	}
}

// echo is our own doing come back: it settles a sending of which nobody could
// say whether it arrived. done is false while the sending is still under way.
func (w *work) echo(ctx context.Context, l inboxdb.Link, in channel.Incoming) (done bool, err error) {
	if in.Marker == "" {
		return true, nil
	}
	id, err := outboxdb.ByMarker(ctx, w.Tx, in.Marker)
	if errors.Is(err, db.ErrNotFound) {
		return true, nil
	} else if err != nil {
		return false, err
	}
	del, err := outboxdb.ByID(ctx, w.Tx, id)
	if err != nil || del.CaseID != w.Case.ID || del.Route().Link != l.ID {
		return true, err
	}
	switch del.State {
	case casework.SendingUnderWay, casework.SendingWaiting:
		return false, nil
	case casework.SendingUnsure:
		attempts, err := outboxdb.Attempts(ctx, w.Tx, del.ID)
		if err != nil {
			return false, err
		}
		return true, w.Arrive(ctx, &del, in.Ticket, outbox.Clamp(in.At, attempts[0].StartedAt, w.Now))
	}
	return true, nil
}

// placeWaiting gives a case what the vendor's link said before we knew its number.
func placeWaiting(ctx context.Context, w *work, reference string, filed *time.Time) error {
	links, err := w.Links(ctx)
	if err != nil {
		return err
	}
	sent, err := outboxdb.Of(ctx, w.Tx, w.Case.ID)
	if err != nil {
		return err
	}
	// The clamp below must not put them before the filing that has just taken effect.
	if w.Case.FiledAt == nil {
		w.Case.FiledAt = filed
	}
	for _, l := range filing.LinksAt(links, sent) {
		events, err := inboxdb.TicketEvents(ctx, w.Tx, l.ID, reference)
		if err != nil {
			return err
		}
		for _, e := range events {
			if err := w.place(ctx, l.Link, e); err != nil {
				return err
			}
		}
	}
	return nil
}
