// Package references keeps the numbers that others gave a case: the vendor's, a reseller's, our own ticket's.
package references

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/words"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
)

// References is the subject. Use New.
type References struct {
	*desk.Desk
	cases *cases.Cases
}

// New makes the subject over a desk's cases.
func New(d *desk.Desk, c *cases.Cases) *References { return &References{d, c} }

// Numbering adds, corrects or removes a number that somebody gave a case.
type Numbering struct {
	casework.Reference
	// Keep keeps the number that was current as a former one.
	Keep   bool
	Remove bool
}

// maxNumbers is how many numbers besides the first ones a case can have.
const maxNumbers = 50

// SetNumber writes down a number that somebody gave a case, with whose it is and what it is to it.
func (d *References) SetNumber(ctx context.Context, a desk.Actor, id int64, n Numbering) (desk.Ref, error) {
	n.Value, n.Of = strings.TrimSpace(n.Value), strings.TrimSpace(n.Of)
	if n.Role == "" {
		n.Role = casework.Current
	}
	if n.Owner == "" {
		n.Owner = casework.Vendors
	}
	if err := a.May(access.Work); err != nil {
		return desk.Ref{}, err
	}
	if n.Value == "" {
		return desk.Ref{}, desk.Fault("value", "give the number")
	}
	return desk.Once(ctx, d.Desk, func(tx *db.Tx) (ref desk.Ref, err error) {
		err = d.cases.Change(ctx, tx, id, &a, func(w *cases.Work) error {
			if err := setNumber(ctx, w, n); err != nil {
				return err
			}
			ref = desk.Ref{ID: w.Case.ID, Number: w.Case.Number, Entry: w.Case.LastEntry}
			return nil
		})
		return ref, err
	})
}

func setNumber(ctx context.Context, w *cases.Work, n Numbering) error {
	others, err := casesdb.OtherReferences(ctx, w.Tx, w.Case.ID)
	if err != nil {
		return err
	}
	if n.First() {
		return setFirst(ctx, w, n, others)
	}
	called := words.Reference(string(n.Owner), string(n.Role), n.Of)
	there := slices.ContainsFunc(others, func(r casework.Reference) bool {
		return r.Owner == n.Owner && r.Value == n.Value
	})
	text := fmt.Sprintf("%s: %s.", called, n.Value)
	list := casework.With(others, n.Reference)
	switch {
	case n.Remove && !there:
		return desk.Fault("value", "this case has no such number")
	case n.Remove:
		text, list = fmt.Sprintf("%s %s was removed.", called, n.Value), casework.Without(others, n.Owner, n.Value)
	case len(list) > maxNumbers:
		return desk.Fault("value", "a case can have %d such numbers: remove one first", maxNumbers)
	case slices.Equal(list, others):
		return nil
	}
	refs, err := w.References(ctx)
	if err != nil {
		return err
	}
	for _, r := range refs {
		if r.Whose == string(n.Owner) && r.Value == n.Value {
			return desk.Fault("role", "this is the current one: give the number that is current now first")
		}
	}
	return setOthers(ctx, w, text, list)
}

func setOthers(ctx context.Context, w *cases.Work, text string, list []casework.Reference) error {
	if err := casesdb.SetOtherReferences(ctx, w.Tx, w.Case, list); err != nil {
		return err
	}
	w.Renumbered()
	_, err := w.Changed(ctx, text, &casesdb.Effect{Sets: &casesdb.Sets{Numbers: &list}})
	return err
}

// setFirst sets the vendor's current number, or that of our own ticket.
func setFirst(ctx context.Context, w *cases.Work, n Numbering, others []casework.Reference) error {
	before, err := w.KnownAs(ctx, n.Owner)
	if err != nil {
		return err
	}
	switch {
	case n.Remove && before != n.Value:
		return desk.Fault("value", "this case has no such number")
	case n.Remove && n.Owner == casework.Vendors:
		return desk.Fault("value", "the vendor reference cannot be removed: correct it")
	case before == n.Value && !n.Remove:
		return nil
	}
	if n.Owner == casework.Vendors {
		err = Bring(ctx, w, n.Value)
	} else {
		value := n.Value
		if n.Remove {
			value = ""
		}
		err = w.SetTicket(ctx, value)
	}
	if err != nil || !n.Keep || before == "" {
		return err
	}
	former := casework.Reference{Owner: n.Owner, Role: casework.Former, Value: before}
	others = casework.Without(others, n.Owner, n.Value) // it is the current one now
	return setOthers(ctx, w, fmt.Sprintf("%s: %s.", words.Reference(string(n.Owner), string(former.Role), ""), before),
		casework.With(others, former))
}
