package outbox

import (
	"context"
	"errors"
	"fmt"
	"time"

	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	outboxdb "roundhouse.example/internal/store/outbox"

	"roundhouse.example/internal/channel"
	"roundhouse.example/internal/core/casework"
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
	e := casesdb.Entry{Kind: "change", RefersTo: &del.EntryNumber, HappenedAt: at}
	if v := del.Effect.V; v != nil { // the delivery keeps its own
		e.Effect.V = new(*v)
		if v.Sets != nil {
			e.Effect.V.Sets = new(*v.Sets)
		}
	}
	if v := e.Effect.V; v != nil && v.Event == "park" && v.Until != nil && !v.Until.After(w.Now) {
		text, e.Effect.V = "The vendor knows of the parking, but its date has come meanwhile: nothing was parked.", nil
	}
	if del.Action == string(channel.Open) && reference != "" {
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
	case string(channel.Reopen):
		e.Set().VendorOpen = true
	case string(channel.Level): // what they had set without our agreeing is agreed on anew
		e.Set().VendorLevel = new("")
	}
	e.Body = text
	if _, err := w.Add(ctx, e); err != nil {
		return err
	}
	if err := w.WakeNext(ctx, del); err != nil {
		return err
	}
	if reference == "" || del.Action != string(channel.Open) {
		return nil
	}
	return w.Numbered(ctx, reference, del.LeftAt)
}

var arrivals = map[string]string{
	string(casework.File): "Filed.", string(casework.AcceptFix): "Fix accepted; they know.", string(casework.RejectFix): "Fix rejected; they know.",
	string(casework.RejectWorkaround): "Workaround rejected; they know.", string(casework.Resolve): "Resolved; they know.",
	string(casework.Close): "Closed on both sides.", string(casework.Withdraw): "Withdrawn; they know.",
	string(casework.Reopen): "Reopened; they know.", string(casework.ChangeLevel): "The vendor has the new level.",
	string(casework.Dispute): "Disputed; they know.", string(casework.Return): "Back from parking; they know.",
	string(casework.Park): "Parked by agreement; they know.",
}
