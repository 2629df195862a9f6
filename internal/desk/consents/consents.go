// Package consents keeps what people have consented to on a case: who gave it, for what, and until when.
package consents

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/words"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/filing"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	peopledb "roundhouse.example/internal/store/people"
)

// Consents is the subject. Use New.
type Consents struct {
	*desk.Desk
	db    *db.Store
	cases *cases.Cases
}

// New makes the subject over a desk's database.
func New(d *desk.Desk, db *db.Store, c *cases.Cases) *Consents { return &Consents{d, db, c} }

// work is a change of a case, and what may be wrong with it.
type work struct {
	*cases.Work
	warning string
}

// Consenting is a consent that somebody gave.
type Consenting struct {
	Kind  casework.ConsentKind
	For   string
	By    string // an email address of ours, or a name; empty for who writes it down
	Until *time.Time
}

// maxConsents is how many consents a case can have.
const maxConsents = 50

// Give writes down that somebody consents to something on a case.
func (d *Consents) Give(ctx context.Context, a desk.Actor, id int64, x Consenting) (desk.Ref, error) {
	return d.change(ctx, a, id, func(w *work) (c casework.Consent, text string, err error) {
		switch {
		case !slices.Contains(casework.ConsentKinds, x.Kind):
			return c, "", desk.Fault("kind", "use one of %s, not %.40q", kindsOfConsent(), string(x.Kind))
		case x.Until != nil && !x.Until.After(w.Now):
			return c, "", desk.Fault("until", "this is in the past: give a later time, or leave it out")
		case len(w.Case.Consents.V) >= maxConsents:
			return c, "", desk.Fault("kind", "a case can have %d consents", maxConsents)
		}
		c = casework.Consent{Number: len(w.Case.Consents.V) + 1, Kind: x.Kind, For: strings.TrimSpace(x.For),
			By: strings.TrimSpace(x.By), Given: w.Now.UTC().Truncate(time.Second)}
		if x.Until != nil {
			c.Until = new(x.Until.UTC().Truncate(time.Second))
		}
		giver := a.Person
		if c.By != "" && !strings.EqualFold(c.By, a.Email) && !strings.EqualFold(c.By, a.Name) {
			if giver, err = w.person(ctx, c.By); err != nil {
				return c, "", err
			}
		}
		c.By = giver.Name
		v, err := w.Vendor(ctx)
		if err != nil {
			return c, "", err
		}
		w.warning = filing.MayNotConsent(v.Profile.V, giver)
		text = words.ConsentKinds.Of(string(c.Kind))
		if c.For != "" {
			text += ", for " + c.For
		}
		text = fmt.Sprintf("Consent %d given by %s: %s.", c.Number, c.By, text)
		return c, text, nil
	})
}

// person is one of ours by address or name, or somebody whom only a name is known of.
func (w *work) person(ctx context.Context, by string) (peopledb.Person, error) {
	all, err := peopledb.All(ctx, w.Tx)
	for _, p := range all {
		if strings.EqualFold(p.Email, by) || strings.EqualFold(p.Name, by) {
			return p, nil
		}
	}
	if err == nil && strings.Contains(by, "@") {
		err = desk.Fault("by", "nobody here has the address %.80q", by)
	}
	return peopledb.Person{Name: by}, err
}

func kindsOfConsent() string {
	var out []string
	for _, k := range casework.ConsentKinds {
		out = append(out, string(k))
	}
	return strings.Join(out, ", ")
}

// Withdraw writes down that a consent holds no more.
func (d *Consents) Withdraw(ctx context.Context, a desk.Actor, id int64, number int, why string) (desk.Ref, error) {
	return d.change(ctx, a, id, func(w *work) (c casework.Consent, text string, err error) {
		i := slices.IndexFunc(w.Case.Consents.V, func(c casework.Consent) bool { return c.Number == number })
		if i < 0 {
			return c, "", desk.Fault("consent", "this case has no consent %d", number)
		}
		if c = w.Case.Consents.V[i]; c.Withdrawn != nil {
			return c, "", desk.Fault("consent", "consent %d was withdrawn already, by %s", number, c.WithdrawnBy)
		}
		c.Withdrawn, c.WithdrawnBy, c.Why = new(w.Now.UTC().Truncate(time.Second)), a.Name, strings.TrimSpace(why)
		text = fmt.Sprintf("Consent %d withdrawn: %s.", number, words.ConsentKinds.Of(string(c.Kind)))
		if c.Why != "" {
			text += " " + c.Why
		}
		return c, text, nil
	})
}

func (d *Consents) change(ctx context.Context, a desk.Actor, id int64,
	fn func(w *work) (casework.Consent, string, error)) (desk.Ref, error) {
	if err := a.May(access.Work); err != nil {
		return desk.Ref{}, err
	}
	return desk.Once(ctx, d.Desk, func(tx *db.Tx) (ref desk.Ref, err error) {
		err = d.cases.Change(ctx, tx, id, &a, func(inner *cases.Work) error {
			w := &work{Work: inner}
			now, err := w.Situation(ctx)
			if err != nil {
				return err
			}
			if w.Case.State != casework.Draft && !w.Case.State.Live() {
				return &casework.Refusal{Why: "This is " + w.Case.State.Called() + ": its consents stay as they are."}
			}
			if w.Case.State == casework.Draft && now.Leaving() {
				return &casework.Refusal{Why: "The case is being filed: wait until it has arrived."}
			}
			c, text, err := fn(w)
			if err != nil {
				return err
			}
			w.Renumbered()
			if _, err := w.Changed(ctx, text, &casesdb.Effect{Sets: &casesdb.Sets{Consent: &c}}); err != nil {
				return err
			}
			ref = desk.Ref{ID: w.Case.ID, Number: w.Case.Number, Entry: w.Case.LastEntry, Warning: w.warning}
			return nil
		})
		return ref, err
	})
}
