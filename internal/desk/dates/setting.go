package dates

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/dated"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/words"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	peopledb "roundhouse.example/internal/store/people"
)

// owes is who owes what people set, by its kind, where they do not say it otherwise; empty where they have to.
var owes = map[deadline.ItemKind]deadline.Side{dated.Promise: deadline.Theirs, dated.Ask: "",
	dated.Callback: deadline.Theirs, dated.FollowUp: deadline.Ours, dated.CheckIn: deadline.Ours,
	dated.Part: deadline.Theirs, dated.PartReturn: deadline.Ours, dated.Visit: deadline.Theirs,
	dated.RemoteSession: deadline.Theirs, dated.Consent: deadline.Ours, dated.NeededBy: deadline.Theirs}

const (
	mostLive = 100  // items of a case
	mostSet  = 10   // with one message or call
	longest  = 1000 // characters of what is to happen
	detail   = 200  // characters of a detail
)

// Details are what else is known of something that is to happen.
type Details = casesdb.Details

// Due is an instant, or a day: then the item is due at the last close of that day, in the hours of who owes it.
type Due struct {
	At  *time.Time
	Day string // as 2026-01-31
}

func (d Due) given() bool { return d.At != nil || d.Day != "" }

// Setting is something that is to happen by a date.
type Setting struct {
	Kind  deadline.ItemKind
	Owed  deadline.Side // empty for what is usual for the kind
	Words string
	Due   Due
	For   string // the address of the person of ours whose it is; empty for the desk
	// Entry is where it was said, by number; 0 for nowhere.
	Entry   int
	Details casesdb.Details
}

// item checks what somebody sets, as of an instant, on a case on which some are live.
func (d *Dates) item(ctx context.Context, w *cases.Work, live []casesdb.DatedItem, s Setting, at time.Time) (
	item casesdb.Item, err error) {
	if s.Kind == dated.NeededBy && needed(live) {
		return item, refusal("The case has a date by which the business needs it: move that one.")
	}
	var wrong []desk.Field
	say := func(field, format string, args ...any) {
		wrong = append(wrong, desk.Field{Name: field, Detail: fmt.Sprintf(format, args...)})
	}
	usual, known := owes[s.Kind]
	if !known {
		say("kind", "use one of %s", strings.Join(settable(), ", "))
	}
	item = casesdb.Item{Kind: s.Kind, Owed: cmp.Or(s.Owed, usual), Words: strings.TrimSpace(s.Words), Details: s.Details}
	if known && item.Owed == "" {
		say("owed", "say who is asked: ours or theirs")
	}
	switch {
	case item.Words != "":
	case s.Kind == dated.CheckIn:
		item.Words = "Look at the case again"
	case s.Kind == dated.NeededBy:
		item.Words = neededBy
	}
	switch {
	case item.Words == "":
		say("text", "say what should happen")
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
	wrong = append(wrong, checkDetails(&item.Details)...)
	if len(wrong) > 0 {
		return item, &desk.Invalid{Fields: wrong}
	}
	if item.Due, err = d.due(ctx, w, s.Due, item.Owed, at); err != nil {
		return item, err
	}
	if wrong := opens(item.Details, *item.Due); wrong != nil {
		return item, &desk.Invalid{Fields: wrong}
	}
	return item, nil
}

// checkDetails trims what people wrote, and says what is too long.
func checkDetails(d *casesdb.Details) (wrong []desk.Field) {
	for _, x := range []struct {
		field string
		text  *string
	}{{"who", &d.Who}, {"place", &d.Where}, {"number", &d.Number}, {"lets_in", &d.LetsIn}} {
		*x.text = strings.TrimSpace(*x.text)
		if len([]rune(*x.text)) > detail {
			wrong = append(wrong, desk.Field{Name: x.field, Detail: fmt.Sprintf("at most %d characters are allowed", detail)})
		}
	}
	for _, t := range []**time.Time{&d.From, &d.SentAt} {
		if *t != nil {
			*t = new((*t).UTC().Truncate(time.Second))
		}
	}
	return wrong
}

// opens says what is wrong with when a window opens that ends at due.
func opens(d casesdb.Details, due time.Time) []desk.Field {
	if d.From == nil || d.From.Before(due) {
		return nil
	}
	return []desk.Field{{Name: "from", Detail: "it opens at or after its end: give an earlier time"}}
}

func needed(live []casesdb.DatedItem) bool {
	return slices.ContainsFunc(live, func(x casesdb.DatedItem) bool { return x.Kind == dated.NeededBy })
}

func settable() (out []string) {
	for _, k := range dated.Kinds {
		if _, can := owes[k]; can {
			out = append(out, string(k))
		}
	}
	return out
}

// due is when something is due that somebody owes, set at an instant.
func (d *Dates) due(ctx context.Context, w *cases.Work, due Due, owed deadline.Side, set time.Time) (*time.Time,
	error) {
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
	if !at.After(set) {
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

// line is an item as the record says it, with what else is known of it below.
func (d *Dates) line(ctx context.Context, w *cases.Work, item *casesdb.Item) (string, error) {
	due, err := d.said(ctx, w, *item.Due)
	if err != nil {
		return "", err
	}
	by := "the vendor"
	if item.Owed == deadline.Ours {
		by = "us"
	}
	more, err := d.more(ctx, w, item.Details)
	return fmt.Sprintf("%s %s, owed by %s, due %s: %s%s", words.Dated.Of(string(item.Kind)), item.Name, by, due,
		item.Words, more), err
}

// more are details, one a line.
func (d *Dates) more(ctx context.Context, w *cases.Work, x casesdb.Details) (string, error) {
	var b strings.Builder
	for _, f := range []struct{ label, text string }{{"Who", x.Who}, {"Where", x.Where}, {"Number", x.Number},
		{"Let in by", x.LetsIn}} {
		if f.text != "" {
			fmt.Fprintf(&b, "\n%s: %s", f.label, f.text)
		}
	}
	for _, f := range []struct {
		label string
		at    *time.Time
	}{{"From", x.From}, {"Sent", x.SentAt}} {
		if f.at == nil {
			continue
		}
		at, err := d.said(ctx, w, *f.at)
		if err != nil {
			return "", err
		}
		fmt.Fprintf(&b, "\n%s: %s", f.label, at)
	}
	return b.String(), nil
}
