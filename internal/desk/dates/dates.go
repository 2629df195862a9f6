// Package dates keeps what should happen on a case, and by when: what the vendor promised, what one side asked of the
// other, follow-ups, callbacks, parts and visits. What they come to is computed by core/dated, from the record.
package dates

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/words"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/hours"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
)

// Dates is the subject. Use New.
type Dates struct {
	*desk.Desk
	db    *db.Store
	cases *cases.Cases
	hours *hours.Hours
}

// New makes the subject over a desk's database.
func New(d *desk.Desk, db *db.Store, c *cases.Cases, h *hours.Hours) *Dates {
	return &Dates{d, db, c, h}
}

// Set dates something on a live case.
func (d *Dates) Set(ctx context.Context, a desk.Actor, id int64, s Setting) (desk.Ref, error) {
	return d.change(ctx, a, id, func(w *cases.Work, live []casesdb.DatedItem) error {
		if !w.Case.State.Live() {
			return refusal("This is %s: dates are set on a live case.", w.Case.State.Called())
		}
		if len(live) >= mostLive {
			return refusal("This case has %d dates: end some of them first.", len(live))
		}
		item, err := d.item(ctx, w, live, s, w.Now)
		if err != nil {
			return err
		}
		if s.Entry > w.Case.LastEntry {
			return desk.Fault("entry", "the case has %d entries", w.Case.LastEntry)
		}
		return d.open(ctx, w, item, s.Entry, w.Now)
	})
}

// How is a way in which an item ends.
type How string

// The ways.
const (
	Kept    How = "kept"
	Moved   How = "moved"
	Dropped How = "dropped"
)

// Ending is what became of an item.
type Ending struct {
	How  How
	Text string // what came of it, or why; a reason is required unless it was kept
	Due  Due    // the new one, for moved
	// Entry is what kept it, by number; 0 for what happens now.
	Entry int
	// Then is set in the same act; nil for nothing.
	Then    *Setting
	Details casesdb.Details // new ones, for moved
}

// End ends what is dated: kept, moved to another date, or dropped. A case that has ended may still have some.
func (d *Dates) End(ctx context.Context, a desk.Actor, id int64, name string, e Ending) (desk.Ref, error) {
	e.Text = strings.TrimSpace(e.Text)
	return d.change(ctx, a, id, func(w *cases.Work, live []casesdb.DatedItem) error {
		x := named(live, name)
		if x == nil {
			return desk.Fault("item", "%s", notOpen(name))
		}
		if e.Text == "" && e.How != Kept {
			return desk.Fault("text", "say why")
		}
		what := fmt.Sprintf("%s %s", words.Dated.Of(string(x.Kind)), name)
		switch e.How {
		case Kept:
			return d.keep(ctx, w, live, x, what, e)
		case Dropped:
			text := what + " was dropped: " + x.Words + "\nReason: " + e.Text
			return change(ctx, w, text, deadline.ItemDropped, &casesdb.Item{Name: name}, 0, w.Now)
		case Moved:
			due, err := d.due(ctx, w, e.Due, x.Owed, w.Now)
			if err != nil {
				return err
			}
			if wrong := append(checkDetails(&e.Details), opens(e.Details, *due)...); len(wrong) > 0 {
				return &desk.Invalid{Fields: wrong}
			}
			to, err := d.said(ctx, w, *due)
			if err != nil {
				return err
			}
			more, err := d.more(ctx, w, e.Details)
			if err != nil {
				return err
			}
			return change(ctx, w, what+" was moved to "+to+": "+x.Words+"\nReason: "+e.Text+more, deadline.ItemMoved,
				&casesdb.Item{Name: name, Due: due, Details: e.Details}, 0, w.Now)
		}
		return desk.Fault("how", "say whether it is kept, moved or dropped")
	})
}

