package outbox

import (
	"context"
	"errors"
	"fmt"
	"time"

	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	inboxdb "roundhouse.example/internal/store/inbox"
	outboxdb "roundhouse.example/internal/store/outbox"

	"roundhouse.example/internal/channel"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/disclosure"
	"roundhouse.example/internal/core/intake"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/failpoint"
)

// lookUps is how often an unsure sending is looked up before a person is asked.
const lookUps = 5

// task is one call to a vendor, claimed and written down before it is made.
type task struct {
	delivery outboxdb.Delivery
	ch       desk.Channel
	letter   channel.Letter
	attempt  outboxdb.Attempt
	lookUp   bool
	markers  []string
	since    time.Time
	until    time.Time // the end of the last attempt
	vendor   int64
	host     string            // of the link
	filled   map[string]string // secrets that were put into the letter
}

// Deliver takes a delivery as far as it will go now: sends it, or looks it up
// where nobody can know whether it arrived. It may be called by anybody at any
// time; what is not due is left alone.
func (d *Outbox) Deliver(ctx context.Context, id int64) error {
	t, err := d.claim(ctx, id)
	if err != nil || t == nil {
		return err
	}
	failpoint.Hit("deliver.claimed")
	if t.lookUp {
		found, err := t.ch.LookUp(ctx, t.letter.Action, t.letter.Reference, t.markers, t.since)
		failpoint.Hit("deliver.looked-up")
		if found != nil {
			found.Reference = channel.Clean(found.Reference, channel.MaxName)
		}
		return d.settleLookUp(ctx, t, found, err)
	}
	if err := d.fill(ctx, t); err != nil {
		// Nothing has left, and it cannot go as it stands: a person decides.
		return d.settleSend(context.WithoutCancel(ctx), t, channel.Receipt{}, &channel.Refused{Why: err.Error()})
	}
	failpoint.Hit("deliver.before-call")
	receipt, err := t.ch.Send(ctx, t.letter)
	failpoint.Hit("deliver.after-call")
	receipt.Reference = channel.Clean(receipt.Reference, channel.MaxName)
	// The answer is recorded even when the service is asked to stop meanwhile.
	ctx = context.WithoutCancel(ctx)
	err = d.settleSend(ctx, t, receipt, err)
	if err == nil || db.Unavailable(err) {
		return err // in the second case its lease runs out, and it is looked up
	}
	// What cannot be recorded must not leave the attempt open for ever, nor be sent again.
	return errors.Join(err, d.settleSend(ctx, t, channel.Receipt{},
		errors.New("what the vendor answered could not be recorded")))
}

// LinkOfDelivery says by which link a delivery goes; 0 where a person takes it.
func (d *Outbox) LinkOfDelivery(ctx context.Context, id int64) (int64, error) {
	return outboxdb.LinkOf(ctx, d.db.DB, id)
}

// errNothing rolls a transaction back that has nothing to write.
var errNothing = errors.New("nothing to do")

// claim commits an attempt before the call is made; nil where nothing is due.
func (d *Outbox) claim(ctx context.Context, id int64) (*task, error) {
	var t *task
	err := d.db.Do(ctx, func(tx *db.Tx) error {
		del, err := outboxdb.ByID(ctx, tx, id)
		if err != nil {
			return err
		}
		if err := tx.Durable(ctx); err != nil {
			return err
		}
		return d.change(ctx, tx, del.CaseID, nil, func(w *work) error {
			before := del.State
			if t, err = w.claim(ctx, id); err != nil || t != nil {
				return err
			}
			if del, err = outboxdb.ByID(ctx, tx, id); err == nil && del.State == before {
				return errNothing
			}
			return err
		})
	})
	if errors.Is(err, errNothing) {
		return nil, nil
	}
	return t, err
}

