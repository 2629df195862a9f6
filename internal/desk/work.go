package desk

import (
	"context"
	"fmt"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/disclosure"
	"roundhouse.example/internal/store"
)

// Told is the channel of notifications that a case has changed: "C-1042 17".
const Told = "roundhouse_case"

// work is one change of one case under way: its row is locked until the end.
type work struct {
	d     *Desk
	tx    *store.Tx
	c     *store.Case
	actor *Actor // nil for the service itself
	now   time.Time
	wake  []int64 // deliveries to wake once this is committed
	head  head
}

// head is what If-Match guards: what a person decides by. What a channel does
// meanwhile does not make it stale.
type head struct {
	title, kind, state, because, cause, outcome string
	facts                                       store.Facts
	texts                                       store.Texts
	severity, chosen, level                     int
	owner                                       int64
	parked, agreed, vendorClosed, workaround    bool
}

func headOf(c *store.Case) head {
	deref := func(p *int) int {
		if p == nil {
			return 0
		}
		return *p
	}
	h := head{
		title: c.Title, kind: c.Kind, state: c.State, because: c.SeverityBecause, cause: c.Cause, outcome: c.Outcome, facts: c.Facts.V,
		texts: c.Texts.V, severity: deref(c.Severity), chosen: deref(c.SeverityChosen), level: deref(c.LevelRank), parked: c.Parked,
		agreed: c.ParkedAgreed, vendorClosed: c.VendorClosedAt != nil, workaround: c.WorkaroundOffered,
	}
	if c.OwnerID != nil {
		h.owner = *c.OwnerID
	}
	return h
}

// Name is how people call a case.
func Name(number int64) string { return fmt.Sprintf("C-%d", number) }

// change locks a case, lets fn work on it, and writes what follows.
func (d *Desk) change(ctx context.Context, tx *store.Tx, id int64, actor *Actor, fn func(*work) error) error {
	c, err := tx.LockCase(ctx, id)
	if err != nil {
		return err
	}
	w := &work{d: d, tx: tx, c: &c, actor: actor, now: d.Now(), head: headOf(&c)}
	if err := fn(w); err != nil {
		return err
	}
	return w.save(ctx)
}

func (w *work) save(ctx context.Context) error {
	w.c.ChangedAt = w.now
	if err := w.recompute(ctx); err != nil {
		return err
	}
	if headOf(w.c) != w.head {
		w.c.Version++
	}
	if err := w.tx.SaveCase(ctx, w.c); err != nil {
		return err
	}
	for _, id := range w.wake {
		if err := w.d.queue.Deliver(ctx, w.tx, id); err != nil {
			return err
		}
	}
	return w.tx.Tell(ctx, Told, fmt.Sprintf("%s %d", Name(w.c.Number), w.c.LastEntry))
}

// add writes an entry. Instants enter as whole seconds.
func (w *work) add(ctx context.Context, e store.Entry) (store.Entry, error) {
	if e.HappenedAt.IsZero() {
		e.HappenedAt = w.now
	}
	e.HappenedAt = e.HappenedAt.UTC().Truncate(time.Second)
	e.RecordedAt = w.now
	if w.actor != nil && e.AuthorName == "" {
		e.AuthorID, e.AuthorName = &w.actor.ID, w.actor.Name
	}
	return e, w.tx.AddEntry(ctx, w.c, &e)
}

// changed writes down a change: what follows from it, in words and in effect.
func (w *work) changed(ctx context.Context, text string, effect *store.Effect) (store.Entry, error) {
	return w.add(ctx, store.Entry{Kind: "change", Body: text, Effect: store.JSON[*store.Effect]{V: effect}})
}

func (w *work) situation(ctx context.Context) (casework.Situation, error) {
	s := casework.Situation{
		State: casework.State(w.c.State), VendorClosed: w.c.VendorClosedAt != nil, Parked: w.c.Parked,
		ParkedAgreed: w.c.ParkedAgreed, WorkaroundOffered: w.c.WorkaroundOffered,
	}
	open, err := store.OpenDeliveries(ctx, w.tx, []int64{w.c.ID})
	if err != nil {
		return s, err
	}
	s.OnItsWay = onItsWay(open)
	return s, nil
}

// onItsWay names the step that has not left yet; plain messages hold nothing up.
func onItsWay(open []store.Delivery) string {
	for _, o := range open {
		if o.Step != "" {
			return stepNouns[o.Step]
		}
	}
	return ""
}

var stepNouns = map[string]string{
	string(casework.File): "The filing", string(casework.RejectFix): "The rejection of the fix",
	string(casework.RejectWorkaround): "The rejection of the workaround", string(casework.AcceptFix): "The acceptance",
	string(casework.Resolve): "The word that it is resolved", string(casework.Close): "The closing",
	string(casework.Withdraw): "The withdrawal", string(casework.Reopen): "The reopening",
	string(casework.ChangeLevel): "The change of level", string(casework.Dispute): "The dispute",
	string(casework.Park): "The word that it is parked", string(casework.Return): "The word that it goes on",
}

// send puts a message on its way: by the link, or into the hands of a person. It
// has no effect before the vendor has it.
func (w *work) send(ctx context.Context, via, action, step, text string, effect *store.Effect, p store.Params) (store.Entry, error) {
	out := "out"
	written := via
	if via == "api" {
		written = "rest"
	}
	text, err := w.hidden(ctx, text)
	if err != nil {
		return store.Entry{}, err
	}
	if err := w.mayLeave(ctx, via, text); err != nil {
		return store.Entry{}, err
	}
	e, err := w.add(ctx, store.Entry{Kind: "message", Direction: &out, Channel: written, Body: text})
	if err != nil {
		return e, err
	}
	del := store.Delivery{
		CaseID: w.c.ID, EntryID: e.ID, EntryNumber: e.Number, Action: action, Step: step, Channel: via, State: Waiting, NextAt: &w.now,
		Effect: store.JSON[*store.Effect]{V: effect}, Params: store.JSON[store.Params]{V: p}, MadeAt: w.now,
	}
	if via != "api" {
		del.State, del.NextAt, del.NeedsPerson = ByHand, nil, true
	}
	if err := w.tx.AddDelivery(ctx, &del); err != nil {
		return e, err
	}
	if via == "api" {
		w.wake = append(w.wake, del.ID)
	}
	return e, nil
}

// hidden is a text as the record keeps it: a secret of the vendor's that somebody
// wrote out stands there by its placeholder.
func (w *work) hidden(ctx context.Context, text string) (string, error) {
	hide, err := w.d.hiding(ctx, w.tx, w.c.VendorID)
	if err != nil {
		return "", err
	}
	return hide(text), nil
}

// mayLeave checks a text before it is put on its way.
func (w *work) mayLeave(ctx context.Context, via, text string) error {
	if len(disclosure.Placeholders(text)) == 0 {
		return nil
	}
	host := ""
	if via == "api" {
		link, err := store.LinkOf(ctx, w.tx, w.c.VendorID)
		if err != nil {
			return err
		}
		host = hostOf(link)
	}
	return w.d.checkSecrets(ctx, w.tx, w.c.VendorID, host, text)
}
