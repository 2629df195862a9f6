// Package outages keeps what is known of vendors' outages, so that whoever opens a case sees it first.
package outages

import (
	"context"
	"errors"
	"fmt"
	"net/url"
	"strings"
	"time"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/store/db"
	outagesdb "roundhouse.example/internal/store/outages"
	registerdb "roundhouse.example/internal/store/register"
)

// Outages is the subject. Use New.
type Outages struct {
	*desk.Desk
	db    *db.Store
	cases *cases.Cases
}

// New makes the subject over a desk's database.
func New(d *desk.Desk, db *db.Store, c *cases.Cases) *Outages { return &Outages{d, db, c} }

// Outage is one as it is kept.
type Outage = outagesdb.Outage

// most is how many outages a list has.
const most = 200

// List are outages, ongoing ones first, then the latest; vendor is a key, or empty for all.
func (d *Outages) List(ctx context.Context, a desk.Actor, vendor string, current bool) ([]Outage, error) {
	if err := a.May(access.Read); err != nil {
		return nil, err
	}
	f := outagesdb.Filter{Only: a.Grant().Vendors, Current: current, Limit: most}
	if vendor != "" {
		v, err := registerdb.VendorByKey(ctx, d.db.DB, vendor)
		if err != nil {
			return nil, err
		}
		f.Vendor = v.ID
	}
	return outagesdb.List(ctx, d.db.DB, f)
}

// Facts are what a person notes of an outage.
type Facts struct {
	Vendor                    string // its key
	Title, Effect, Said, Page string
	Since                     time.Time
	UpdatedAt, EndedAt        *time.Time
}

// Add notes an outage.
func (d *Outages) Add(ctx context.Context, a desk.Actor, f Facts) (Outage, error) {
	if err := a.May(access.Work); err != nil {
		return Outage{}, err
	}
	return desk.Once(ctx, d.Desk, func(tx *db.Tx) (Outage, error) {
		v, err := registerdb.VendorByKey(ctx, tx, strings.TrimSpace(f.Vendor))
		if errors.Is(err, db.ErrNotFound) || err == nil && !a.Grant().SeesVendor(v.ID) {
			return Outage{}, desk.Fault("vendor", "there is no vendor %.60q", f.Vendor)
		} else if err != nil {
			return Outage{}, err
		}
		o := Outage{VendorID: v.ID, NotedBy: a.ID, NotedAt: d.Now()}
		if err := d.fill(&o, f); err != nil {
			return o, err
		}
		if err := outagesdb.Insert(ctx, tx, &o); err != nil {
			return o, err
		}
		return outagesdb.ByID(ctx, tx, o.ID)
	})
}

// fill puts what a person says into a row, and says all that is wrong with it.
func (d *Outages) fill(o *Outage, f Facts) error {
	var wrong []desk.Field
	add := func(field, text string) { wrong = append(wrong, desk.Field{Name: field, Detail: text}) }
	o.Title, o.Effect, o.Said, o.Page = strings.TrimSpace(f.Title), strings.TrimSpace(f.Effect), strings.TrimSpace(f.Said),
		strings.TrimSpace(f.Page)
	o.Since, o.UpdatedAt, o.EndedAt = f.Since.UTC().Truncate(time.Second), f.UpdatedAt, f.EndedAt
	if o.Title == "" {
		add("title", "say in one line what is down")
	}
	if u, err := url.Parse(o.Page); o.Page != "" && (err != nil || u.Scheme != "https" && u.Scheme != "http" ||
		u.Host == "") {
		add("page", "give a web address, like https://status.vendor.example")
	}
	now := d.Now()
	for _, x := range []struct {
		field string
		at    *time.Time
	}{{"since", &o.Since}, {"updated_at", o.UpdatedAt}, {"ended_at", o.EndedAt}} {
		switch {
		case x.at == nil:
		case x.at.After(now):
			add(x.field, "this is in the future")
		case x.at.Before(o.Since):
			add(x.field, "this is before it began")
		}
	}
	if len(wrong) > 0 {
		return &desk.Invalid{Fields: wrong}
	}
	return nil
}

// Edit changes an outage; nil leaves a thing as it is.
type Edit struct {
	Title, Effect, Said, Page *string
	Since, UpdatedAt, EndedAt *time.Time
}

// Change changes what is known of an outage, such as its end; match is the version that was read.
func (d *Outages) Change(ctx context.Context, a desk.Actor, id, match int64, ch Edit) (Outage, error) {
	if err := a.May(access.Work); err != nil {
		return Outage{}, err
	}
	return desk.Once(ctx, d.Desk, func(tx *db.Tx) (Outage, error) {
		o, err := outagesdb.ByID(ctx, tx, id)
		if err == nil && !a.Grant().SeesVendor(o.VendorID) {
			err = db.ErrNotFound
		}
		if err != nil {
			return o, err
		}
		f := Facts{Title: o.Title, Effect: o.Effect, Said: o.Said, Page: o.Page, Since: o.Since, UpdatedAt: o.UpdatedAt,
			EndedAt: o.EndedAt}
		desk.Put(&f.Title, ch.Title)
		desk.Put(&f.Effect, ch.Effect)
		desk.Put(&f.Said, ch.Said)
		desk.Put(&f.Page, ch.Page)
		desk.Put(&f.Since, ch.Since)
		if ch.UpdatedAt != nil {
			f.UpdatedAt = ch.UpdatedAt
		}
		if ch.EndedAt != nil {
			f.EndedAt = ch.EndedAt
		}
		if err := d.fill(&o, f); err != nil {
			return o, err
		}
		o.Version = match
		changed, err := outagesdb.Save(ctx, tx, o)
		if err := errors.Join(err, desk.IfStale(changed, "outage")); err != nil {
			return o, err
		}
		return outagesdb.ByID(ctx, tx, id)
	})
}

// Tie says that a case comes from an outage of its vendor; 0 takes that back.
func (d *Outages) Tie(ctx context.Context, a desk.Actor, caseID, outage int64) (desk.Ref, error) {
	if err := a.May(access.Work); err != nil {
		return desk.Ref{}, err
	}
	return desk.Once(ctx, d.Desk, func(tx *db.Tx) (ref desk.Ref, err error) {
		err = d.cases.Change(ctx, tx, caseID, &a, func(w *cases.Work) error {
			ref = desk.Ref{ID: w.Case.ID, Number: w.Case.Number, Entry: w.Case.LastEntry}
			return d.tie(ctx, w, outage)
		})
		return ref, err
	})
}

func (d *Outages) tie(ctx context.Context, w *cases.Work, outage int64) error {
	if desk.Deref(w.Case.OutageID) == outage {
		return nil
	}
	text := "No longer tied to an outage of the vendor."
	w.Case.OutageID = nil
	if outage != 0 {
		o, err := outagesdb.ByID(ctx, w.Tx, outage)
		if errors.Is(err, db.ErrNotFound) || err == nil && o.VendorID != w.Case.VendorID {
			return desk.Fault("outage", "this vendor has no such outage")
		} else if err != nil {
			return err
		}
		w.Case.OutageID = &o.ID
		text = fmt.Sprintf("Tied to the vendor's outage: %s.", o.Title)
	}
	_, err := w.Changed(ctx, text, nil)
	return err
}
