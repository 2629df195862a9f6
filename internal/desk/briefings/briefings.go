// Package briefings tells management and users where a case stands: drafted from the record, with nothing internal in
// it, sent by email or copied, and kept on the case with who was told.
package briefings

import (
	"context"
	"fmt"
	"net/mail"
	"slices"
	"strings"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/channel"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/dated"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/phrasing"
	"roundhouse.example/internal/core/words"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/hours"
	"roundhouse.example/internal/desk/leaving"
	"roundhouse.example/internal/desk/pages"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	notifydb "roundhouse.example/internal/store/notify"
	peopledb "roundhouse.example/internal/store/people"
)

// Briefings is the subject. Use New.
type Briefings struct {
	*desk.Desk
	db      *db.Store
	cases   *cases.Cases
	hours   *hours.Hours
	pages   *pages.Pages
	leaving *leaving.Leaving
}

// New makes the subject over a desk's database.
func New(d *desk.Desk, s *db.Store, c *cases.Cases, h *hours.Hours, p *pages.Pages, l *leaving.Leaving) *Briefings {
	return &Briefings{d, s, c, h, p, l}
}

const (
	mostTo  = 50    // addresses or names at once
	longest = 20000 // characters of a briefing
)

// Briefing is what somebody is told of a case.
type Briefing struct {
	Text string
	// To are addresses to which it is emailed; with Copied, names or addresses of those who get it another way.
	To     []string
	Copied bool
	// Disclose is why what must not leave is sent all the same.
	Disclose string
}

// Draft drafts what can be said of a case as it stands.
func (d *Briefings) Draft(ctx context.Context, a desk.Actor, id int64) (string, error) {
	if err := a.May(access.Work); err != nil {
		return "", err
	}
	v, err := d.pages.Case(ctx, a, id)
	if err != nil {
		return "", err
	}
	p, err := d.hours.Ours(ctx, d.db.DB)
	if err != nil {
		return "", err
	}
	raised, err := casesdb.RaisedOf(ctx, d.db.DB, id)
	if err != nil {
		return "", err
	}
	s := standing(v)
	s.Zone = p.Hours.Latest().Location()
	for _, r := range raised {
		if !r.Before {
			s.Escalated = append(s.Escalated, phrasing.Raised{Who: r.As.V.Called(), At: r.HappenedAt.Unix()})
		}
	}
	if o := v.Line.OwnerID; o != nil {
		owner, err := peopledb.ByID(ctx, d.db.DB, *o)
		if err != nil {
			return "", err
		}
		s.Owner = append(s.Owner, owner.Name+", "+p.DeskName)
		if owner.Phone != "" {
			s.Owner = append(s.Owner, owner.Phone)
		}
	}
	return phrasing.Briefing(s), nil
}

// standing is what a case says of itself.
func standing(v pages.View) phrasing.Standing {
	c := &v.Line.Case
	s := phrasing.Standing{Case: casework.Name(c.Number), Title: c.Title, Vendor: v.Line.Vendor,
		Reference: v.Line.Reference, Severity: "not graded", State: words.States.Of(string(c.State)), Now: v.Now.Unix(),
		Since: c.Texts.V.Since, Filed: db.Unix(c.FiledAt), Workaround: c.WorkaroundOffered, Summary: c.Summary,
		Outcome: c.Outcome}
	if c.Severity != nil {
		s.Severity = fmt.Sprintf("%d %s", *c.Severity, words.Severities.Of(fmt.Sprint(*c.Severity)))
	}
	f := c.Facts.V
	for _, x := range []struct {
		set   words.Set
		value string
	}{{words.Environments, f.Environment}, {words.Effects, f.Effect}, {words.Reaches, f.Reach}} {
		if x.value != "" {
			s.Impact = append(s.Impact, words.Inline(x.set.Of(x.value)))
		}
	}
	if !c.State.Live() {
		return s
	}
	if c.Move != nil {
		s.Waiting, s.WaitingSince = "the vendor", db.Unix(c.MoveSince)
		if *c.Move == deadline.Ours {
			s.Waiting = "us"
		}
	}
	// What is to come is what the vendor said, or its next deadline: nothing of ours.
	for _, x := range v.Dates {
		if x.EndedAt == nil && x.Owed == deadline.Theirs && x.Kind == dated.Promise && x.DueAt.After(v.Now) {
			s.Next, s.NextDue = "the vendor promised: "+x.Words, x.DueAt.Unix()
			return s
		}
	}
	for _, k := range v.Deadlines {
		if !k.Clock.Kind.Ours() && k.DueKnown && k.Due > v.Now.Unix() && (s.NextDue == 0 || k.Due < s.NextDue) &&
			k.Clock.Outcome == deadline.Live {
			s.Next = words.Inline(words.Deadlines.Of(k.Clock.Kind.String())) + " by the vendor"
			s.NextDue = k.Due
		}
	}
	return s
}

