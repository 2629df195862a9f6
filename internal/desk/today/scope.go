package today

import (
	"context"
	"errors"
	"slices"

	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/store/db"
	peopledb "roundhouse.example/internal/store/people"
	registerdb "roundhouse.example/internal/store/register"
	watchdb "roundhouse.example/internal/store/watch"
)

// Scope is whose part of the desk is looked at. The zero value is all of it.
type Scope struct {
	// Whose is one of the kinds below; empty for the whole desk.
	Whose Whose
	// Person is whose cases, by email address; for Whose of Persons.
	Person string
}

// Whose is a part of the desk.
type Whose string

// The parts.
const (
	TheDesk Whose = "desk"
	Mine    Whose = "mine"
	Watched Whose = "watched"
	// Access are the vendors whose access list has who asks.
	Access  Whose = "access"
	Persons Whose = "person"
)

// keeps is the condition that a case belongs to a part; nil for all.
type keeps func(*pressed) bool

// scope finds what a part of the desk is for who asks.
func (d *Today) scope(ctx context.Context, a desk.Actor, s Scope) (keeps, error) {
	owner := a.ID
	switch s.Whose {
	case "", TheDesk:
		return nil, nil
	case Watched:
		return d.watched(ctx, a)
	case Access:
		vendors, err := registerdb.VendorsOfAccess(ctx, d.db.DB, a.Email)
		return func(c *pressed) bool { return slices.Contains(vendors, c.VendorID) }, err
	case Persons:
		id, err := d.person(ctx, s.Person)
		if err != nil {
			return nil, err
		}
		owner = id
	}
	return func(c *pressed) bool { return c.OwnerID != nil && *c.OwnerID == owner }, nil
}

// person is the id of somebody here, by email address.
func (d *Today) person(ctx context.Context, email string) (int64, error) {
	p, err := peopledb.ByEmail(ctx, d.db.DB, email)
	if errors.Is(err, db.ErrNotFound) {
		return 0, desk.Fault("person", "nobody here has the email address %.80q", email)
	}
	return p.ID, err
}

// watched is what a person watches: cases, those of vendors, those of a severity.
func (d *Today) watched(ctx context.Context, a desk.Actor) (keeps, error) {
	list, err := watchdb.Of(ctx, d.db.DB, a.ID)
	if err != nil {
		return nil, err
	}
	cases, vendors, severities := map[int64]bool{}, map[int64]bool{}, map[int]bool{}
	for _, w := range list {
		switch {
		case w.CaseID != nil:
			cases[*w.CaseID] = true
		case w.VendorID != nil:
			vendors[*w.VendorID] = true
		case w.Severity != nil:
			severities[*w.Severity] = true
		}
	}
	return func(c *pressed) bool {
		return cases[c.ID] || vendors[c.VendorID] || c.Severity != nil && severities[*c.Severity]
	}, nil
}
