package drafts

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/core/words"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	registerdb "roundhouse.example/internal/store/register"
)

// Draft is what a draft is made of.
type Draft struct {
	Vendor, Title, Kind string // the vendor may be left out where an asset says it
	// Asset, Account and Contract are from the register; where they are left out they
	// follow from each other, as far as they can.
	Asset, Account, Contract *int64
	Facts                    casesdb.Facts
	Texts                    casesdb.Texts
	Answers                  map[string]string // to the vendor's intake form
	Severity                 *int              // another level than the facts support
	SeverityReason           string
	Ticket                   string // our own ticket's number
}

// Open makes a draft that belongs to the person who opens it.
func (d *Drafts) Open(ctx context.Context, a desk.Actor, n Draft) (desk.Ref, error) {
	if err := a.May(access.Work); err != nil {
		return desk.Ref{}, err
	}
	return desk.Once(ctx, d.Desk, func(tx *db.Tx) (desk.Ref, error) {
		v, err := caseVendor(ctx, tx, n)
		if err != nil {
			return desk.Ref{}, err
		}
		c := casesdb.Case{
			VendorID: v.ID, AssetID: n.Asset, AccountID: n.Account, ContractID: n.Contract, Title: strings.TrimSpace(n.Title),
			Kind: n.Kind, OwnerID: &a.ID, OpenedBy: a.ID, OpenedAt: d.Now(),
			SeverityChosen: n.Severity, SeverityBecause: n.SeverityReason,
		}
		if c.Title == "" {
			return desk.Ref{}, desk.Fault("title", "the title is empty: write one line that names the problem")
		}
		if c.Kind == "" {
			c.Kind = register.Kinds[0]
		}
		c.Facts.V, c.Texts.V, c.Answers.V = n.Facts, n.Texts, n.Answers
		if c.Answers.V == nil {
			c.Answers.V = map[string]string{}
		}
		if wrong := unknownAnswers(v.Profile.V, c.Kind, n.Answers); len(wrong) > 0 {
			return desk.Ref{}, &desk.Invalid{Fields: wrong}
		}
		if err := d.filing.Attach(ctx, tx, &c); err != nil {
			return desk.Ref{}, err
		}
		c.Severity = d.severityOf(&c)
		if c.Texts.V.Contact == "" {
			c.Texts.V.Contact = a.Reach()
		}
		err = d.cases.Begin(ctx, tx, &c, &a, func(w *cases.Work) error {
			if n.Ticket != "" {
				if err := w.SetReference(ctx, "ours", n.Ticket); err != nil {
					return err
				}
			}
			_, err := w.Changed(ctx, "Draft opened.", &casesdb.Effect{Sets: &casesdb.Sets{Owner: &a.ID}})
			return err
		})
		return desk.Ref{ID: c.ID, Number: c.Number, Entry: 1}, err
	})
}

// unknownAnswers says which answers the vendor's form does not ask for.
func unknownAnswers(v register.Vendor, kind string, answers map[string]string) (wrong []desk.Field) {
	var keys []string
	for _, x := range v.Asks(kind) {
		keys = append(keys, x.Key)
	}
	for _, key := range slices.Sorted(maps.Keys(answers)) {
		if slices.Contains(keys, key) {
			continue
		}
		asks := "has no such field"
		if len(keys) > 0 {
			asks = "has the fields " + strings.Join(keys, ", ")
		}
		wrong = append(wrong, desk.Field{Name: "answers." + key,
			Detail: fmt.Sprintf("the vendor's form for this kind (%s) %s", words.Inline(words.Kinds.Of(kind)), asks)})
	}
	return wrong
}

// severityOf is the chosen level, or what the facts support; nil while neither is known.
func (d *Drafts) severityOf(c *casesdb.Case) *int {
	if c.SeverityChosen != nil {
		v := *c.SeverityChosen
		return &v
	}
	g, err := d.filing.Supported(c.Kind, c.Facts.V)
	if err != nil {
		return nil
	}
	v := int(g.Level)
	return &v
}

// caseVendor is the vendor that a new case names, or its asset does.
func caseVendor(ctx context.Context, q db.Querier, n Draft) (registerdb.Vendor, error) {
	if n.Vendor == "" && n.Asset != nil {
		a, err := registerdb.ThingByID[register.Asset](ctx, q, registerdb.Assets, *n.Asset)
		if errors.Is(err, db.ErrNotFound) {
			return registerdb.Vendor{}, desk.Fault("asset", "there is no such asset in the register")
		} else if err != nil {
			return registerdb.Vendor{}, err
		}
		return registerdb.VendorByID(ctx, q, a.VendorID)
	}
	v, err := registerdb.VendorByKey(ctx, q, n.Vendor)
	if errors.Is(err, db.ErrNotFound) {
		err = desk.Fault("vendor", "there is no vendor %q; the list of vendors shows them", n.Vendor)
	}
	return v, err
}
