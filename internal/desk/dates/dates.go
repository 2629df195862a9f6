// Package dates keeps what is to happen by a date on a case: what the vendor promised, what one side asked of the
// other, follow-ups, callbacks, parts and visits. What they come to is computed by core/dated, from the record.
package dates

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/dated"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/words"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/hours"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	peopledb "roundhouse.example/internal/store/people"
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

// owes is who owes what people set, by its kind, where they do not say it otherwise; empty where they have to.
var owes = map[deadline.ItemKind]deadline.Side{dated.Promise: deadline.Theirs, dated.Ask: "",
	dated.Callback: deadline.Theirs, dated.FollowUp: deadline.Ours, dated.CheckIn: deadline.Ours,
	dated.Part: deadline.Theirs, dated.PartReturn: deadline.Ours, dated.Visit: deadline.Theirs,
	dated.RemoteSession: deadline.Theirs}

const (
	mostLive = 100  // items of a case
	longest  = 1000 // characters of what is to happen
)

// Due is an instant, or a day: then the item is due at the last close of that day, in the hours of who owes it.
type Due struct {
	At  *time.Time
	Day string // as 2026-01-31
}

// Setting is something that is to happen by a date.
type Setting struct {
	Kind  deadline.ItemKind
	Owed  deadline.Side // empty for what is usual for the kind
	Words string
	Due   Due
	For   string // the address of the person of ours whose it is; empty for the desk
}

// Set dates something on a live case.
func (d *Dates) Set(ctx context.Context, a desk.Actor, id int64, s Setting) (desk.Ref, error) {
	return d.change(ctx, a, id, func(w *cases.Work, live []casesdb.DatedItem) (string, *casesdb.Effect, error) {
		if !w.Case.State.Live() {
			return "", nil, refusal("This is %s: dates are set on a live case.", w.Case.State.Called())
		}
		if len(live) >= mostLive {
			return "", nil, refusal("This case has %d dates: end some of them first.", len(live))
		}
		item, err := d.item(ctx, w, s)
		if err != nil {
			return "", nil, err
		}
		next, err := casesdb.NextDated(ctx, w.Tx, id)
		if err != nil {
			return "", nil, err
		}
		item.Name = strconv.Itoa(next)
		due, err := d.said(ctx, w, *item.Due)
		if err != nil {
			return "", nil, err
		}
		by := "the vendor"
		if item.Owed == deadline.Ours {
			by = "us"
		}
		text := fmt.Sprintf("%s %s, owed by %s, due %s: %s", words.Dated.Of(string(item.Kind)), item.Name, by, due,
			item.Words)
		return text, &casesdb.Effect{Event: deadline.ItemDated, Item: &item}, nil
	})
}

// item checks what somebody sets.
func (d *Dates) item(ctx context.Context, w *cases.Work, s Setting) (item casesdb.Item, err error) {
	var wrong []desk.Field
	say := func(field, format string, args ...any) {
		wrong = append(wrong, desk.Field{Name: field, Detail: fmt.Sprintf(format, args...)})
	}
	usual, known := owes[s.Kind]
	if !known {
		say("kind", "it is one of %s", strings.Join(settable(), ", "))
	}
	item = casesdb.Item{Kind: s.Kind, Owed: cmp.Or(s.Owed, usual), Words: strings.TrimSpace(s.Words)}
	if known && item.Owed == "" {
		say("owed", "say who is asked: ours or theirs")
	}
	if item.Words == "" && s.Kind == dated.CheckIn {
		item.Words = "Look at the case again"
	}
	switch {
	case item.Words == "":
		say("text", "say what is to happen")
	case len([]rune(item.Words)) > longest:
		say("text", "at most %d characters are allowed", longest)
	}
	if s.For != "" && item.Owed == deadline.Theirs {
		say("for", "only what we owe is for one of our people")
	} else if s.For != "" {
		p, err := peopledb.ByEmail(ctx, w.Tx, s.For)
		if err != nil || !p.Active {
			say("for", "nobody here has the address %.80q", s.For)
		} else {
			item.Person = p.ID
		}
	}
	if len(wrong) > 0 {
		return item, &desk.Invalid{Fields: wrong}
	}
	item.Due, err = d.due(ctx, w, s.Due, item.Owed)
	return item, err
}

func settable() (out []string) {
	for _, k := range dated.Kinds {
		if _, can := owes[k]; can {
			out = append(out, string(k))
		}
	}
	return out
}

