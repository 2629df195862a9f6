package desk

import (
	"context"
	"fmt"
	"maps"
	"slices"
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
	// renumbered says that a person changed a reference: the head is another.
	renumbered bool
	hide       func(string) string // once asked for
	warning    string              // for who wrote it
}

// head is what If-Match guards: what a person decides by. What a channel does
// meanwhile does not make it stale.
type head struct {
	title, kind, state, because, cause, outcome, answers string
	facts                                                store.Facts
	texts                                                store.Texts
	severity, chosen, level                              int
	owner, asset, account, contract, neededBy            int64
	parked, agreed, vendorClosed, workaround             bool
}

func headOf(c *store.Case) head {
	h := head{
		title: c.Title, kind: c.Kind, state: c.State, because: c.SeverityBecause, cause: c.Cause, outcome: c.Outcome, facts: c.Facts.V,
		texts: c.Texts.V, severity: deref(c.Severity), chosen: deref(c.SeverityChosen), level: deref(c.LevelRank), parked: c.Parked,
		agreed: c.ParkedAgreed, vendorClosed: c.VendorClosedAt != nil, workaround: c.WorkaroundOffered,
		owner: deref(c.OwnerID), asset: deref(c.AssetID), account: deref(c.AccountID), contract: deref(c.ContractID),
	}
	for _, k := range slices.Sorted(maps.Keys(c.Answers.V)) {
		h.answers += fmt.Sprintf("%q=%q,", k, c.Answers.V[k])
	}
	// Two pointers to one instant are one fact.
	h.neededBy, h.facts.NeededBy = unix(c.Facts.V.NeededBy), nil
	return h
}

// deref is what a pointer points to; the zero value where it points to nothing.
func deref[T any](p *T) T {
	if p == nil {
		var zero T
		return zero
	}
	return *p
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
	if now := headOf(w.c); now != w.head {
		hide, err := w.hiding(ctx)
		if err != nil {
			return err
		}
		hideIn(hide, w.c)
	}
	if err := w.recompute(ctx); err != nil {
		return err
	}
	if headOf(w.c) != w.head || w.renumbered {
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
	return w.tx.Tell(ctx, Told, told(w.c))
}

// told is the notification that a case has changed.
func told(c *store.Case) string { return fmt.Sprintf("%s %d", Name(c.Number), c.LastEntry) }

// add writes an entry: the one place where words enter the record. A secret of the
// vendor's that somebody wrote out stands there by its placeholder. Instants enter as
// whole seconds.
func (w *work) add(ctx context.Context, e store.Entry) (store.Entry, error) {
	hide, err := w.hiding(ctx)
	if err != nil {
		return e, err
	}
	e.Body, e.AuthorName = hide(e.Body), hide(e.AuthorName)
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
	open, err := store.OpenDeliveries(ctx, w.tx, []int64{w.c.ID})
	return situationOf(w.c, open), err
}

// situationOf is what the table of steps asks about a case with what of it is on its way.
func situationOf(c *store.Case, open []store.Delivery) casework.Situation {
	s := casework.Situation{
		State: casework.State(c.State), VendorClosed: c.VendorClosedAt != nil, Parked: c.Parked,
		ParkedAgreed: c.ParkedAgreed, WorkaroundOffered: c.WorkaroundOffered,
	}
	onItsWay(&s, open)
	return s
}

// onItsWay tells of the step that has not left yet; plain messages hold nothing up.
func onItsWay(s *casework.Situation, open []store.Delivery) {
	for _, o := range open {
		if o.Step == "" {
			continue
		}
		s.OnItsWay, s.ByHand = stepNouns[o.Step], o.State == ByHand
		if notLeft(o) {
			s.Waiting = casework.Step(o.Step)
		}
		return
	}
}

// notLeft says whether nothing of a delivery has left for certain.
func notLeft(o store.Delivery) bool {
	return o.State == ByHand || o.State == Waiting || o.State == Refused
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
	hide, err := w.hiding(ctx)
	if err != nil {
		return store.Entry{}, err
	}
	if err := w.mayLeave(ctx, via, hide(text)); err != nil {
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

// hiding puts placeholders where a text writes out a secret of the case's vendor.
func (w *work) hiding(ctx context.Context) (func(string) string, error) {
	if w.hide == nil {
		hide, err := w.d.hiding(ctx, w.tx, w.c.VendorID)
		if err != nil {
			return nil, err
		}
		w.hide = hide
	}
	return w.hide, nil
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