// Tell tells people where a case stands, and keeps on the case who was told.
func (d *Briefings) Tell(ctx context.Context, a desk.Actor, id int64, b Briefing) (desk.Ref, error) {
	if err := a.May(access.Work); err != nil {
		return desk.Ref{}, err
	}
	to, err := d.checked(&b)
	if err != nil {
		return desk.Ref{}, err
	}
	return desk.Once(ctx, d.Desk, func(tx *db.Tx) (ref desk.Ref, err error) {
		if !b.Copied {
			if err := d.mails(ctx, tx); err != nil {
				return ref, err
			}
		}
		err = d.cases.Change(ctx, tx, id, &a, func(w *cases.Work) error {
			hide, err := w.Hiding(ctx)
			if err != nil {
				return err
			}
			text := hide(b.Text)
			lifted, err := d.leaving.Check(text, b.Disclose)
			if err != nil {
				return err
			}
			e, err := w.Add(ctx, casesdb.Entry{Kind: casework.Briefing, Body: text, Effect: db.JSON[*casesdb.Effect]{
				V: &casesdb.Effect{Sets: &casesdb.Sets{Briefed: &casesdb.Briefed{To: to, Copied: b.Copied}}}}})
			if err != nil {
				return err
			}
			ref = desk.Ref{ID: w.Case.ID, Number: w.Case.Number, Entry: e.Number}
			if len(lifted) > 0 {
				_, err = w.Add(ctx, casesdb.Entry{Kind: casework.Change, RefersTo: &e.Number, Body: fmt.Sprintf(
					"Entry %d has %s in it, and is sent anyway. Reason: %s", e.Number, leaving.Named(lifted),
					strings.TrimSpace(b.Disclose))})
			}
			if err != nil || b.Copied {
				return err
			}
			subject := casework.Name(w.Case.Number) + " " + w.Case.Title
			for _, address := range to {
				m := notifydb.Email{Address: address, EntryID: &e.ID, Marker: channel.NewMarker(), Subject: subject, Body: text,
					MadeAt: w.Now, NextAt: &w.Now}
				if err := notifydb.AddEmail(ctx, tx, &m, nil); err != nil {
					return err
				}
			}
			return nil
		})
		return ref, err
	})
}

// checked says what is wrong with a briefing, and gives whom it goes to, each once.
func (d *Briefings) checked(b *Briefing) (to []string, err error) {
	var wrong []desk.Field
	add := func(field, format string, args ...any) {
		wrong = append(wrong, desk.Field{Name: field, Detail: fmt.Sprintf(format, args...)})
	}
	b.Text = strings.TrimSpace(b.Text)
	switch n := len([]rune(b.Text)); {
	case n == 0:
		add("text", "the text is empty")
	case n > longest:
		add("text", "it has %d characters, at most %d are allowed", n, longest)
	}
	if len(b.To) == 0 {
		add("to", "say who is told")
	} else if len(b.To) > mostTo {
		add("to", "at most %d at once are allowed", mostTo)
	}
	for i, s := range b.To {
		s = strings.TrimSpace(s)
		if s == "" {
			add(fmt.Sprintf("to[%d]", i), "it is empty")
			continue
		}
		if !b.Copied {
			x, err := mail.ParseAddress(s)
			if err != nil || x.Name != "" || !strings.Contains(x.Address, ".") {
				add(fmt.Sprintf("to[%d]", i), "%.60q is not an email address", s)
				continue
			}
			s = x.Address
		}
		if !slices.ContainsFunc(to, func(o string) bool { return strings.EqualFold(o, s) }) {
			to = append(to, s)
		}
	}
	if len(wrong) > 0 {
		return nil, &desk.Invalid{Fields: wrong}
	}
	return to, nil
}

// mails refuses to email where the policy names no link for it.
func (d *Briefings) mails(ctx context.Context, q db.Querier) error {
	p, err := d.hours.Ours(ctx, q)
	if err == nil && p.EmailLink == "" {
		return &casework.Refusal{Why: "No email can be sent: our policy names no email link. Copy the text instead, and " +
			"say who was told."}
	}
	return err
}