// keep says that an item was kept, now or by an entry of the record, and dates what comes then.
func (d *Dates) keep(ctx context.Context, w *cases.Work, live []casesdb.DatedItem, x *casesdb.DatedItem, what string,
	e Ending) error {
	text, at := what+" "+words.DateKept.Of(string(x.Kind)), w.Now
	if e.Entry != 0 {
		by, err := casesdb.SaidAt(ctx, w.Tx, w.Case.ID, e.Entry, x.Owed == deadline.Theirs)
		switch {
		case errors.Is(err, db.ErrNotFound) && x.Owed == deadline.Theirs:
			return noWord(ctx, w, e.Entry)
		case errors.Is(err, db.ErrNotFound):
			return desk.Fault("entry", "entry %d is not a message of ours that has been sent", e.Entry)
		case err != nil:
			return err
		case by.Before(x.SetAt):
			return desk.Fault("entry", "entry %d is older than what it is to keep", e.Entry)
		}
		text, at = fmt.Sprintf("%s (entry %d)", text, e.Entry), by
	}
	text += ": " + x.Words
	if e.Text != "" {
		text += "\n" + e.Text
	}
	var then *casesdb.Item
	if e.Then != nil {
		if !w.Case.State.Live() {
			return refusal("This is %s: dates are set on a live case.", w.Case.State.Called())
		}
		item, err := d.item(ctx, w, live, *e.Then, w.Now)
		if err != nil {
			return under("then", err)
		}
		then = &item
	}
	err := change(ctx, w, text, deadline.ItemKept, &casesdb.Item{Name: x.Name}, e.Entry, at)
	if err != nil || then == nil {
		return err
	}
	return d.open(ctx, w, *then, 0, w.Now)
}

// noWord says why an entry keeps nothing that the vendor owes.
func noWord(ctx context.Context, w *cases.Work, entry int) error {
	if e, err := casesdb.EntryByNumber(ctx, w.Tx, w.Case.ID, entry); err == nil && e.Automatic {
		return desk.Fault("entry", "entry %d looks like an automatic message, which answers nothing: if a person wrote it, "+
			"record what they said as a call or chat", entry)
	}
	return desk.Fault("entry", "entry %d is not something that the vendor said: name a message or a call of theirs", entry)
}

// Detail adds to what is known of an item: who comes, where, that a part was sent.
func (d *Dates) Detail(ctx context.Context, a desk.Actor, id int64, name string, x casesdb.Details) (desk.Ref, error) {
	return d.change(ctx, a, id, func(w *cases.Work, live []casesdb.DatedItem) error {
		item := named(live, name)
		if item == nil {
			return desk.Fault("item", "%s", notOpen(name))
		}
		wrong := append(checkDetails(&x), opens(x, item.DueAt)...)
		if x == (casesdb.Details{}) {
			wrong = append(wrong, desk.Field{Name: "who", Detail: "say what is new"})
		}
		if len(wrong) > 0 {
			return &desk.Invalid{Fields: wrong}
		}
		more, err := d.more(ctx, w, x)
		if err != nil {
			return err
		}
		text := fmt.Sprintf("%s %s: %s%s", words.Dated.Of(string(item.Kind)), name, item.Words, more)
		return change(ctx, w, text, "", &casesdb.Item{Name: name, Details: x}, 0, w.Now)
	})
}

// under puts a name before the fields of what is wrong.
func under(name string, err error) error {
	fault := (*desk.Invalid)(nil)
	if !errors.As(err, &fault) {
		return err
	}
	out := &desk.Invalid{}
	for _, f := range fault.Fields {
		out.Fields = append(out.Fields, desk.Field{Name: name + "." + f.Name, Detail: f.Detail})
	}
	return out
}

func notOpen(name string) string {
	return fmt.Sprintf("this case has no date %.40s that is still open", name)
}

func (d *Dates) change(ctx context.Context, a desk.Actor, id int64,
	fn func(w *cases.Work, live []casesdb.DatedItem) error) (desk.Ref, error) {
	if err := a.May(access.Work); err != nil {
		return desk.Ref{}, err
	}
	return desk.Once(ctx, d.Desk, func(tx *db.Tx) (ref desk.Ref, err error) {
		err = d.cases.Change(ctx, tx, id, &a, func(w *cases.Work) error {
			live, err := casesdb.LiveDated(ctx, tx, []int64{id})
			if err != nil {
				return err
			}
			if err := fn(w, live); err != nil {
				return err
			}
			ref = desk.Ref{ID: w.Case.ID, Number: w.Case.Number, Entry: w.Case.LastEntry}
			return nil
		})
		return ref, err
	})
}

func refusal(format string, args ...any) error {
	return &casework.Refusal{Why: fmt.Sprintf(format, args...)}
}
