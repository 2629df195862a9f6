package cases

import (
	"cmp"
	"context"
	"fmt"
	"strings"
	"time"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/core/words"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/enclosing"
	"roundhouse.example/internal/desk/filing"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	outboxdb "roundhouse.example/internal/store/outbox"
)

// Written is a message to the vendor.
type Written struct {
	Text string
	Move deadline.Side // whose move it is then; empty for what follows by itself
	By   filing.Wanted
	// Seen is the last entry that the writer has seen, or nil: a newer message of the vendor's is then shown first.
	Seen *int
	// Disclose is why what must not leave is sent all the same.
	Disclose string
	// With are files that go with it.
	With enclosing.Wanted
	// Untold adds what was completed since the vendor was told last; it may then have no text of its own.
	Untold bool
	Dates  Dating
	// Chases says that it asks the vendor for what it owes, Raises that it goes to a rung of the vendor's ladder.
	Chases bool
	Raises *outboxdb.Raising
}

// Dating is what a message or a call dates on its case, and which dates it keeps; nil for nothing.
type Dating interface {
	// Checked gives what a message brings once it has left.
	Checked(ctx context.Context, w *Work) (outboxdb.Params, error)
	// Along writes what an entry of the record brings as it stands there.
	Along(ctx context.Context, w *Work, e casesdb.Entry) error
}

// completing is the text of a message that only tells what was completed.
const completing = "This completes what we told you about this case."

// bringing is the text of a message that only brings files.
const bringing = "Here are the files for this case."

// Send puts words to the vendor on their way.
func (d *Cases) Send(ctx context.Context, a desk.Actor, id int64, m Written) (desk.Ref, error) {
	if m.Untold && strings.TrimSpace(m.Text) == "" {
		m.Text = completing
	}
	if len(m.With.Files) > 0 && strings.TrimSpace(m.Text) == "" {
		m.Text = bringing
	}
	return d.write(ctx, a, id, m.Text, func(w *Work) (casesdb.Entry, error) { return w.Send(ctx, m) })
}

// Send puts words to the vendor of a case on their way.
func (w *Work) Send(ctx context.Context, m Written) (none casesdb.Entry, err error) {
	if !w.Case.State.Live() {
		return none, &casework.Refusal{Why: "This is " + w.Case.State.Called() + ": no message can be sent.",
			Allowed: w.Allowed(ctx)}
	}
	if m.Seen != nil {
		n, _, err := casesdb.UnreadBeyond(ctx, w.Tx, w.Case.ID, *m.Seen)
		if err != nil {
			return none, err
		}
		if n > 0 {
			return none, &desk.NewerMessage{Entry: w.Case.LastEntry}
		}
	}
	w.readUpTo(w.Case.LastEntry)
	via, err := w.route(ctx, m.By)
	if err != nil {
		return none, err
	}
	effect := &casesdb.Effect{Event: deadline.OurMessage, Move: m.Move, Chases: m.Chases}
	if m.Untold {
		if err := w.complete(ctx, &m, effect); err != nil {
			return none, err
		}
	}
	var p outboxdb.Params
	if m.Dates != nil {
		if p, err = m.Dates.Checked(ctx, w); err != nil {
			return none, err
		}
	}
	if m.Raises != nil {
		hide, err := w.Hiding(ctx)
		if err != nil {
			return none, err
		}
		p.Raises = new(*m.Raises)
		p.Raises.Why = hide(p.Raises.Why)
	}
	w.disclose, w.enclosing = m.Disclose, m.With
	return w.send(ctx, via, "comment", "", m.Text, effect, p)
}

// complete adds to a message what the vendor has not been told yet.
func (w *Work) complete(ctx context.Context, m *Written, effect *casesdb.Effect) error {
	open, err := outboxdb.Open(ctx, w.Tx, []int64{w.Case.ID})
	if err != nil {
		return err
	}
	more, err := w.d.filing.Update(ctx, w.Tx, w.Case, filing.Untold(w.Case, open))
	if err != nil {
		return err
	}
	if more == "" && m.Text == completing {
		return desk.Fault("text", "the vendor has been told everything: write what else it should know")
	}
	if m.Text = strings.TrimSpace(m.Text); more != "" {
		m.Text += "\n\n" + more
		effect.Sets = &casesdb.Sets{Told: w.Case.LastEntry}
	}
	return nil
}

// AddNote writes a note, which is never sent to a vendor.
func (d *Cases) AddNote(ctx context.Context, a desk.Actor, id int64, text string) (desk.Ref, error) {
	return d.write(ctx, a, id, text, func(w *Work) (casesdb.Entry, error) {
		return w.Add(ctx, casesdb.Entry{Kind: casework.Note, Body: text})
	})
}

// Heard is what came from the vendor by a way that a person watches: a call or chat
// that was, an email, words on its portal.
type Heard struct {
	With string
	At   time.Time
	By   route.Kind // phone where empty, chat, email or portal
	Text string
	Move deadline.Side // whose move it is then; empty for what follows by itself
	// Status is the vendor's status word, where it gave one.
	Status string
	Dates  Dating
}

// AddCall writes down what was heard: what the vendor said, at the instant it happened.
func (d *Cases) AddCall(ctx context.Context, a desk.Actor, id int64, h Heard) (desk.Ref, error) {
	return d.write(ctx, a, id, h.Text, func(w *Work) (casesdb.Entry, error) { return w.Hear(ctx, h) })
}

