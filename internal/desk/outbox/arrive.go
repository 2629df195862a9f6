package outbox

import (
	"context"
	"errors"
	"fmt"
	"time"

	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	outboxdb "roundhouse.example/internal/store/outbox"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/route"
)

// unsure: the vendor may or may not have it. It is never just sent again.
func (w *work) unsure(ctx context.Context, del *outboxdb.Delivery, why string, lookAt time.Time) error {
	del.State, del.NextAt, del.Problem = casework.SendingUnsure, &lookAt, "Nobody can say yet whether it arrived: "+why
	return outboxdb.Save(ctx, w.Tx, del)
}

// Clamp keeps an instant of somebody else's clock within what we could have seen.
func Clamp(t, low, high time.Time) time.Time {
	if t.IsZero() || t.After(high) {
		return high
	}
	if t.Before(low) {
		return low
	}
	return t
}

// Arrive lets an outward step take its effect at the instant the vendor had it.
func (w *work) Arrive(ctx context.Context, del *outboxdb.Delivery, reference string, at time.Time) error {
	del.State, del.NextAt, del.Problem, del.NeedsPerson, del.AbsentAt = casework.SendingArrived, nil, "", false, nil
	at = at.Truncate(time.Second)
	del.LeftAt = &at
	if err := outboxdb.Save(ctx, w.Tx, del); err != nil {
		return err
	}
	text := arrivals[del.Step]
	if text == "" {
		text = "Message arrived."
	}
	e := casesdb.Entry{Kind: casework.Change, RefersTo: &del.EntryNumber, HappenedAt: at}
	if v := del.Effect.V; v != nil { // the delivery keeps its own
		e.Effect.V = new(*v)
		if v.Sets != nil {
			e.Effect.V.Sets = new(*v.Sets)
		}
	}
	if v := e.Effect.V; v != nil && v.Event == deadline.Park && v.Until != nil && !v.Until.After(w.Now) {
		text, e.Effect.V = "The vendor knows of the parking, but its date has come meanwhile: nothing was parked.", nil
	}
	if del.Action == route.Open && reference != "" {
		other, err := casesdb.ByReference(ctx, w.Tx, w.Case.VendorID, reference)
		switch {
		case err == nil && other != w.Case.ID:
			text += fmt.Sprintf(" The vendor answered with %s, which another case has already; it was not taken.", reference)
		case err == nil || errors.Is(err, db.ErrNotFound):
			text += " Their number is " + reference + "."
			e.Set().Reference = &reference
			if err := w.SetReference(ctx, "vendor", reference); err != nil {
				return err
			}
		default:
			return err
		}
	}
	switch del.Action {
	case route.Reopen:
		e.Set().VendorOpen = true
	case route.Level: // what they had set without our agreeing is agreed on anew
		e.Set().VendorLevel = new("")
	}
	e.Body = text
	if _, err := w.Add(ctx, e); err != nil {
		return err
	}
	if err := w.WakeNext(ctx, del); err != nil {
		return err
	}
	if reference == "" || del.Action != route.Open {
		return nil
	}
	return w.Numbered(ctx, reference, del.LeftAt)
}

var arrivals = map[casework.Step]string{
	casework.File: "Filed.", casework.AcceptFix: "Fix accepted; they know.",
	casework.RejectFix:        "Fix rejected; they know.",
	casework.RejectWorkaround: "Workaround rejected; they know.", casework.Resolve: "Resolved; they know.",
	casework.Close: "Closed on both sides.", casework.Withdraw: "Withdrawn; they know.",
	casework.Reopen: "Reopened; they know.", casework.ChangeLevel: "The vendor has the new level.",
	casework.Dispute: "Disputed; they know.", casework.Return: "Back from parking; they know.",
	casework.Park: "Parked by agreement; they know.",
}
