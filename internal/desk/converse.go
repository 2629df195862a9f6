package desk

import (
	"context"
	"strings"
	"time"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/store"
)

// SendMessage puts words to the vendor on their way. seen is the last entry the
// writer has seen, or nil: a newer message of the vendor's is then shown first.
func (d *Desk) SendMessage(ctx context.Context, a Actor, id int64, text, move string, seen *int) (Ref, error) {
	return d.write(ctx, a, id, text, func(w *work) (store.Entry, error) {
		if !casework.State(w.c.State).Live() {
			return store.Entry{}, &casework.Refusal{Why: "A case that is " + w.c.State + " sends no messages.", Allowed: w.allowed(ctx)}
		}
		if seen != nil {
			n, _, err := store.UnreadBeyond(ctx, w.tx, w.c.ID, *seen)
			if err != nil {
				return store.Entry{}, err
			}
			if n > 0 {
				return store.Entry{}, &NewerMessage{w.c.LastEntry}
			}
		}
		w.readUpTo(w.c.LastEntry)
		return w.send(ctx, "comment", "", text, &store.Effect{Event: "our-message", Move: move}, store.Params{})
	})
}

// AddNote writes a note; it stays in the house.
func (d *Desk) AddNote(ctx context.Context, a Actor, id int64, text string) (Ref, error) {
	return d.write(ctx, a, id, text, func(w *work) (store.Entry, error) {
		return w.add(ctx, store.Entry{Kind: "note", Body: text})
	})
}

// AddCall writes down a call or chat that was: the vendor's word, at the instant
// it happened.
func (d *Desk) AddCall(ctx context.Context, a Actor, id int64, with string, at time.Time, text, move string) (Ref, error) {
	return d.write(ctx, a, id, text, func(w *work) (store.Entry, error) {
		if at.After(w.now) {
			return store.Entry{}, invalid("at", "a call that was cannot lie in the future")
		}
		if strings.TrimSpace(with) == "" {
			return store.Entry{}, invalid("with", "say whom you spoke to")
		}
		e := store.Entry{Kind: "call", Channel: "spoken", Body: text, HappenedAt: at, AuthorName: with, AuthorID: &w.actor.ID}
		if casework.State(w.c.State).Live() {
			if at.Before(*w.c.FiledAt) {
				return store.Entry{}, invalid("at", "the case was filed at %s, after that call", w.c.FiledAt.Format(time.RFC3339))
			}
			e.Effect.V = &store.Effect{Event: "vendor-message", Move: move}
		}
		return w.add(ctx, e)
	})
}

// MarkRead says that the vendor's messages have been read up to an entry.
func (d *Desk) MarkRead(ctx context.Context, a Actor, id int64, entry int) error {
	if err := a.may(access.Work); err != nil {
		return err
	}
	_, err := once(ctx, d, func(tx *store.Tx) (Ref, error) {
		c, err := tx.LockCase(ctx, id)
		if err != nil || entry <= c.ReadEntry {
			return Ref{}, err
		}
		if entry > c.LastEntry {
			return Ref{}, invalid("entry", "the case has %d entries", c.LastEntry)
		}
		return Ref{}, d.change(ctx, tx, id, &a, func(w *work) error {
			w.readUpTo(entry)
			return nil
		})
	})
	return err
}

func (w *work) readUpTo(entry int) { w.c.ReadEntry = max(w.c.ReadEntry, entry) }

func (w *work) allowed(ctx context.Context) []casework.Step {
	now, err := w.situation(ctx)
	if err != nil {
		return nil
	}
	return casework.Allowed(now)
}

// write is what all doors of writing share.
func (d *Desk) write(ctx context.Context, a Actor, id int64, text string, fn func(*work) (store.Entry, error)) (Ref, error) {
	if err := a.may(access.Work); err != nil {
		return Ref{}, err
	}
	if strings.TrimSpace(text) == "" {
		return Ref{}, invalid("text", "there is nothing in it")
	}
	return once(ctx, d, func(tx *store.Tx) (ref Ref, err error) {
		err = d.change(ctx, tx, id, &a, func(w *work) error {
			e, err := fn(w)
			ref = Ref{w.c.ID, w.c.Number, e.Number}
			return err
		})
		return ref, err
	})
}
