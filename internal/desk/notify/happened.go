package notify

import (
	"context"
	"fmt"
	"strings"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/notify"
	"roundhouse.example/internal/core/words"
	"roundhouse.example/internal/desk"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	notifydb "roundhouse.example/internal/store/notify"
	peopledb "roundhouse.example/internal/store/people"
)

// Happened tells of what a change of a case has done, in its transaction: what the vendor said, who has the case
// now, who is mentioned in a note. fallen says that a clock or date may have come due before it was written down.
func (d *Notify) Happened(ctx context.Context, tx *db.Tx, c *casesdb.Case, actor *desk.Actor, added []casesdb.Entry,
	fallen bool) error {
	var list []about
	for _, e := range added {
		more, err := d.saidBy(ctx, tx, c, &e)
		if err != nil {
			return err
		}
		list = append(list, more...)
	}
	if actor != nil {
		for i := range list {
			list[i].ActorID = &actor.ID
		}
	}
	if _, err := d.tell(ctx, tx, list); err != nil || !fallen {
		return err
	}
	return d.Fell(ctx, tx, []int64{c.ID}) // time did that, not who acts: they are told too
}

// Fell tells of clocks and dates of some cases that came due before they were written down.
func (d *Notify) Fell(ctx context.Context, tx *db.Tx, cases []int64) error {
	if len(cases) == 0 {
		return nil
	}
	rows, err := notifydb.FallenOf(ctx, tx, cases, d.Now())
	if err != nil {
		return err
	}
	list := make([]about, len(rows))
	for i, f := range rows {
		list[i] = aboutFallen(f)
	}
	_, err = d.tell(ctx, tx, list)
	return err
}

// saidBy are what an entry gives to tell.
func (d *Notify) saidBy(ctx context.Context, tx *db.Tx, c *casesdb.Case, e *casesdb.Entry) (out []about, err error) {
	of := func(kind notify.Kind, name, what string) about {
		return about{Event: notifydb.Event{CaseID: c.ID, Key: fmt.Sprintf("%s/%d", name, e.Number), Kind: kind,
			Severity: severity(c.Severity), What: what, Entry: e.Number, HappenedAt: e.HappenedAt},
			vendor: c.VendorID, owner: desk.Deref(c.OwnerID)}
	}
	if e.Kind == casework.Message && desk.Deref(e.Direction) == "in" && !isAutomatic(e) {
		out = append(out, of(notify.Message, "message", firstLine(e.Body)))
	}
	if e.Kind == casework.Note && strings.Contains(e.Body, "@") {
		people, err := d.active(ctx, tx)
		if err != nil {
			return nil, err
		}
		if named := notify.Mentions(e.Body, people); len(named) > 0 {
			a := of(notify.Mention, "mention", firstLine(e.Body))
			a.mentioned = named
			out = append(out, a)
		}
	}
	if e.Effect.V == nil || e.Effect.V.Sets == nil {
		return out, nil
	}
	if id := e.Effect.V.Sets.Owner; id != nil {
		what := "Nobody owns it now"
		if *id != 0 {
			p, err := peopledb.ByID(ctx, tx, *id)
			if err != nil {
				return nil, err
			}
			what = p.Name + " owns it now"
		}
		out = append(out, of(notify.Hands, "owner", what))
	}
	if name := e.Effect.V.Sets.VendorContact; name != nil && *name != "" {
		former, err := casesdb.ContactBefore(ctx, tx, c.ID, e.Number)
		if err != nil {
			return nil, err
		}
		if former != "" && former != *name {
			out = append(out, of(notify.Hands, "contact", *name+" handles it at the vendor now, in place of "+former))
		}
	}
	return out, nil
}

func isAutomatic(e *casesdb.Entry) bool {
	return e.Automatic || e.Effect.V != nil && e.Effect.V.Automatic
}

func severity(s *int) int {
	if s == nil {
		return 0
	}
	return *s
}

// mostWords is how much of what was said is told, in letters.
const mostWords = 160

// firstLine is how a text begins.
func firstLine(text string) string {
	line, _, _ := strings.Cut(strings.TrimSpace(text), "\n")
	if r := []rune(line); len(r) > mostWords {
		return string(r[:mostWords]) + "…"
	}
	return line
}

// aboutFallen is a clock or date that has come due, or comes due soon, as something to tell.
func aboutFallen(f notifydb.Fallen) about {
	what, owed := f.Words, f.Owed
	if f.Clock != "" {
		what = words.Deadlines.Of(f.Clock)
		k, _ := deadline.ParseKind(f.Clock)
		owed = k.Owed()
	} else if label := words.Dated.Of(string(f.Item)); what == "" {
		what = label
	} else if f.Item != "closing" {
		what = label + ": " + what
	}
	return about{Event: notifydb.Event{CaseID: f.CaseID, Key: f.Key, Kind: f.Kind, Severity: f.Severity, What: what,
		Owed: owed, Entry: f.Entry, HappenedAt: f.At}, vendor: f.VendorID, owner: desk.Deref(f.OwnerID),
		whose: desk.Deref(f.PersonID)}
}