// due is when something is due that somebody owes.
func (d *Dates) due(ctx context.Context, w *cases.Work, due Due, owed deadline.Side) (*time.Time, error) {
	if (due.At == nil) == (due.Day == "") {
		return nil, desk.Fault("due", "give the time, or the day")
	}
	at := due.At
	if at == nil {
		hours, err := d.hoursOf(ctx, w, owed)
		if err != nil {
			return nil, err
		}
		end, err := hours.EndOf(due.Day)
		if err != nil {
			return nil, desk.Fault("day", "%s", err)
		}
		at = new(db.Instant(end))
	}
	if !at.After(w.Now) {
		return nil, desk.Fault("due", "this is in the past: give a later time")
	}
	if at.After(w.Now.AddDate(10, 0, 0)) {
		return nil, desk.Fault("due", "this is more than ten years away")
	}
	return new(at.UTC().Truncate(time.Second)), nil
}

// hoursOf are the hours in which a side counts: our desk's, or the vendor's.
func (d *Dates) hoursOf(ctx context.Context, w *cases.Work, owed deadline.Side) (*calendar.Calendar, error) {
	g, err := d.hours.Compiled(ctx, w.Tx)
	if err != nil {
		return nil, err
	}
	if owed == deadline.Ours {
		p, err := g.Policy(ctx, w.Tx, 0)
		if err != nil {
			return nil, err
		}
		return p.Hours.At(w.Now.Unix()), nil
	}
	v, err := w.Vendor(ctx)
	if err != nil {
		return nil, err
	}
	c, err := g.Calendar(ctx, w.Tx, v.HoursID)
	if err != nil {
		return nil, err
	}
	return c.At(w.Now.Unix()), nil
}

// said is an instant as the record says it, in the desk's zone.
func (d *Dates) said(ctx context.Context, w *cases.Work, at time.Time) (string, error) {
	zone, err := d.hours.Zone(ctx, w.Tx)
	if err != nil {
		return "", err
	}
	return at.In(zone).Format("2 January 2006, 15:04 ") + zone.String(), nil
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
}

// End ends what is dated: kept, moved to another date, or dropped. A case that has ended may still have some.
func (d *Dates) End(ctx context.Context, a desk.Actor, id int64, name string, e Ending) (desk.Ref, error) {
	e.Text = strings.TrimSpace(e.Text)
	return d.change(ctx, a, id, func(w *cases.Work, live []casesdb.DatedItem) (string, *casesdb.Effect, error) {
		i := slices.IndexFunc(live, func(x casesdb.DatedItem) bool { return x.Name == name })
		if i < 0 {
			return "", nil, desk.Fault("item", "this case has no date %.40s that is still open", name)
		}
		x := live[i]
		if e.Text == "" && e.How != Kept {
			return "", nil, desk.Fault("text", "say why")
		}
		effect := &casesdb.Effect{Item: &casesdb.Item{Name: name}}
		text := fmt.Sprintf("%s %s", words.Dated.Of(string(x.Kind)), name)
		switch e.How {
		case Kept:
			effect.Event, text = deadline.ItemKept, text+" was kept: "+x.Words
			if e.Text != "" {
				text += "\n" + e.Text
			}
		case Dropped:
			effect.Event, text = deadline.ItemDropped, text+" was dropped: "+x.Words+"\nReason: "+e.Text
		case Moved:
			due, err := d.due(ctx, w, e.Due, x.Owed)
			if err != nil {
				return "", nil, err
			}
			to, err := d.said(ctx, w, *due)
			if err != nil {
				return "", nil, err
			}
			effect.Event, effect.Item.Due = deadline.ItemMoved, due
			text += " was moved to " + to + ": " + x.Words + "\nReason: " + e.Text
		default:
			return "", nil, desk.Fault("how", "it is kept, moved or dropped")
		}
		return text, effect, nil
	})
}

func (d *Dates) change(ctx context.Context, a desk.Actor, id int64,
	fn func(w *cases.Work, live []casesdb.DatedItem) (string, *casesdb.Effect, error)) (desk.Ref, error) {
	if err := a.May(access.Work); err != nil {
		return desk.Ref{}, err
	}
	return desk.Once(ctx, d.Desk, func(tx *db.Tx) (ref desk.Ref, err error) {
		err = d.cases.Change(ctx, tx, id, &a, func(w *cases.Work) error {
			live, err := casesdb.LiveDated(ctx, tx, []int64{id})
			if err != nil {
				return err
			}
			text, effect, err := fn(w, live)
			if err != nil {
				return err
			}
			if _, err := w.Changed(ctx, text, effect); err != nil {
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
