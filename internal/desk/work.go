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
	h.neededBy, h.facts.NeededBy = store.Unix(c.Facts.V.NeededBy), nil
	return h
}

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
func told(c *store.Case) string { return fmt.Sprintf("%s %d", casework.Name(c.Number), c.LastEntry) }

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
		s.OnItsWay, s.ByHand = stepNouns[o.Step], o.State == casework.SendingByHand
		if o.State.NotLeft() {
			s.Waiting = casework.Step(o.Step)
		}
		return
	}
}

var stepNouns = map[string]string{
	string(casework.File): "The filing", string(casework.RejectFix): "The rejection of the fix",
	string(casework.RejectWorkaround): "The rejection of the workaround", string(casework.AcceptFix): "The acceptance",
	string(casework.Resolve): "The word that it is resolved", string(casework.Close): "The closing",
	string(casework.Withdraw): "The withdrawal", string(casework.Reopen): "The reopening",
	string(casework.ChangeLevel): "The change of level", string(casework.Dispute): "The dispute",
	string(casework.Park): "The word that it is parked", string(casework.Return): "The word that it goes on",
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
		host = link.Host()
	}
	return w.d.checkSecrets(ctx, w.tx, w.c.VendorID, host, text)
}

// hideIn puts placeholders where a case's own texts write out a secret of its vendor's.
func hideIn(hide func(string) string, c *store.Case) {
	x := &c.Texts.V
	for _, s := range []*string{&c.Title, &c.SeverityBecause, &c.Cause, &c.Outcome, &x.Happened, &x.Expected, &x.Steps, &x.Since, &x.Tried, &x.OnWhat, &x.Contact, &x.ContactAlways} {
		*s = hide(*s)
	}
	for k, v := range c.Answers.V {
		c.Answers.V[k] = hide(v)
	}
}