// Hear writes down what was heard of a case.
func (w *Work) Hear(ctx context.Context, h Heard) (casesdb.Entry, error) {
	e, err := w.spoken(h)
	if err != nil {
		return e, err
	}
	if h.By == route.Email || h.By == route.Portal {
		inward := "in"
		e.Kind, e.Channel, e.Direction = casework.Message, h.By, &inward
	}
	if w.Case.State.Live() {
		e.Effect.V = &casesdb.Effect{Event: deadline.VendorMessage, Move: h.Move}
		v, err := w.Vendor(ctx)
		if err != nil {
			return e, err
		}
		if word := strings.TrimSpace(h.Status); word != "" && !v.Profile.V.Knows(word) {
			w.warning = fmt.Sprintf("%q is not a known status word of %s, so it changes nothing. If it is new, add it to the "+
				"vendor.", word, v.Name)
		}
		e.Automatic = e.Kind == casework.Message && v.Profile.V.Automatic(h.Text)
		e.Effect.V.Automatic = e.Automatic
		w.Word(v.Profile.V, h.Status, &e, true)
	}
	e, err = w.Add(ctx, e)
	if err == nil && h.Dates != nil {
		err = h.Dates.Along(ctx, w, e)
	}
	return e, err
}

// Say writes down what one of ours said to the vendor, which is no message of either side.
func (w *Work) Say(ctx context.Context, h Heard) (casesdb.Entry, error) {
	e, err := w.spoken(h)
	if err != nil {
		return e, err
	}
	outward := "out"
	e.AuthorName, e.Direction = w.actor.Name, &outward
	e.Body = "To " + strings.TrimSpace(h.With) + ", " + words.By(string(cmp.Or(h.By, route.Phone))) + ":\n" + h.Text
	return w.Add(ctx, e)
}

// spoken is the entry of what was said by one side to the other.
func (w *Work) spoken(h Heard) (e casesdb.Entry, err error) {
	switch {
	case h.At.After(w.Now):
		return e, desk.Fault("at", "this is in the future: give the time when it happened")
	case strings.TrimSpace(h.With) == "":
		return e, desk.Fault("with", "say who you spoke to")
	case w.Case.State.Live() && h.At.Before(*w.Case.FiledAt):
		return e, desk.Fault("at", "the case was filed at %s, after this call", w.Case.FiledAt.Format(time.RFC3339))
	}
	return casesdb.Entry{Kind: casework.Call, Channel: route.Spoken, Body: h.Text, HappenedAt: h.At, AuthorName: h.With,
		AuthorID: &w.actor.ID}, nil
}

func (w *Work) readUpTo(entry int) { w.Case.ReadEntry = max(w.Case.ReadEntry, entry) }

// Allowed are the steps that the case allows now; none where that cannot be read.
func (w *Work) Allowed(ctx context.Context) []casework.Step {
	now, err := w.Situation(ctx)
	if err != nil {
		return nil
	}
	return casework.Allowed(now)
}

// write is what all doors of writing share.
func (d *Cases) write(ctx context.Context, a desk.Actor, id int64, text string,
	fn func(*Work) (casesdb.Entry, error)) (desk.Ref, error) {
	if err := a.May(access.Work); err != nil {
		return desk.Ref{}, err
	}
	if strings.TrimSpace(text) == "" {
		return desk.Ref{}, desk.Fault("text", "the text is empty")
	}
	return desk.Once(ctx, d.Desk, func(tx *db.Tx) (ref desk.Ref, err error) {
		err = d.Change(ctx, tx, id, &a, func(w *Work) error {
			e, err := fn(w)
			ref = desk.Ref{ID: w.Case.ID, Number: w.Case.Number, Entry: e.Number, Warning: w.warning}
			return err
		})
		return ref, err
	})
}

// Word keeps the vendor's status word beside our state, and lets it mean what the
// vendor's profile says: whose move it is, a fix offered, its side closed. The last
// two only where the word is new or a person said it: a link repeats the word with
// every message.
func (w *Work) Word(v register.Vendor, word string, e *casesdb.Entry, said bool) {
	word = strings.TrimSpace(word)
	if word == "" {
		return
	}
	at := e.HappenedAt.UTC().Truncate(time.Second)
	said = said || word != w.Case.VendorStatus
	if word != w.Case.VendorStatus && (w.Case.VendorStatusAt == nil || !at.Before(*w.Case.VendorStatusAt)) {
		w.Case.VendorStatus, w.Case.VendorStatusAt = word, &at
		e.Set().VendorStatus = &word
	}
	means := v.Means(word)
	if e.Automatic || means == (register.StatusWord{}) {
		return
	}
	if e.Effect.V == nil {
		e.Effect.V = &casesdb.Effect{}
	}
	if e.Effect.V.Event == "" {
		e.Effect.V.Event = deadline.Moved
	}
	if e.Effect.V.Move == "" {
		e.Effect.V.Move = means.Move
	}
	switch {
	case said && means.State == "fix-offered":
		e.Effect.V.Event, e.Effect.V.Offers = deadline.VendorMessage, deadline.OfferFix
	case said && means.State == "ended":
		e.Effect.V.Event = deadline.VendorMessage
		e.Set().VendorClosedAt = &at
	}
	if e.Effect.V.Event == deadline.VendorMessage && e.Kind == casework.Change {
		inward := "in"
		e.Kind, e.Direction = casework.Message, &inward
	}
	if e.Effect.V.Event == deadline.Moved && e.Effect.V.Move == "" {
		if e.Effect.V.Event = ""; e.Effect.V.Sets == nil {
			e.Effect.V = nil
		}
	}
}
