package outbox

import (
	"context"
	"fmt"
	"strings"
	"time"

	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	outboxdb "roundhouse.example/internal/store/outbox"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/core/words"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/filing"
	"roundhouse.example/internal/desk/references"
)

// What a person decides about a delivery.
type What string

// The decisions.
const (
	Arrived      What = "arrived"
	SendAgain    What = "send-again"
	SendYourself What = "send-yourself"
	DontSend     What = "dont-send"
	// Refused is that the vendor refuses to reopen the case, as a person was told.
	Refused What = "refused"
)

// Decision is a person's word on a delivery that cannot go on by itself.
type Decision struct {
	What      What
	Reference string
	At        *time.Time
	Channel   route.Kind // of send-yourself; empty for the usual one
	Reason    string     // of refused: what the vendor said
}

// Decide carries out a person's decision on a delivery that was refused, waits
// for a vendor who cannot be reached, or of which nobody can say whether it arrived.
func (d *Outbox) Decide(ctx context.Context, a desk.Actor, caseID, delivery int64, dec Decision) (desk.Ref, error) {
	if err := a.May(access.Work); err != nil {
		return desk.Ref{}, err
	}
	return desk.Once(ctx, d.Desk, func(tx *db.Tx) (ref desk.Ref, err error) {
		err = d.change(ctx, tx, caseID, &a, func(w *work) error {
			del, err := outboxdb.ByID(ctx, tx, delivery)
			if err == nil && del.CaseID != caseID {
				err = db.ErrNotFound
			}
			if err != nil {
				return err
			}
			ref = desk.Ref{ID: w.Case.ID, Number: w.Case.Number, Entry: w.Case.LastEntry}
			return w.decide(ctx, &del, dec)
		})
		return ref, err
	})
}

func (w *work) decide(ctx context.Context, del *outboxdb.Delivery, dec Decision) error {
	switch {
	case del.State.Ended():
		end := "It has already arrived, so there is nothing to decide."
		if del.State == casework.SendingNotSent {
			end = "It is no longer being sent, so there is nothing to decide."
		}
		return &casework.Refusal{Why: end, Allowed: w.Allowed(ctx)}
	case del.State == casework.SendingUnderWay:
		return &casework.Refusal{Why: "It is being sent right now: wait for the vendor's answer, then decide.",
			Allowed: w.Allowed(ctx)}
	}
	switch dec.What {
	case Arrived:
		if del.Action == route.Open && strings.TrimSpace(dec.Reference) == "" && del.Channel == route.API &&
			del.State != casework.SendingToSend {
			return desk.Fault("reference", "give the vendor reference")
		}
		if err := references.LooksRight(ctx, w.Work, dec.Reference); err != nil {
			return err
		}
		if err := w.isFirst(ctx, del); err != nil {
			return err
		}
		at := w.Now
		if dec.At != nil {
			if dec.At.After(w.Now) || dec.At.Before(del.MadeAt.Truncate(time.Second)) {
				return desk.Fault("at", "give a time between %s and now", del.MadeAt.Format(time.RFC3339))
			}
			at = dec.At.UTC()
		}
		return w.Arrive(ctx, del, strings.TrimSpace(dec.Reference), at)
	case SendYourself:
		return w.giveToPerson(ctx, del, dec.Channel)
	case DontSend:
		return w.CancelSending(ctx, del)
	case SendAgain:
		return w.sendAgain(ctx, del)
	case Refused:
		reason := strings.TrimSpace(dec.Reason)
		switch {
		case del.Action != route.Reopen:
			return desk.Fault("decision", "only a reopening is refused: choose not to send this one")
		case reason == "":
			return desk.Fault("reason", "say what the vendor said")
		}
		return w.refuse(ctx, del, reason)
	}
	return desk.Fault("decision", "the decision must be arrived, send-again, send-yourself, dont-send or refused, "+
		"not %.40q", dec.What)
}

// refuse keeps that the vendor refused something: a person decides what becomes of it. How often it refused to reopen
// the case is counted.
func (w *work) refuse(ctx context.Context, del *outboxdb.Delivery, why string) error {
	del.State, del.NextAt, del.Problem, del.NeedsPerson = casework.SendingRefused, nil, why, true
	if err := outboxdb.Save(ctx, w.Tx, del); err != nil {
		return err
	}
	what := casework.StepNouns[del.Step]
	if what == "" {
		what = "The message"
	}
	e := casesdb.Entry{Kind: casework.Change, RefersTo: &del.EntryNumber,
		Body: fmt.Sprintf("%s (entry %d) was refused: %s.", what, del.EntryNumber, strings.TrimRight(why, "."))}
	if del.Action == route.Reopen {
		e.Set().ReopenRefused = true
	}
	_, err := w.Add(ctx, e)
	return err
}

// isFirst refuses what goes behind a step that has not been sent: each has its effect after the one before it.
func (w *work) isFirst(ctx context.Context, del *outboxdb.Delivery) error {
	open, err := outboxdb.Open(ctx, w.Tx, []int64{w.Case.ID})
	if err != nil {
		return err
	}
	for _, o := range open {
		if o.ID < del.ID && o.Step != "" && del.Step != "" {
			return &casework.Refusal{Why: fmt.Sprintf("Entry %d comes first: mark it as sent, or choose not to send it.",
				o.EntryNumber), Allowed: w.Allowed(ctx)}
		}
	}
	return nil
}

// sendAgain lets a link try once more what it could not bring there.
func (w *work) sendAgain(ctx context.Context, del *outboxdb.Delivery) error {
	if !del.Route().Automatic() {
		return &casework.Refusal{Why: "You send this one yourself: mark it as sent, or choose not to send it.",
			Allowed: w.Allowed(ctx)}
	}
	text := fmt.Sprintf("Entry %d is sent again.", del.EntryNumber)
	if del.State == casework.SendingUnsure {
		text = fmt.Sprintf("Entry %d is sent again, though it may be a repeat.", del.EntryNumber)
	}
	del.NeedsPerson, del.State, del.NextAt = false, casework.SendingWaiting, &w.Now
	if err := outboxdb.Save(ctx, w.Tx, del); err != nil {
		return err
	}
	w.Wake = append(w.Wake, del.ID)
	_, err := w.Add(ctx, casesdb.Entry{Kind: casework.Change, RefersTo: &del.EntryNumber, Body: text})
	return err
}

// giveToPerson gives what cannot go by itself to a person.
func (w *work) giveToPerson(ctx context.Context, del *outboxdb.Delivery, wanted route.Kind) error {
	v, err := w.Vendor(ctx)
	if err != nil {
		return err
	}
	via, err := filing.PickRoute(v.Profile.V.Routes(nil, nil, w.Case.Urgent()), filing.Wanted{Channel: wanted})
	if err != nil {
		return err
	}
	text := fmt.Sprintf("Entry %d is to be sent by a person, %s.", del.EntryNumber,
		words.By(string(via.Kind)))
	if del.State == casework.SendingUnsure {
		text += " It may be a repeat."
	}
	del.State, del.Channel, del.LinkID, del.NextAt, del.NeedsPerson, del.Problem = casework.SendingToSend, via.Kind, nil,
		nil, true, ""
	if err := outboxdb.Save(ctx, w.Tx, del); err != nil {
		return err
	}
	if _, err = w.Add(ctx, casesdb.Entry{Kind: casework.Change, RefersTo: &del.EntryNumber, Body: text}); err != nil {
		return err
	}
	return w.takeAlong(ctx, del, via.Kind)
}