func (w *work) claim(ctx context.Context, id int64) (*task, error) {
	all, err := outboxdb.Of(ctx, w.Tx, w.Case.ID)
	if err != nil {
		return nil, err
	}
	var del outboxdb.Delivery
	for _, x := range all { // one at a time a case, in order, the filing first
		if x.ID == id {
			del = x
			break
		}
		if !x.State.Ended() {
			return nil, nil
		}
	}
	if del.NextAt == nil || del.NextAt.After(w.Now) || del.NeedsPerson {
		return nil, nil
	}
	link, err := inboxdb.ByID(ctx, w.Tx, del.Route().Link)
	if err != nil {
		return nil, err
	}
	ch, err := w.out.Channels(link)
	if err != nil {
		return nil, err
	}
	attempts, err := outboxdb.Attempts(ctx, w.Tx, del.ID)
	if err != nil {
		return nil, err
	}
	letter, err := w.letter(ctx, del)
	if err != nil {
		return nil, err
	}
	t := &task{delivery: del, ch: ch, letter: letter, vendor: w.Case.VendorID, host: link.Host()}
	switch del.State {
	case casework.SendingWaiting:
		return t, w.begin(ctx, t)
	case casework.SendingUnderWay: // its lease has run out: whoever made the call is gone
		last := attempts[len(attempts)-1]
		last.EndedAt, last.Outcome, last.Detail = &w.Now, "unsure", "the service stopped before the answer was recorded"
		if err := outboxdb.EndAttempt(ctx, w.Tx, last); err != nil {
			return nil, err
		}
		return nil, w.unsure(ctx, &t.delivery, last.Detail, last.LeaseUntil.Add(ch.Settle()))
	case casework.SendingUnsure:
		t.lookUp = true
		t.since, t.until = attempts[0].StartedAt, attempts[len(attempts)-1].LeaseUntil
		for _, a := range attempts {
			t.markers = append(t.markers, a.Marker)
		}
		return t, nil
	}
	return nil, nil
}

func (w *work) letter(ctx context.Context, del outboxdb.Delivery) (channel.Letter, error) {
	e, err := casesdb.EntryByNumber(ctx, w.Tx, w.Case.ID, del.EntryNumber)
	if err != nil {
		return channel.Letter{}, err
	}
	if e.Kind != casework.Message {
		return channel.Letter{},
			fmt.Errorf("entry %d of %s is a %s and cannot be sent", e.Number, casework.Name(w.Case.Number), e.Kind)
	}
	v, err := w.Vendor(ctx)
	if err != nil {
		return channel.Letter{}, err
	}
	title := intake.Fit(v.Profile.V.LimitOf(del.Channel), w.Case.Title, "").Title
	l := channel.Letter{Action: del.Action, Subject: title, Text: e.Body, Level: del.Params.V.Level,
		Caller: e.AuthorName, Number: casework.Name(w.Case.Number)}
	if del.Channel == route.Email {
		if err := w.address(ctx, &l); err != nil {
			return l, err
		}
	}
	if err := w.enclose(ctx, del, &l); err != nil {
		return l, err
	}
	l.Reference, err = w.KnownAs(ctx, casework.Vendors)
	return l, err
}

// address says to whom an email goes, and what it follows.
func (w *work) address(ctx context.Context, l *channel.Letter) error {
	v, err := w.Vendor(ctx)
	if err != nil {
		return err
	}
	if to := v.Profile.V.EmailTo(w.Case.Urgent()); to != "" {
		l.To = []string{to}
	}
	l.Copies, _ = w.Case.Texts.V.Copies()
	sent, err := outboxdb.Of(ctx, w.Tx, w.Case.ID)
	for _, d := range sent {
		if d.MessageID != "" {
			l.After = append(l.After, d.MessageID)
		}
	}
	return err
}

func (w *work) begin(ctx context.Context, t *task) error {
	t.letter.Marker = channel.NewMarker()
	t.attempt = outboxdb.Attempt{DeliveryID: t.delivery.ID, Marker: t.letter.Marker, StartedAt: w.Now,
		LeaseUntil: w.Now.Add(t.ch.Timeout() + t.letter.Longer() + 2*time.Second)}
	if err := outboxdb.AddAttempt(ctx, w.Tx, &t.attempt); err != nil {
		return err
	}
	t.delivery.State, t.delivery.NextAt = casework.SendingUnderWay, &t.attempt.LeaseUntil
	t.delivery.Attempts++
	return outboxdb.Save(ctx, w.Tx, &t.delivery)
}

