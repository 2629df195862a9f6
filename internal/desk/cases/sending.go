package cases

import (
	"context"
	"fmt"
	"strings"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/intake"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/desk/enclosing"
	"roundhouse.example/internal/desk/leaving"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	outboxdb "roundhouse.example/internal/store/outbox"
	registerdb "roundhouse.example/internal/store/register"
)

// send puts a message on its way: by a link, or into the hands of a person. It has no effect before the vendor has it.
// What its channel does not take at once goes behind it as further messages.
func (w *Work) send(ctx context.Context, via route.Route, action route.Action, step casework.Step, text string,
	effect *casesdb.Effect, p outboxdb.Params) (casesdb.Entry, error) {
	v, err := w.Vendor(ctx)
	if err != nil {
		return casesdb.Entry{}, err
	}
	with, err := w.enclosed(ctx, v, via)
	if err != nil {
		return casesdb.Entry{}, err
	}
	title := map[bool]string{true: w.Case.Title}[action == route.Open]
	fit := intake.Fit(v.Profile.V.LimitOf(via.Kind), title, with.Listed(text))
	first, delivery, err := w.sendOne(ctx, via, action, step, fit.Texts[0], effect, p)
	for _, more := range fit.Texts[1:] {
		if err == nil {
			_, _, err = w.sendOne(ctx, via, "comment", "", more, nil, outboxdb.Params{})
		}
	}
	if err != nil {
		return first, err
	}
	wake, said, err := with.Put(ctx, w.Tx, via, first, delivery, w.Now)
	w.Wake = append(w.Wake, wake...)
	if err == nil && said != "" {
		_, err = w.Add(ctx, casesdb.Entry{Kind: casework.Change, RefersTo: &first.Number, Body: said})
	}
	return first, err
}

// enclosed are the files that go with the message.
func (w *Work) enclosed(ctx context.Context, v registerdb.Vendor, via route.Route) (e enclosing.Enclosure, err error) {
	if len(w.enclosing.Files) == 0 {
		return e, nil
	}
	limit, err := w.d.filing.FilesBy(ctx, w.Tx, v, via)
	if err != nil {
		return e, err
	}
	return enclosing.Of(ctx, w.Tx, enclosing.Asked{Case: w.Case, Actor: w.actor, Limit: limit, Because: w.disclose,
		Wanted: w.enclosing})
}

func (w *Work) sendOne(ctx context.Context, via route.Route, action route.Action, step casework.Step, text string,
	effect *casesdb.Effect, p outboxdb.Params) (e casesdb.Entry, delivery int64, err error) {
	out := "out"
	hide, err := w.Hiding(ctx)
	if err != nil {
		return e, 0, err
	}
	lifted, err := w.mayLeave(ctx, via, hide(text))
	if err != nil {
		return e, 0, err
	}
	hideSets(hide, effect)
	e, err = w.Add(ctx, casesdb.Entry{Kind: casework.Message, Direction: &out, Channel: via.Kind, Body: text})
	if err != nil {
		return e, 0, err
	}
	del := outboxdb.Delivery{
		CaseID: w.Case.ID, EntryID: e.ID, EntryNumber: e.Number, Action: action, Step: step, Channel: via.Kind,
		State: casework.SendingWaiting, NextAt: &w.Now,
		Effect: db.JSON[*casesdb.Effect]{V: effect}, Params: db.JSON[outboxdb.Params]{V: p}, MadeAt: w.Now,
	}
	if via.Automatic() {
		del.LinkID = &via.Link
	} else {
		del.State, del.NextAt, del.NeedsPerson = casework.SendingToSend, nil, true
	}
	if err := outboxdb.Add(ctx, w.Tx, &del); err != nil {
		return e, 0, err
	}
	if via.Automatic() {
		w.Wake = append(w.Wake, del.ID)
	}
	if len(lifted) > 0 {
		_, err = w.Add(ctx, casesdb.Entry{Kind: casework.Change, RefersTo: &e.Number, Body: fmt.Sprintf(
			"Entry %d has %s in it, and is sent anyway. Reason: %s", e.Number, leaving.Named(lifted),
			strings.TrimSpace(w.disclose))})
	}
	return e, del.ID, err
}

// CancelSending ends a sending without the vendor being told, and with it the steps behind it that would make no
// sense then.
func (w *Work) CancelSending(ctx context.Context, del *outboxdb.Delivery) error {
	if err := w.notSent(ctx, del, fmt.Sprintf("Entry %d was not sent.", del.EntryNumber)); err != nil {
		return err
	}
	open, err := outboxdb.Open(ctx, w.Tx, []int64{w.Case.ID})
	if err != nil {
		return err
	}
	now := SituationOf(w.Case, nil)
	now.HasReason, now.Agreed = true, true
	for _, o := range open {
		if o.Action == route.Attach && o.EntryNumber == del.EntryNumber && o.ID > del.ID && o.State.NotLeft() {
			if err := w.Unsend(ctx, &o); err != nil { // its message never came
				return err
			}
			continue
		}
		if o.Step == "" {
			continue
		}
		if _, err := casework.Check(o.Step, now); err != nil && o.ID > del.ID && o.State == casework.SendingToSend {
			text := fmt.Sprintf("Entry %d was not sent: it was to follow entry %d.", o.EntryNumber, del.EntryNumber)
			if err := w.notSent(ctx, &o, text); err != nil {
				return err
			}
			continue
		}
		now = now.After(o.Step)
	}
	return w.WakeNext(ctx, del)
}

// Unsend ends a sending of which nothing leaves. What people are told of that is for the caller to write.
func (w *Work) Unsend(ctx context.Context, del *outboxdb.Delivery) error {
	del.State, del.NextAt, del.NeedsPerson = casework.SendingNotSent, nil, false
	return outboxdb.Save(ctx, w.Tx, del)
}

func (w *Work) notSent(ctx context.Context, del *outboxdb.Delivery, text string) error {
	if err := w.Unsend(ctx, del); err != nil {
		return err
	}
	_, err := w.Add(ctx, casesdb.Entry{Kind: casework.Change, RefersTo: &del.EntryNumber, Body: text})
	return err
}

// WakeNext wakes what waited for a sending to come to its end.
func (w *Work) WakeNext(ctx context.Context, del *outboxdb.Delivery) error {
	open, err := outboxdb.Open(ctx, w.Tx, []int64{w.Case.ID})
	if err != nil {
		return err
	}
	for _, o := range open {
		if o.ID > del.ID {
			w.Wake = append(w.Wake, o.ID)
			break
		}
	}
	return nil
}

// Numbered lets others take up what waited for the vendor's number of the case; filed is
// when the filing took effect.
func (w *Work) Numbered(ctx context.Context, reference string, filed *time.Time) error {
	if w.d.OnNumber == nil {
		return nil
	}
	return w.d.OnNumber(ctx, w, reference, filed)
}
