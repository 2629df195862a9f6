package dates

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/dated"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/core/words"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	outboxdb "roundhouse.example/internal/store/outbox"
)

// Along is what a message or a call dates, and which dates it keeps, by name: for cases.Written and cases.Heard.
func (d *Dates) Along(set []Setting, keeps []string) cases.Dating {
	if len(set)+len(keeps) == 0 {
		return nil
	}
	return &along{d, set, keeps}
}

type along struct {
	d     *Dates
	set   []Setting
	keeps []string
}

// Checked gives what a message brings once it has left: it answers what we owe.
func (a *along) Checked(ctx context.Context, w *cases.Work) (p outboxdb.Params, err error) {
	items, err := a.check(ctx, w, w.Now, deadline.Ours)
	hide, err2 := w.Hiding(ctx)
	if err = errors.Join(err, err2); err != nil {
		return p, err
	}
	for i := range items {
		for _, s := range items[i].Texts() {
			*s = hide(*s)
		}
	}
	return outboxdb.Params{Dates: items, Keeps: a.keeps}, nil
}

// check checks all of it as of an instant; side is who owes what may be kept, empty for either.
func (a *along) check(ctx context.Context, w *cases.Work, at time.Time, side deadline.Side) (items []casesdb.Item,
	err error) {
	live, err := casesdb.LiveDated(ctx, w.Tx, []int64{w.Case.ID})
	if err != nil {
		return nil, err
	}
	if !w.Case.State.Live() {
		return nil, refusal("This is %s: dates are set and kept on a live case.", w.Case.State.Called())
	}
	if len(a.set) > mostSet || len(live)+len(a.set) > mostLive {
		return nil, desk.Fault("dates", "at most %d dates with one message and %d on a case are allowed", mostSet, mostLive)
	}
	var wrong []desk.Field
	for i, name := range a.keeps {
		x := named(live, name)
		switch {
		case x == nil:
			wrong = append(wrong, desk.Field{Name: fmt.Sprintf("keeps[%d]", i), Detail: notOpen(name)})
		case side != "" && x.Owed != side:
			wrong = append(wrong, desk.Field{Name: fmt.Sprintf("keeps[%d]", i),
				Detail: "the vendor owes this: a message of ours cannot keep it"})
		}
	}
	for i, s := range a.set {
		item, err := a.d.item(ctx, w, live, s, at)
		fault := (*desk.Invalid)(nil)
		if errors.As(err, &fault) {
			errors.As(under(fmt.Sprintf("dates[%d]", i), fault), &fault)
			wrong = append(wrong, fault.Fields...)
		} else if err != nil {
			return nil, err
		}
		items, live = append(items, item), append(live, casesdb.DatedItem{Kind: item.Kind}) // for those after it
	}
	if len(wrong) > 0 {
		return nil, &desk.Invalid{Fields: wrong}
	}
	return items, nil
}

// Along writes what a call brings as it stands in the record.
func (a *along) Along(ctx context.Context, w *cases.Work, e casesdb.Entry) error {
	items, err := a.check(ctx, w, e.HappenedAt, "")
	if err != nil {
		return err
	}
	return a.d.bring(ctx, w, items, a.keeps, e.Number, e.HappenedAt)
}

// bring opens items and keeps others, because of an entry of the record.
func (d *Dates) bring(ctx context.Context, w *cases.Work, items []casesdb.Item, keeps []string, entry int,
	at time.Time) error {
	for _, x := range items {
		if err := d.open(ctx, w, x, entry, at); err != nil {
			return err
		}
	}
	if len(keeps) == 0 {
		return nil
	}
	live, err := casesdb.LiveDated(ctx, w.Tx, []int64{w.Case.ID})
	if err != nil {
		return err
	}
	for _, name := range keeps {
		x := named(live, name)
		if x == nil { // ended meanwhile
			continue
		}
		text := fmt.Sprintf("%s %s %s (entry %d): %s", words.Dated.Of(string(x.Kind)), name,
			words.DateKept.Of(string(x.Kind)), entry, x.Words)
		if err := change(ctx, w, text, deadline.ItemKept, &casesdb.Item{Name: name}, entry, at); err != nil {
			return err
		}
	}
	return nil
}

