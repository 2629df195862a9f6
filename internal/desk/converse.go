package desk

import (
	"context"
	"fmt"
	"strings"
	"time"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/store"
)

// SendMessage puts words to the vendor on their way. seen is the last entry the
// writer has seen, or nil: a newer message of the vendor's is then shown first. by is
// the channel, empty for the usual one.
func (d *Desk) SendMessage(ctx context.Context, a Actor, id int64, text, move, by string, seen *int) (Ref, error) {
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
		via, err := w.route(ctx, by)
		if err != nil {
			return store.Entry{}, err
		}
		return w.send(ctx, via, "comment", "", text, &store.Effect{Event: "our-message", Move: move}, store.Params{})
	})
}

// AddNote writes a note; it stays in the house.
func (d *Desk) AddNote(ctx context.Context, a Actor, id int64, text string) (Ref, error) {
	return d.write(ctx, a, id, text, func(w *work) (store.Entry, error) {
		return w.add(ctx, store.Entry{Kind: "note", Body: text})
	})
}

// Heard is what came from the vendor by a way that a person watches: a call or chat
// that was, a mail, words on its portal.
type Heard struct {
	With string
	At   time.Time
	By   string // phone where empty, chat, mail or portal
	Text string
	Move string // whose move it is then; empty for what follows by itself
	Word string // the vendor's status word, where it said one
}

// AddCall writes down what was heard: the vendor's word, at the instant it happened.
func (d *Desk) AddCall(ctx context.Context, a Actor, id int64, h Heard) (Ref, error) {
	with, at := h.With, h.At
	return d.write(ctx, a, id, h.Text, func(w *work) (store.Entry, error) {
		if at.After(w.now) {
			return store.Entry{}, invalid("at", "a call that was cannot lie in the future")
		}
		if strings.TrimSpace(with) == "" {
			return store.Entry{}, invalid("with", "say whom you spoke to")
		}
		e := store.Entry{Kind: "call", Channel: "spoken", Body: h.Text, HappenedAt: at, AuthorName: with, AuthorID: &w.actor.ID}
		if h.By == "mail" || h.By == "portal" {
			inward := "in"
			e.Kind, e.Channel, e.Direction = "message", h.By, &inward
		}
		if casework.State(w.c.State).Live() {
			if at.Before(*w.c.FiledAt) {
				return store.Entry{}, invalid("at", "the case was filed at %s, after that call", w.c.FiledAt.Format(time.RFC3339))
			}
			e.Effect.V = &store.Effect{Event: "vendor-message", Move: h.Move}
			v, err := store.VendorByID(ctx, w.tx, w.c.VendorID)
			if err != nil {
				return e, err
			}
			if word := strings.TrimSpace(h.Word); word != "" && !v.Profile.V.Knows(word) {
				w.warning = fmt.Sprintf("%q is not among the status words of %s, so it changes nothing by itself. If it is a new one, add it at the vendor.", word, v.Name)
			}
			e.Automatic = e.Kind == "message" && v.Profile.V.Automatic(h.Text)
			e.Effect.V.Automatic = e.Automatic
			w.word(v.Profile.V, h.Word, &e, true)
		}
		return w.add(ctx, e)
	})
}

// MarkRead says that the vendor's messages have been read up to an entry. It changes no
// clock, so that nothing is replayed, and tells others only where something was unread.
func (d *Desk) MarkRead(ctx context.Context, a Actor, id int64, entry int) error {
	if err := a.may(access.Work); err != nil {
		return err
	}
	return d.Store.Do(ctx, func(tx *store.Tx) error {
		c, err := tx.LockCase(ctx, id)
		if err != nil || entry <= c.ReadEntry {
			return err
		}
		if entry > c.LastEntry {
			return invalid("entry", "the case has %d entries", c.LastEntry)
		}
		changed, err := tx.MarkRead(ctx, id, entry)
		if err != nil || !changed {
			return err
		}
		return tx.Tell(ctx, Told, told(&c))
	})
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
			ref = Ref{w.c.ID, w.c.Number, e.Number, w.warning}
			return err
		})
		return ref, err
	})
}

// word keeps the vendor's status word beside our state, and lets it mean what the
// vendor's profile says: whose move it is, a fix offered, its side closed. The last
// two only where the word is new or a person said it: a link repeats the word with
// every message.
func (w *work) word(v register.Vendor, word string, e *store.Entry, said bool) {
	word = strings.TrimSpace(word)
	if word == "" {
		return
	}
	at := e.HappenedAt.UTC().Truncate(time.Second)
	said = said || word != w.c.VendorWord
	if word != w.c.VendorWord && (w.c.VendorWordAt == nil || !at.Before(*w.c.VendorWordAt)) {
		w.c.VendorWord, w.c.VendorWordAt = word, &at
	}
	means := v.Means(word)
	if e.Automatic || means == (register.StatusWord{}) {
		return
	}
	if e.Effect.V == nil {
		e.Effect.V = &store.Effect{Event: "move"}
	}
	if e.Effect.V.Move == "" {
		e.Effect.V.Move = means.Move
	}
	switch {
	case said && means.State == "fix-offered":
		e.Effect.V.Event, e.Effect.V.Offers = "vendor-message", "fix"
	case said && means.State == "ended":
		e.Effect.V.Event, w.c.VendorClosedAt = "vendor-message", &at
	}
	if e.Effect.V.Event == "vendor-message" && e.Kind == "change" {
		inward := "in"
		e.Kind, e.Direction = "message", &inward
	}
	if e.Effect.V.Event == "move" && e.Effect.V.Move == "" {
		e.Effect.V = nil
	}
}
