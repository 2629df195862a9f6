package desk

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/channel"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/disclosure"
	"roundhouse.example/internal/failpoint"
	"roundhouse.example/internal/store"
)

// lookUps is how often an unsure sending is looked up before a person is asked.
const lookUps = 5

// task is one call to a vendor, claimed and written down before it is made.
type task struct {
	delivery store.Delivery
	ch       Channel
	letter   channel.Letter
	attempt  store.Attempt
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
func (d *Desk) Deliver(ctx context.Context, id int64) error {
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
	if err == nil || store.Unavailable(err) {
		return err // in the second case its lease runs out, and it is looked up
	}
	// What cannot be recorded must not leave the attempt open for ever, nor be sent again.
	return errors.Join(err, d.settleSend(ctx, t, channel.Receipt{}, errors.New("what the vendor answered could not be recorded")))
}

// VendorOfDelivery says to which vendor a delivery goes.
func (d *Desk) VendorOfDelivery(ctx context.Context, id int64) (int64, error) {
	return store.VendorOfDelivery(ctx, d.Store.DB, id)
}

// errNothing rolls a transaction back that has nothing to write.
var errNothing = errors.New("nothing to do")

// claim commits an attempt before the call is made; nil where nothing is due.
func (d *Desk) claim(ctx context.Context, id int64) (*task, error) {
	var t *task
	err := d.Store.Do(ctx, func(tx *store.Tx) error {
		del, err := store.DeliveryByID(ctx, tx, id)
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
			if del, err = store.DeliveryByID(ctx, tx, id); err == nil && del.State == before {
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
	all, err := store.Deliveries(ctx, w.tx, w.c.ID)
	if err != nil {
		return nil, err
	}
	var del store.Delivery
	for _, x := range all { // one at a time a case, in order, the filing first
		if x.ID == id {
			del = x
			break
		}
		if !x.State.Ended() {
			return nil, nil
		}
	}
	if del.NextAt == nil || del.NextAt.After(w.now) || del.NeedsPerson {
		return nil, nil
	}
	link, err := store.LinkOf(ctx, w.tx, w.c.VendorID)
	if err != nil {
		return nil, err
	}
	ch, err := w.d.channels(link)
	if err != nil {
		return nil, err
	}
	attempts, err := store.Attempts(ctx, w.tx, del.ID)
	if err != nil {
		return nil, err
	}
	letter, err := w.letter(ctx, del)
	if err != nil {
		return nil, err
	}
	t := &task{delivery: del, ch: ch, letter: letter, vendor: w.c.VendorID, host: link.Host()}
	switch del.State {
	case casework.SendingWaiting:
		return t, w.begin(ctx, t)
	case casework.SendingUnderWay: // its lease has run out: whoever made the call is gone
		last := attempts[len(attempts)-1]
		last.EndedAt, last.Outcome, last.Detail = &w.now, "unsure", "the service stopped before the answer was recorded"
		if err := w.tx.EndAttempt(ctx, last); err != nil {
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

func (w *work) letter(ctx context.Context, del store.Delivery) (channel.Letter, error) {
	e, err := store.EntryByNumber(ctx, w.tx, w.c.ID, del.EntryNumber)
	if err != nil {
		return channel.Letter{}, err
	}
	if e.Kind != "message" {
		return channel.Letter{}, fmt.Errorf("entry %d of %s is a %s and cannot leave", e.Number, casework.Name(w.c.Number), e.Kind)
	}
	l := channel.Letter{Action: channel.Action(del.Action), Subject: w.c.Title, Text: e.Body, Level: del.Params.V.Level, Caller: e.AuthorName}
	refs, err := store.References(ctx, w.tx, []int64{w.c.ID})
	for _, r := range refs {
		if r.Whose == "vendor" {
			l.Reference = r.Value
		}
	}
	return l, err
}

func (w *work) begin(ctx context.Context, t *task) error {
	t.letter.Marker = channel.NewMarker()
	t.attempt = store.Attempt{DeliveryID: t.delivery.ID, Marker: t.letter.Marker, StartedAt: w.now, LeaseUntil: w.now.Add(t.ch.Timeout() + 2*time.Second)}
	if err := w.tx.AddAttempt(ctx, &t.attempt); err != nil {
		return err
	}
	t.delivery.State, t.delivery.NextAt = casework.SendingUnderWay, &t.attempt.LeaseUntil
	t.delivery.Attempts++
	return w.tx.SaveDelivery(ctx, &t.delivery)
}

// settle records how a call ended, if nobody else has meanwhile.
func (d *Desk) settle(ctx context.Context, t *task, fn func(*work, *store.Delivery) error) error {
	err := d.Store.Do(ctx, func(tx *store.Tx) error {
		return d.change(ctx, tx, t.delivery.CaseID, nil, func(w *work) error {
			now, err := store.DeliveryByID(ctx, tx, t.delivery.ID)
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

func (d *Desk) settleSend(ctx context.Context, t *task, r channel.Receipt, sendErr error) error {
	// A vendor's answer may repeat what it was told.
	hide := func(s string) string { return channel.Clean(disclosure.Hide(s, t.filled), 1000) }
	return d.settle(ctx, t, func(w *work, del *store.Delivery) error {
		a := t.attempt
		a.EndedAt = &w.now
		end := func(outcome, detail string) error {
			a.Outcome, a.Detail = outcome, detail
			return w.tx.EndAttempt(ctx, a)
		}
		var refused *channel.Refused
		var notSent *channel.NotSent
		switch {
		case sendErr == nil:
			if err := end("arrived", r.Reference); err != nil {
				return err
			}
			return w.arrive(ctx, del, r.Reference, w.now)
		case errors.As(sendErr, &refused):
			if err := end("refused", hide(refused.Why)); err != nil {
				return err
			}
			del.State, del.NextAt, del.Problem, del.NeedsPerson = casework.SendingRefused, nil, hide(refused.Why), true
			if err := w.tx.SaveDelivery(ctx, del); err != nil {
				return err
			}
			what := stepNouns[del.Step]
			if what == "" {
				what = "The message"
			}
			_, err := w.add(ctx, store.Entry{Kind: "change", RefersTo: &del.EntryNumber, Body: fmt.Sprintf("%s (entry %d) was refused: %s.", what, del.EntryNumber, strings.TrimRight(del.Problem, "."))})
			return err
		case errors.As(sendErr, &notSent):
			if err := end("not-sent", hide(notSent.Why)); err != nil {
				return err
			}
			again := w.now.Add(backoff(del.Attempts))
			del.State, del.NextAt, del.Problem = casework.SendingWaiting, &again, "The vendor's system cannot be reached: "+hide(notSent.Why)
			return w.tx.SaveDelivery(ctx, del)
		}
		if err := end("unsure", hide(sendErr.Error())); err != nil {
			return err
		}
		return w.unsure(ctx, del, hide(sendErr.Error()), w.now.Add(t.ch.Settle()))
	})
}

// backoff doubles from two seconds to five minutes.
func backoff(attempts int) time.Duration {
	return min(5*time.Minute, time.Second<<min(attempts, 12))
}

// unsure: the vendor may or may not have it. It is never just sent again.
func (w *work) unsure(ctx context.Context, del *store.Delivery, why string, lookAt time.Time) error {
	del.State, del.NextAt, del.Problem = casework.SendingUnsure, &lookAt, "Nobody can say yet whether it arrived: "+why
	return w.tx.SaveDelivery(ctx, del)
}

func (d *Desk) settleLookUp(ctx context.Context, t *task, found *channel.Receipt, lookErr error) error {
	return d.settle(ctx, t, func(w *work, del *store.Delivery) error {
		switch {
		case lookErr != nil:
			del.AbsentAt = nil // it does not answer: what it takes in meanwhile may show later
			again := w.now.Add(max(t.ch.Timeout(), 2*time.Second))
			if w.now.Sub(del.MadeAt) > time.Duration(lookUps)*t.ch.Settle()+10*time.Minute {
				del.NeedsPerson = true
			}
			return w.unsure(ctx, del, "looking it up failed, "+channel.Clean(lookErr.Error(), 500), again)
		case found != nil:
			at := clamp(found.At, t.since, w.now)
			return w.arrive(ctx, del, found.Reference, at)
		}
		// Its time to settle counts from when it answers again, and only a second "not there"
		// after that is believed: then it did not arrive and never will.
		if del.AbsentAt == nil {
			del.AbsentAt = &w.now
			return w.unsure(ctx, del, "the vendor does not have it yet; it is looked up once more", w.now.Add(t.ch.Settle()))
		}
		del.State, del.NextAt, del.Problem, del.AbsentAt = casework.SendingWaiting, &w.now, "", nil
		w.wake = append(w.wake, del.ID)
		return w.tx.SaveDelivery(ctx, del)
	})
}

// clamp keeps an instant of somebody else's clock within what we could have seen.
func clamp(t, low, high time.Time) time.Time {
	if t.IsZero() || t.After(high) {
		return high
	}
	if t.Before(low) {
		return low
	}
	return t
}

// arrive lets an outward step take its effect at the instant the vendor had it.
func (w *work) arrive(ctx context.Context, del *store.Delivery, reference string, at time.Time) error {
	del.State, del.NextAt, del.Problem, del.NeedsPerson, del.AbsentAt = casework.SendingArrived, nil, "", false, nil
	at = at.Truncate(time.Second)
	del.LeftAt = &at
	if err := w.tx.SaveDelivery(ctx, del); err != nil {
		return err
	}
	text := arrivals[del.Step]
	if text == "" {
		text = "Message arrived."
	}
	effect := del.Effect
	if e := effect.V; e != nil && e.Event == "park" && e.Until != nil && !e.Until.After(w.now) {
		text, effect.V = "The vendor knows of the parking, but its date has come meanwhile: nothing was parked.", nil
	}
	if del.Action == string(channel.Open) && reference != "" {
		other, err := store.CaseByReference(ctx, w.tx, w.c.VendorID, reference)
		switch {
		case err == nil && other != w.c.ID:
			text += fmt.Sprintf(" The vendor answered with %s, which another case has already; it was not taken.", reference)
		case err == nil || errors.Is(err, store.ErrNotFound):
			text += " Their number is " + reference + "."
			if err := w.tx.SetReference(ctx, w.c, "vendor", reference); err != nil {
				return err
			}
		default:
			return err
		}
	}
	e := store.Entry{Kind: "change", Body: text, RefersTo: &del.EntryNumber, HappenedAt: at, Effect: effect}
	if _, err := w.add(ctx, e); err != nil {
		return err
	}
	switch del.Action {
	case string(channel.Reopen):
		w.c.VendorClosedAt = nil
	case string(channel.Level): // what they had set without our agreeing is agreed on anew
		w.c.VendorLevel = ""
	}
	if err := w.wakeNext(ctx, del); err != nil {
		return err
	}
	if reference == "" || del.Action != string(channel.Open) {
		return nil
	}
	return w.numbered(ctx, reference, del.LeftAt)
}

var arrivals = map[string]string{
	string(casework.File): "Filed.", string(casework.AcceptFix): "Fix accepted; they know.", string(casework.RejectFix): "Fix rejected; they know.",
	string(casework.RejectWorkaround): "Workaround rejected; they know.", string(casework.Resolve): "Resolved; they know.",
	string(casework.Close): "Closed on both sides.", string(casework.Withdraw): "Withdrawn; they know.",
	string(casework.Reopen): "Reopened; they know.", string(casework.ChangeLevel): "The vendor has the new level.",
	string(casework.Dispute): "Disputed; they know.", string(casework.Return): "Back from parking; they know.",
	string(casework.Park): "Parked by agreement; they know.",
}

// Decision is a person's word on a delivery that cannot go on by itself.
type Decision struct {
	What      string // it-arrived, send-again, by-hand, give-up
	Reference string
	At        *time.Time
	Channel   string // of by-hand; empty for the usual one
}

// Decide carries out a person's decision on a delivery that was refused, waits
// for a vendor who cannot be reached, or of which nobody can say whether it arrived.
func (d *Desk) Decide(ctx context.Context, a Actor, caseID, delivery int64, dec Decision) (Ref, error) {
	if err := a.may(access.Work); err != nil {
		return Ref{}, err
	}
	return once(ctx, d, func(tx *store.Tx) (ref Ref, err error) {
		err = d.change(ctx, tx, caseID, &a, func(w *work) error {
			del, err := store.DeliveryByID(ctx, tx, delivery)
			if err == nil && del.CaseID != caseID {
				err = store.ErrNotFound
			}
			if err != nil {
				return err
			}
			ref = Ref{ID: w.c.ID, Number: w.c.Number, Entry: w.c.LastEntry}
			return w.decide(ctx, &del, dec)
		})
		return ref, err
	})
}

func (w *work) decide(ctx context.Context, del *store.Delivery, dec Decision) error {
	switch {
	case del.State.Ended():
		return &casework.Refusal{Why: "That sending has come to its end: it " + strings.ReplaceAll(string(del.State), "-", " ") + ".", Allowed: w.allowed(ctx)}
	case del.State == casework.SendingUnderWay:
		return &casework.Refusal{Why: "It is under way this moment; decide once its answer is known.", Allowed: w.allowed(ctx)}
	}
	switch dec.What {
	case "it-arrived":
		if del.Action == string(channel.Open) && strings.TrimSpace(dec.Reference) == "" && del.State != casework.SendingByHand {
			return invalid("reference", "give the number that the vendor gave it")
		}
		if err := w.looksRight(ctx, dec.Reference); err != nil {
			return err
		}
		at := w.now
		if dec.At != nil {
			if dec.At.After(w.now) || dec.At.Before(del.MadeAt.Truncate(time.Second)) {
				return invalid("at", "it arrived between %s and now", del.MadeAt.Format(time.RFC3339))
			}
			at = dec.At.UTC()
		}
		return w.arrive(ctx, del, strings.TrimSpace(dec.Reference), at)
	case "by-hand":
		return w.takeByHand(ctx, del, dec.Channel)
	case "give-up":
		return w.giveUp(ctx, del)
	}
	if del.Channel != "api" {
		return &casework.Refusal{Why: "It goes by hand: say when it has gone, or give it up.", Allowed: w.allowed(ctx)}
	}
	text := fmt.Sprintf("Entry %d is sent again.", del.EntryNumber)
	if del.State == casework.SendingUnsure {
		text = fmt.Sprintf("Entry %d is sent again, though it may be a repeat.", del.EntryNumber)
	}
	del.NeedsPerson, del.State, del.NextAt = false, casework.SendingWaiting, &w.now
	if err := w.tx.SaveDelivery(ctx, del); err != nil {
		return err
	}
	w.wake = append(w.wake, del.ID)
	_, err := w.add(ctx, store.Entry{Kind: "change", RefersTo: &del.EntryNumber, Body: text})
	return err
}

// takeByHand gives what cannot go by itself to a person.
func (w *work) takeByHand(ctx context.Context, del *store.Delivery, wanted string) error {
	v, err := store.VendorByID(ctx, w.tx, w.c.VendorID)
	if err != nil {
		return err
	}
	via, err := pickRoute(v.Profile.V.Routes(false, nil), wanted)
	if err != nil {
		return err
	}
	text := fmt.Sprintf("Entry %d is taken there by hand: %s.", del.EntryNumber, via)
	if del.State == casework.SendingUnsure {
		text += " It may be a repeat."
	}
	del.State, del.Channel, del.NextAt, del.NeedsPerson, del.Problem = casework.SendingByHand, via, nil, true, ""
	if err := w.tx.SaveDelivery(ctx, del); err != nil {
		return err
	}
	_, err = w.add(ctx, store.Entry{Kind: "change", RefersTo: &del.EntryNumber, Body: text})
	return err
}

// dueMost is how many deliveries are woken at a time.
const dueMost = 200

// wakeDue wakes the workers for deliveries whose turn has come, or whose attempt nobody ended,
// and returns how many.
func (d *Desk) wakeDue(ctx context.Context) (int, error) {
	due, err := store.DueDeliveries(ctx, d.Store.DB, d.Now(), dueMost)
	if err != nil {
		return 0, err
	}
	for _, id := range due {
		if err := d.Store.Do(ctx, func(tx *store.Tx) error { return d.queue.Deliver(ctx, tx, id) }); err != nil {
			return 0, err
		}
	}
	return len(due), nil
}
