package outbox

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"strings"
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
	del.State, del.NextAt, del.Problem = casework.SendingUnsure, &lookAt, "It may not have arrived: "+why
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
	if del.Action == route.Attach {
		return w.arriveAttached(ctx, del, at)
	}
	text := cmp.Or(arrivals[del.Step], "Message arrived.")
	e := casesdb.Entry{Kind: casework.Change, RefersTo: &del.EntryNumber, HappenedAt: at}
	if v := del.Effect.V; v != nil { // the delivery keeps its own
		e.Effect.V = new(*v)
		if v.Sets != nil {
			e.Effect.V.Sets = new(*v.Sets)
		}
		e.Effect.V.Told = v.Event != "" && del.Step != ""
	}
	if v := e.Effect.V; v != nil && v.Event == deadline.Park && v.Until != nil && !v.Until.After(w.Now) {
		e.Effect.V = nil
		text = "The vendor was told that the case is parked, but the date had already come: the case was not parked."
	}
	if del.Action == route.Open && reference != "" {
		other, err := casesdb.CurrentReference(ctx, w.Tx, w.Case.VendorID, reference)
		switch {
		case err == nil && other != w.Case.ID:
			text += fmt.Sprintf(" The vendor gave the reference %s, which another case already has; it was not added here.",
				reference)
		case err == nil || errors.Is(err, db.ErrNotFound):
			text += " Vendor reference: " + reference + "."
			e.Set().Reference = &reference
			if e.Set().Numbers, err = w.SetFirst(ctx, casework.Vendors, reference); err != nil {
				return err
			}
		default:
			return err
		}
	}
	switch del.Action {
	case route.Open:
		v, err := w.Vendor(ctx)
		if err != nil {
			return err
		}
		if reference == "" && v.Profile.V.GivesNoReference {
			text += " The vendor gives no reference."
			e.Set().NoReference = true
		}
	case route.Reopen:
		e.Set().VendorOpen = true
	case route.Level: // what they had set without our agreeing is agreed on anew
		e.Set().VendorLevel = new("")
	}
	with, err := w.enclosed(ctx, del)
	if err != nil {
		return err
	}
	e.Body = strings.TrimSpace(text + "\n" + with)
	if _, err := w.Add(ctx, e); err != nil {
		return err
	}
	return w.follow(ctx, del, reference, at)
}

// follow does what follows once something has left: its dates, what is behind it, what waited for the number.
func (w *work) follow(ctx context.Context, del *outboxdb.Delivery, reference string, at time.Time) error {
	if err := w.out.dates.Left(ctx, w.Work, del, reference, at); err != nil {
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
	casework.File: "Filed.", casework.AcceptFix: "Fix accepted; the vendor has been told.",
	casework.RejectFix:        "Fix rejected; the vendor has been told.",
	casework.RejectWorkaround: "Workaround rejected; the vendor has been told.",
	casework.Resolve:          "Resolved; the vendor has been told.",
	casework.Close:            "Closed on both sides.", casework.Withdraw: "Withdrawn; the vendor has been told.",
	casework.Reopen:      "Reopened; the vendor has been told.",
	casework.ChangeLevel: "The vendor has the request for the new level.",
	casework.Dispute:     "Disputed; the vendor has been told.", casework.Resume: "Resumed; the vendor has been told.",
	casework.Park: "Parked by agreement; the vendor has been told.",
}
