package cases

import (
	"context"
	"fmt"
	"strconv"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/disclosure"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/enclosing"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	inboxdb "roundhouse.example/internal/store/inbox"
	outboxdb "roundhouse.example/internal/store/outbox"
	registerdb "roundhouse.example/internal/store/register"
)

// Work is one change of one case under way: its row is locked until the end.
type Work struct {
	d     *Cases
	Tx    *db.Tx
	Case  *casesdb.Case
	actor *desk.Actor // nil for the service itself
	Now   time.Time
	Wake  []int64 // deliveries to wake once this is committed
	head  head
	lines int // of the record, before
	// renumbered says that a person changed a reference: the head is another.
	renumbered bool
	vendor     once[registerdb.Vendor]
	links      once[[]inboxdb.VendorLink]
	scheme     once[[]registerdb.Level]
	references once[[]casesdb.Reference]
	rebuild    bool                // references too are written from the record
	hide       func(string) string // once asked for
	items      int                 // how many dates were named in this change
	disclose   string              // why what must not leave is sent all the same
	enclosing  enclosing.Wanted    // what goes with the next message
	warning    string              // for who wrote it
	added      []casesdb.Entry     // in this change
	fallen     bool                // a clock or date is due, or soon will be
}

// Begin writes a new case, which gets its id and number, and lets fn work on it.
func (d *Cases) Begin(ctx context.Context, tx *db.Tx, c *casesdb.Case, actor *desk.Actor, fn func(*Work) error) error {
	hide, err := d.secrets.Hiding(ctx, tx, c.VendorID)
	if err != nil {
		return err
	}
	hideIn(hide, c)
	if err := casesdb.Insert(ctx, tx, c); err != nil {
		return err
	}
	return d.Change(ctx, tx, c.ID, actor, fn)
}

// Matches is desk.ErrStale where a person saw another version of the case than there is.
func (w *Work) Matches(version int64) error {
	if version != w.Case.Version {
		return desk.ErrStale
	}
	return nil
}

// Renumbered says that a person changed a reference, or something else beside the row's own facts: the head is another.
func (w *Work) Renumbered() { w.renumbered = true }

// Change locks a case, lets fn work on it, and writes what follows.
func (d *Cases) Change(ctx context.Context, tx *db.Tx, id int64, actor *desk.Actor, fn func(*Work) error) error {
	c, err := casesdb.Lock(ctx, tx, id)
	if err == nil && actor != nil && !actor.Grant().SeesVendor(c.VendorID) {
		err = db.ErrNotFound
	}
	if err != nil {
		return err
	}
	w := &Work{d: d, Tx: tx, Case: &c, actor: actor, Now: d.Now(), head: headOf(&c), lines: c.LastEntry}
	if err := fn(w); err != nil {
		return err
	}
	return w.save(ctx)
}

func (w *Work) save(ctx context.Context) error {
	w.Case.DerivedAt = w.Now
	if w.actor != nil || w.Case.LastEntry != w.lines {
		w.Case.ChangedAt = w.Now
	}
	if now := headOf(w.Case); now != w.head {
		hide, err := w.Hiding(ctx)
		if err != nil {
			return err
		}
		hideIn(hide, w.Case)
	}
	if err := w.recompute(ctx); err != nil {
		return err
	}
	if headOf(w.Case) != w.head || w.renumbered {
		w.Case.Version++
		if !w.rebuild { // what was stored wrong is corrected, nothing of the case is changed
			w.Case.ChangedAt = w.Now
		}
	}
	if err := casesdb.Save(ctx, w.Tx, w.Case); err != nil {
		return err
	}
	if err := w.d.notify.Happened(ctx, w.Tx, w.Case, w.actor, w.added, w.fallen); err != nil {
		return err
	}
	for _, id := range w.Wake {
		if err := w.d.Queue.Deliver(ctx, w.Tx, id); err != nil {
			return err
		}
	}
	return w.Tx.Tell(ctx, desk.Told, Told(w.Case))
}

// Tell lets open pages look at a case again, where something beside its record has changed.
func (d *Cases) Tell(ctx context.Context, tx *db.Tx, id int64) error {
	c, err := casesdb.ByID(ctx, tx, id)
	if err != nil {
		return err
	}
	return tx.Tell(ctx, desk.Told, Told(&c))
}

// Told is the notification that a case has changed.
func Told(c *casesdb.Case) string { return fmt.Sprintf("%s %d", casework.Name(c.Number), c.LastEntry) }