// settle records how a call ended, if nobody else has meanwhile.
func (d *Outbox) settle(ctx context.Context, t *task, fn func(*work, *outboxdb.Delivery) error) error {
	err := d.db.Do(ctx, func(tx *db.Tx) error {
		return d.change(ctx, tx, t.delivery.CaseID, nil, func(w *work) error {
			now, err := outboxdb.ByID(ctx, tx, t.delivery.ID)
			if err != nil || now.State != t.delivery.State || now.Attempts != t.delivery.Attempts {
				return err
			}
			if err := fn(w, &now); err != nil {
				return err
			}
			failpoint.Hit("deliver.before-commit")
			return nil
		})
	})
	if err == nil {
		failpoint.Hit("deliver.recorded")
	}
	return err
}

func (d *Outbox) settleSend(ctx context.Context, t *task, r channel.Receipt, sendErr error) error {
	// A vendor's answer may repeat what it was told.
	hide := func(s string) string { return channel.Clean(disclosure.Hide(s, t.filled), 1000) }
	return d.settle(ctx, t, func(w *work, del *outboxdb.Delivery) error {
		a := t.attempt
		a.EndedAt = &w.Now
		end := func(outcome, detail string) error {
			a.Outcome, a.Detail = outcome, detail
			return outboxdb.EndAttempt(ctx, w.Tx, a)
		}
		var refused *channel.Refused
		var notSent *channel.NotSent
		switch {
		case sendErr == nil:
			if err := end("arrived", r.Reference); err != nil {
				return err
			}
			del.MessageID = r.MessageID
			return w.Arrive(ctx, del, r.Reference, w.Now)
		case errors.As(sendErr, &refused):
			if err := end("refused", hide(refused.Why)); err != nil {
				return err
			}
			return w.refuse(ctx, del, hide(refused.Why))
		case errors.As(sendErr, &notSent):
			if err := end("not-sent", hide(notSent.Why)); err != nil {
				return err
			}
			again := w.Now.Add(backoff(del.Attempts))
			del.State, del.NextAt, del.Problem = casework.SendingWaiting, &again, "The vendor's system cannot be reached: "+
				hide(notSent.Why)
			return outboxdb.Save(ctx, w.Tx, del)
		}
		if err := end("unsure", hide(sendErr.Error())); err != nil {
			return err
		}
		return w.unsure(ctx, del, hide(sendErr.Error()), w.Now.Add(t.ch.Settle()))
	})
}

// backoff doubles from two seconds to five minutes.
func backoff(attempts int) time.Duration {
	return min(5*time.Minute, time.Second<<min(attempts, 12))
}

func (d *Outbox) settleLookUp(ctx context.Context, t *task, found *channel.Receipt, lookErr error) error {
	return d.settle(ctx, t, func(w *work, del *outboxdb.Delivery) error {
		switch {
		case errors.Is(lookErr, channel.ErrNoLookUp):
			del.NeedsPerson, del.NextAt = true, nil
			return outboxdb.Save(ctx, w.Tx, del)
		case lookErr != nil:
			del.AbsentAt = nil // it does not answer: what it takes in meanwhile may show later
			again := w.Now.Add(max(t.ch.Timeout(), 2*time.Second))
			if w.Now.Sub(del.MadeAt) > time.Duration(lookUps)*t.ch.Settle()+10*time.Minute {
				del.NeedsPerson = true
			}
			return w.unsure(ctx, del, "looking it up failed, "+channel.Clean(lookErr.Error(), 500), again)
		case found != nil:
			at := Clamp(found.At, t.since, w.Now)
			return w.Arrive(ctx, del, found.Reference, at)
		}
		// Its time to settle counts from when it answers again, and only a second "not there"
		// after that is believed: then it did not arrive and never will.
		if del.AbsentAt == nil {
			del.AbsentAt = &w.Now
			return w.unsure(ctx, del, "the vendor does not have it yet; it will be looked up again", w.Now.Add(t.ch.Settle()))
		}
		del.State, del.NextAt, del.Problem, del.AbsentAt = casework.SendingWaiting, &w.Now, "", nil
		w.Wake = append(w.Wake, del.ID)
		return outboxdb.Save(ctx, w.Tx, del)
	})
}
