// Package links keeps the ways to vendors that work by themselves: a vendor's API, a mail server of ours.
package links

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strings"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/disclosure"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/secrets"
	"roundhouse.example/internal/store/db"
	hoursdb "roundhouse.example/internal/store/hours"
	inboxdb "roundhouse.example/internal/store/inbox"
	registerdb "roundhouse.example/internal/store/register"
)

// Links is the subject. Use New.
type Links struct {
	*desk.Desk
	db      *db.Store
	secrets *secrets.Secrets
}

// New makes the subject over a desk's database.
func New(d *desk.Desk, db *db.Store, s *secrets.Secrets) *Links { return &Links{d, db, s} }

// Facts are what a person says of a link. How it is used is checked by the channel that it makes.
type Facts struct {
	Name     string
	Kind     route.Kind // api or email
	Address  string
	Settings json.RawMessage
	Vendors  []string // by key
}

// View is a link with the vendors that it serves.
type View struct {
	inboxdb.Link
	Vendors []string
}

// List are all links by name.
func (d *Links) List(ctx context.Context, a desk.Actor) (out []View, err error) {
	if err := a.May(access.Read); err != nil {
		return nil, err
	}
	rows, err := inboxdb.All(ctx, d.db.DB)
	if err != nil {
		return nil, err
	}
	served, err := inboxdb.ServedBy(ctx, d.db.DB)
	for _, l := range rows {
		out = append(out, View{l, served[l.ID]})
	}
	return out, err
}

// Add adds a link.
func (d *Links) Add(ctx context.Context, a desk.Actor, f Facts) (View, error) {
	if err := a.May(access.Vendors); err != nil {
		return View{}, err
	}
	return desk.Once(ctx, d.Desk, func(tx *db.Tx) (v View, err error) {
		l := inboxdb.Link{Version: 1}
		if err := d.fill(ctx, tx, &l, f); err != nil {
			return v, err
		}
		if err := named(inboxdb.AddLink(ctx, tx, &l)); err != nil {
			return v, err
		}
		return View{l, f.Vendors}, d.serve(ctx, tx, l.ID, f.Vendors)
	})
}

func named(err error) error {
	if db.Unique(err, "link_name") {
		return desk.Fault("name", "there is already a link with this name")
	}
	return err
}

// fill puts what a person says into a row, and says what is wrong with it.
func (d *Links) fill(ctx context.Context, tx *db.Tx, l *inboxdb.Link, f Facts) error {
	f.Name = strings.TrimSpace(f.Name)
	switch {
	case !disclosure.Name.MatchString(f.Name):
		return desk.Fault("name", "use small letters, digits and dashes, like desk-email")
	case f.Kind != route.API && f.Kind != route.Email:
		return desk.Fault("kind", "a link is api or email; a person uses the other channels")
	}
	l.Name, l.Kind, l.Address = f.Name, f.Kind, strings.TrimSpace(f.Address)
	l.Description.V = f.Settings
	ch, err := d.Channels(*l)
	if err != nil {
		field := "settings"
		if strings.HasPrefix(err.Error(), "the link's address") {
			field = "address"
		}
		return desk.Fault(field, "%s", err)
	}
	if s, signs := ch.(desk.SignsIn); signs && s.SecretName() != "" {
		_, err = d.secrets.MayGo(ctx, tx, s.SecretName(), l.Host())
	}
	return err
}

func (d *Links) serve(ctx context.Context, tx *db.Tx, link int64, vendors []string) error {
	ids := make([]int64, len(vendors))
	for i, key := range vendors {
		v, err := registerdb.VendorByKey(ctx, tx, key)
		if errors.Is(err, db.ErrNotFound) {
			return desk.Fault(fmt.Sprintf("vendors[%d]", i), "there is no vendor %.60q", key)
		} else if err != nil {
			return err
		}
		ids[i] = v.ID
	}
	return inboxdb.ServeOnly(ctx, tx, link, ids)
}

