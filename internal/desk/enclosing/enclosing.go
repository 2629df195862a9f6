// Package enclosing lets files go with a message to a vendor: those that may, within what the way takes.
package enclosing

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/disclosure"
	corefiles "roundhouse.example/internal/core/files"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/core/words"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/leaving"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	filesdb "roundhouse.example/internal/store/files"
	outboxdb "roundhouse.example/internal/store/outbox"
)

// Wanted are the files that somebody wants to go with a message.
type Wanted struct {
	Files []int // their numbers on the case, in the order in which they go
	// Intended says that somebody was asked whether what is sensitive in them is to go, and said yes.
	Intended bool
}

// Sees says whether a person sees a file: a sensitive one only those who are on the case do, its owner and who
// opened it, and who added the file.
func Sees(a desk.Actor, c *casesdb.Case, sensitive bool, addedBy int64) bool {
	return !sensitive || addedBy == a.ID || c.OpenedBy == a.ID || c.OwnerID != nil && *c.OwnerID == a.ID
}

// Asked is for whom files go with a message, and how.
type Asked struct {
	Case    *casesdb.Case
	Actor   *desk.Actor // nil sees no sensitive file
	Limit   corefiles.Limit
	Because string // why what must not leave has to
	Wanted
}

// Enclosure is what goes with one message.
type Enclosure struct {
	files   []filesdb.File
	lifted  []disclosure.Kind // what must not leave, and does for a reason
	asked   []string          // what somebody said is intended
	because string
}

// Of are the files that go with a message. It refuses those that cannot go that way, that are not looked through yet,
// or that have something in them that must not leave (*desk.MustNotLeave), or of which nobody has said that it is
// intended (*desk.Intended).
func Of(ctx context.Context, q db.Querier, a Asked) (e Enclosure, err error) {
	e.because = strings.TrimSpace(a.Because)
	var wrong []desk.Field
	say := func(format string, args ...any) {
		wrong = append(wrong, desk.Field{Name: "files", Detail: fmt.Sprintf(format, args...)})
	}
	total := int64(0)
	for i, n := range a.Files {
		f, err := filesdb.ByNumber(ctx, q, a.Case.ID, n)
		if err == nil && (a.Actor == nil || !Sees(*a.Actor, a.Case, f.Sensitive, f.AddedBy)) {
			err = db.ErrNotFound
		}
		switch why := a.Limit.Unlike(f.Name, f.Bytes); {
		case errors.Is(err, db.ErrNotFound):
			say("this case has no file %d", n)
		case err != nil:
			return e, err
		case slices.Contains(a.Files[:i], n):
			say("file %d is named twice", n)
		case f.RemovedAt != nil:
			say("the content of file %d was removed", n)
		case f.Problem != "":
			say("file %d could not be checked: %s", n, f.Problem)
		case f.ExaminedAt == nil:
			say("file %d is still being checked: wait a moment, then send it", n)
		case why != "":
			say("file %d, %s: %s", n, f.Name, why)
		}
		total += f.Bytes
		e.files = append(e.files, f)
	}
	if why := a.Limit.TooMuch(total); why != "" && len(wrong) == 0 {
		say("%s: send some of the files with another message", why)
	}
	if len(wrong) > 0 {
		return e, &desk.Invalid{Fields: wrong}
	}
	return e, e.look(a.Intended)
}

// look asks what has to be asked before files leave.
func (e *Enclosure) look(intended bool) error {
	stop := &desk.MustNotLeave{}
	ask := &desk.Intended{}
	for _, f := range e.files {
		if f.Sensitive {
			ask.Of = append(ask.Of, fmt.Sprintf("file %d is sensitive", *f.Number))
		}
		if f.Findings.V.Count[disclosure.PersonalNumber] > 0 {
			ask.Of = append(ask.Of, fmt.Sprintf("file %d has personal numbers in it", *f.Number))
		}
		for _, k := range disclosure.Kinds {
			if k.Level() == disclosure.Stop && f.Findings.V.Count[k] > 0 && !slices.Contains(e.lifted, k) {
				e.lifted = append(e.lifted, k)
			}
		}
		for _, x := range f.Findings.V.First {
			if x.Kind.Level() == disclosure.Stop && len(stop.Places) < 20 {
				where := fmt.Sprintf("file %d, %s", *f.Number, f.Name)
				if x.Inside != "" {
					where += " > " + x.Inside
				}
				stop.Places = append(stop.Places, desk.Field{Name: "files", Detail: fmt.Sprintf("%s, line %d: %s: %s", where,
					x.Line, words.Inline(words.FindingKinds.Of(string(x.Kind))), x.Excerpt)})
			}
		}
	}
	if len(e.lifted) > 0 && e.because == "" {
		stop.What = leaving.Named(e.lifted)
		return stop
	}
	if len(ask.Of) > 0 && !intended {
		return ask
	}
	e.asked = ask.Of
	return nil
}

// Listed is a message with the files that go with it named at its end, in their order.
func (e Enclosure) Listed(text string) string {
	if len(e.files) == 0 {
		return text
	}
	text = strings.TrimSpace(text) + "\n\nFiles"
	for i, f := range e.files {
		text += fmt.Sprintf("\n%d. %s (%s)", i+1, f.Name, corefiles.Bytes(f.Bytes))
		if f.Caption != "" {
			text += ": " + f.Caption
		}
	}
	return text
}

// Put lets the files go: in the message's own delivery, or each by itself behind it where the vendor's system takes
// them so. It gives the deliveries to wake, and what the record has to say of it; empty for nothing.
func (e Enclosure) Put(ctx context.Context, tx *db.Tx, via route.Route, message casesdb.Entry, in int64,
	now time.Time) (wake []int64, said string, err error) {
	for _, f := range e.files {
		to := in
		if via.Kind == route.API {
			del := outboxdb.Delivery{CaseID: message.CaseID, EntryID: message.ID, EntryNumber: message.Number,
				Action: route.Attach, Channel: via.Kind, LinkID: &via.Link, State: casework.SendingWaiting, NextAt: &now,
				MadeAt: now}
			if err := outboxdb.Add(ctx, tx, &del); err != nil {
				return nil, "", err
			}
			to = del.ID
			wake = append(wake, to)
		}
		if err := filesdb.Enclose(ctx, tx, to, f.ID); err != nil {
			return nil, "", err
		}
	}
	if len(e.lifted) > 0 {
		said = fmt.Sprintf("A file that goes with entry %d has %s in it, and is sent anyway. Reason: %s\n", message.Number,
			leaving.Named(e.lifted), e.because)
	}
	if len(e.asked) > 0 {
		said += fmt.Sprintf("Confirmed as intended with entry %d: %s.", message.Number, strings.Join(e.asked, "; "))
	}
	return wake, strings.TrimSpace(said), nil
}