func named(live []casesdb.DatedItem, name string) *casesdb.DatedItem {
	if i := slices.IndexFunc(live, func(x casesdb.DatedItem) bool { return x.Name == name }); i >= 0 {
		return &live[i]
	}
	return nil
}

// open dates something on a case from an instant on.
func (d *Dates) open(ctx context.Context, w *cases.Work, item casesdb.Item, entry int, at time.Time) (err error) {
	if item.Name, err = w.NextItem(ctx); err != nil {
		return err
	}
	text, err := d.line(ctx, w, &item)
	if err != nil {
		return err
	}
	return change(ctx, w, text, deadline.ItemDated, &item, entry, at)
}

// change writes down what becomes of an item, because of an entry; 0 for none.
func change(ctx context.Context, w *cases.Work, text string, event deadline.EventKind, item *casesdb.Item, entry int,
	at time.Time) error {
	e := casesdb.Entry{Kind: casework.Change, Body: text, HappenedAt: at,
		Effect: db.JSON[*casesdb.Effect]{V: &casesdb.Effect{Event: event, Item: item}}}
	if entry != 0 {
		e.RefersTo = &entry
	}
	_, err := w.Add(ctx, e)
	return err
}

const neededBy = "The business needs it by then"

// usualReceipt is how much of its hours a vendor has to confirm what it was sent, if nobody says otherwise.
const usualReceipt = "1h"

// Left writes what follows for the dates of a case when something of ours has left for the vendor at an instant: what
// its message asks and answers, the date by which the business needs it, and the receipt that is to come for an email
// and for what was entered on a portal that gave no reference.
func (d *Dates) Left(ctx context.Context, w *cases.Work, del *outboxdb.Delivery, reference string, at time.Time) error {
	var event deadline.EventKind
	if del.Effect.V != nil {
		event = del.Effect.V.Event
	}
	switch event {
	case deadline.FixAccepted, deadline.Resolved, deadline.Closed, deadline.Withdrawn:
		return nil // nothing begins with the end
	case deadline.Filed:
		if by := w.Case.Facts.V.NeededBy; by != nil && by.After(at) {
			item := casesdb.Item{Kind: dated.NeededBy, Owed: deadline.Theirs, Due: by, Words: neededBy}
			if err := d.open(ctx, w, item, del.EntryNumber, at); err != nil {
				return err
			}
		}
	case deadline.Reopened:
	default:
		if !w.Case.State.Live() {
			return nil
		}
	}
	if err := d.bring(ctx, w, del.Params.V.Dates, del.Params.V.Keeps, del.EntryNumber, at); err != nil {
		return err
	}
	if r := del.Params.V.Raises; r != nil && w.Case.State.Live() {
		if err := d.Raise(ctx, w, *r, del.EntryNumber, at, 0); err != nil {
			return err
		}
	}
	silent := del.Channel == route.Portal && del.Action == route.Open && reference == ""
	if del.Channel != route.Email && !silent {
		return nil
	}
	due, err := d.receiptDue(ctx, w, at)
	if err != nil || due == nil {
		return err
	}
	return d.open(ctx, w, casesdb.Item{Kind: dated.Receipt, Owed: deadline.Theirs, Due: due,
		Words: fmt.Sprintf("Did entry %d arrive?", del.EntryNumber)}, del.EntryNumber, at)
}

// receiptDue is when the vendor has usually confirmed what left at an instant; nil where it confirms nothing, or is
// never open again.
func (d *Dates) receiptDue(ctx context.Context, w *cases.Work, at time.Time) (*time.Time, error) {
	v, err := w.Vendor(ctx)
	if err != nil {
		return nil, err
	}
	within := v.Profile.V.ReceiptWithin
	if within == "" {
		within = usualReceipt
	}
	return d.within(ctx, w, within, at)
}