// Edit changes a link; nil leaves a thing as it is.
type Edit struct {
	Name, Address *string
	Settings      json.RawMessage
	Vendors       *[]string
}

// Change changes a link; match is the version that was read.
func (d *Links) Change(ctx context.Context, a desk.Actor, id, match int64, ch Edit) (View, error) {
	if err := a.May(access.Vendors); err != nil {
		return View{}, err
	}
	return desk.Once(ctx, d.Desk, func(tx *db.Tx) (v View, err error) {
		l, err := inboxdb.Lock(ctx, tx, id)
		if err != nil {
			return v, err
		}
		if l.Version != match {
			return v, &desk.Stale{What: "link"}
		}
		served, err := inboxdb.ServedBy(ctx, tx)
		if err != nil {
			return v, err
		}
		f := Facts{l.Name, l.Kind, l.Address, l.Description.V, served[id]}
		desk.Put(&f.Name, ch.Name)
		desk.Put(&f.Address, ch.Address)
		desk.Put(&f.Vendors, ch.Vendors)
		if ch.Settings != nil {
			f.Settings = ch.Settings
		}
		if f.Name != l.Name {
			if err := toldBy(ctx, tx, l.Name); err != nil {
				return v, err
			}
		}
		if err := d.fill(ctx, tx, &l, f); err != nil {
			return v, err
		}
		l.Version++
		if err := named(inboxdb.Describe(ctx, tx, l)); err != nil {
			return v, err
		}
		return View{l, f.Vendors}, d.serve(ctx, tx, id, f.Vendors)
	})
}

// toldBy refuses to lose the link by which our own people are told.
func toldBy(ctx context.Context, q db.Querier, name string) error {
	t, err := hoursdb.CurrentTerms(ctx, q, nil)
	if err != nil {
		return err
	}
	p, err := hoursdb.Policy(ctx, q, t.ID)
	if err == nil && p.EmailLink == name {
		err = &desk.InUse{Why: "Our policy names it as the link that sends email to our own people: name another one there " +
			"first (roundhouse policy change --email-link NAME)."}
	}
	return err
}

// Remove removes a link that was never used; match is the version that was read.
func (d *Links) Remove(ctx context.Context, a desk.Actor, id, match int64) error {
	if err := a.May(access.Vendors); err != nil {
		return err
	}
	return d.db.Do(ctx, func(tx *db.Tx) error {
		l, err := inboxdb.Lock(ctx, tx, id)
		switch {
		case err != nil:
			return err
		case l.Version != match:
			return &desk.Stale{What: "link"}
		}
		used, err := inboxdb.Used(ctx, tx, id)
		if err != nil {
			return err
		}
		if used {
			return &desk.InUse{Why: "Messages were sent by this link, and they stay on record. Remove its vendors instead: " +
				"then nothing more is sent by it."}
		}
		if err := toldBy(ctx, tx, l.Name); err != nil {
			return err
		}
		return inboxdb.RemoveLink(ctx, tx, id)
	})
}

// tries is a channel that can say whether it works without sending anything.
type tries interface{ Try(context.Context) error }

// Try signs in at a link's server and leaves again; a text says why that does not work, and is empty where it does. No
// database connection is held meanwhile.
func (d *Links) Try(ctx context.Context, a desk.Actor, id int64) (problem string, err error) {
	if err := a.May(access.Vendors); err != nil {
		return "", err
	}
	l, err := inboxdb.ByID(ctx, d.db.DB, id)
	if err != nil {
		return "", err
	}
	ch, err := d.Channels(l)
	if err != nil {
		return err.Error(), nil
	}
	t, can := ch.(tries)
	if !can {
		return "", desk.Fault("link", "only links for email can be tried: a link to an API is tried all the time")
	}
	if err := d.secrets.SignIn(ctx, d.db.DB, ch, l.Host()); err != nil {
		return err.Error(), nil
	}
	ctx, cancel := context.WithTimeout(ctx, ch.Timeout())
	defer cancel()
	if err := t.Try(ctx); err != nil {
		return err.Error(), nil
	}
	return "", nil
}