// Add writes an entry: the one place where words enter the record. A secret of the
// vendor's that somebody wrote out stands there by its placeholder. Instants enter as
// whole seconds.
func (w *Work) Add(ctx context.Context, e casesdb.Entry) (casesdb.Entry, error) {
	hide, err := w.Hiding(ctx)
	if err != nil {
		return e, err
	}
	e.Body, e.AuthorName = hide(e.Body), hide(e.AuthorName)
	hideSets(hide, e.Effect.V)
	if e.HappenedAt.IsZero() {
		e.HappenedAt = w.Now
	}
	e.HappenedAt = e.HappenedAt.UTC().Truncate(time.Second)
	e.RecordedAt = w.Now
	if w.actor != nil && e.AuthorName == "" {
		e.AuthorID, e.AuthorName = &w.actor.ID, w.actor.Name
	}
	if err := casesdb.AddEntry(ctx, w.Tx, w.Case, &e); err != nil {
		return e, err
	}
	w.added = append(w.added, e)
	return e, nil
}

// NextItem is the name of the next thing that is dated on the case.
func (w *Work) NextItem(ctx context.Context) (string, error) {
	next, err := casesdb.NextDated(ctx, w.Tx, w.Case.ID)
	w.items++
	return strconv.Itoa(next + w.items - 1), err
}

// Changed writes down a change: what follows from it, in words and in effect.
func (w *Work) Changed(ctx context.Context, text string, effect *casesdb.Effect) (casesdb.Entry, error) {
	return w.Add(ctx, casesdb.Entry{Kind: casework.Change, Body: text, Effect: db.JSON[*casesdb.Effect]{V: effect}})
}

// Situation is what the table of steps asks about the case now.
func (w *Work) Situation(ctx context.Context) (casework.Situation, error) {
	open, err := outboxdb.Open(ctx, w.Tx, []int64{w.Case.ID})
	return SituationOf(w.Case, open), err
}

// SituationOf is what the table of steps asks about a case with what of it is on its way.
func SituationOf(c *casesdb.Case, open []outboxdb.Delivery) casework.Situation {
	s := casework.Situation{
		State: c.State, VendorClosed: c.VendorClosedAt != nil, Parked: c.Parked,
		ParkedAgreed: c.ParkedAgreed, WorkaroundOffered: c.WorkaroundOffered,
	}
	onItsWay(&s, open)
	return s
}

// onItsWay tells of the steps that have not left yet; plain messages hold nothing up.
func onItsWay(s *casework.Situation, open []outboxdb.Delivery) {
	then, behind := *s, false
	for _, o := range open {
		if o.Step == "" {
			continue
		}
		if o.State.NotLeft() {
			s.Waiting = append(s.Waiting, o.Step)
		}
		if o.State != casework.SendingToSend && s.OnItsWay == "" {
			s.OnItsWay = casework.StepNouns[o.Step]
		}
		then, behind = then.After(o.Step), true
	}
	if behind && s.OnItsWay == "" {
		s.Then = &then
	}
}

// Hiding puts placeholders where a text writes out a secret of the case's vendor.
func (w *Work) Hiding(ctx context.Context) (func(string) string, error) {
	if w.hide == nil {
		hide, err := w.d.secrets.Hiding(ctx, w.Tx, w.Case.VendorID)
		if err != nil {
			return nil, err
		}
		w.hide = hide
	}
	return w.hide, nil
}

// mayLeave checks a text before it is put on its way, and gives what leaves for a reason although it must not.
func (w *Work) mayLeave(ctx context.Context, via route.Route, text string) ([]disclosure.Kind, error) {
	lifted, err := w.d.leaving.Check(text, w.disclose)
	if err != nil || len(disclosure.Placeholders(text)) == 0 {
		return lifted, err
	}
	host := ""
	if via.Automatic() {
		link, err := inboxdb.ByID(ctx, w.Tx, via.Link)
		if err != nil {
			return nil, err
		}
		host = link.Host()
	}
	return lifted, w.d.secrets.CheckText(ctx, w.Tx, w.Case.VendorID, host, text)
}

// recompute replays the case and rewrites every cache of it; a draft whose record is as before has none that changed.
func (w *Work) recompute(ctx context.Context) error {
	if w.Case.State == casework.Draft && w.Case.LastEntry == w.lines && !w.rebuild {
		return nil
	}
	derived, err := w.d.record.Derive(ctx, w.Tx, w.Case, w.Now)
	if err != nil {
		return err
	}
	if w.rebuild {
		if err := w.SetReference(ctx, "vendor", derived.Numbers.Vendor); err != nil {
			return err
		}
		if err := casesdb.SetOtherReferences(ctx, w.Tx, w.Case, derived.Numbers.Others); err != nil {
			return err
		}
		if ticket := derived.Numbers.Ticket; ticket != nil {
			if err := w.SetReference(ctx, "ours", *ticket); err != nil {
				return err
			}
		}
	}
	w.fallen = derived.Fallen(w.Now)
	if err := casesdb.ReplaceDated(ctx, w.Tx, w.Case.ID, derived.Dated); err != nil {
		return err
	}
	return casesdb.ReplaceDeadlines(ctx, w.Tx, w.Case.ID, derived.Deadlines)
}
