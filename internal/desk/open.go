package desk

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/store"
)

// NewCase is what a draft is made of.
type NewCase struct {
	Vendor, Title, Kind string // the vendor may be left out where an asset says it
	// Asset, Account and Contract are from the register; where they are left out they
	// follow from each other, as far as they can.
	Asset, Account, Contract *int64
	Facts                    store.Facts
	Texts                    store.Texts
	Answers                  map[string]string // to the vendor's intake form
	Severity                 *int              // another level than the facts support
	SeverityReason           string
	Ticket                   string // our own ticket's number
}

// OpenCase makes a draft that belongs to the person who opens it.
func (d *Desk) OpenCase(ctx context.Context, a Actor, n NewCase) (Ref, error) {
	if err := a.may(access.Work); err != nil {
		return Ref{}, err
	}
	return once(ctx, d, func(tx *store.Tx) (Ref, error) {
		v, err := caseVendor(ctx, tx, n)
		if err != nil {
			return Ref{}, err
		}
		c := store.Case{
			VendorID: v.ID, AssetID: n.Asset, AccountID: n.Account, ContractID: n.Contract, Title: strings.TrimSpace(n.Title), Kind: n.Kind, OwnerID: &a.ID, OpenedBy: a.ID, OpenedAt: d.Now(),
			SeverityChosen: n.Severity, SeverityBecause: n.SeverityReason,
		}
		if c.Title == "" {
			return Ref{}, invalid("title", "a title is needed by which the case is recognised in a list")
		}
		if c.Kind == "" {
			c.Kind = register.Kinds[0]
		}
		c.Facts.V, c.Texts.V, c.Answers.V = n.Facts, n.Texts, n.Answers
		if c.Answers.V == nil {
			c.Answers.V = map[string]string{}
		}
		if wrong := unknownAnswers(v.Profile.V, c.Kind, n.Answers); len(wrong) > 0 {
			return Ref{}, &Invalid{wrong}
		}
		if err := d.attach(ctx, tx, &c); err != nil {
			return Ref{}, err
		}
		c.Severity = d.severityOf(&c)
		if c.Texts.V.Contact == "" {
			c.Texts.V.Contact = a.Reach()
		}
		hide, err := d.hiding(ctx, tx, c.VendorID)
		if err != nil {
			return Ref{}, err
		}
		hideIn(hide, &c)
		if err := tx.InsertCase(ctx, &c); err != nil {
			return Ref{}, err
		}
		err = d.change(ctx, tx, c.ID, &a, func(w *work) error {
			if n.Ticket != "" {
				if err := tx.SetReference(ctx, w.c, "ours", n.Ticket); err != nil {
					return err
				}
			}
			_, err := w.changed(ctx, "Draft begun.", nil)
			return err
		})
		return Ref{ID: c.ID, Number: c.Number, Entry: 1}, err
	})
}

// unknownAnswers says which answers the vendor's form does not ask for.
func unknownAnswers(v register.Vendor, kind string, answers map[string]string) (wrong []Field) {
	var keys []string
	for _, x := range v.Asks(kind) {
		keys = append(keys, x.Key)
	}
	for _, key := range slices.Sorted(maps.Keys(answers)) {
		if slices.Contains(keys, key) {
			continue
		}
		asks := "asks for nothing of its own"
		if len(keys) > 0 {
			asks = "asks for " + strings.Join(keys, ", ")
		}
		wrong = append(wrong, Field{"answers." + key, fmt.Sprintf("the form for a %s %s", kind, asks)})
	}
	return wrong
}

// severityOf is the chosen level, or what the facts support; nil while neither is known.
func (d *Desk) severityOf(c *store.Case) *int {
	if c.SeverityChosen != nil {
		v := *c.SeverityChosen
		return &v
	}
	g, err := d.grade(c.Facts.V)
	if err != nil {
		return nil
	}
	v := int(g.Level)
	return &v
}

// CaseChange changes the head; nil leaves a thing as it is.
type CaseChange struct {
	Title, Kind *string
	// Asset, Account and Contract are changed where they are set, to nothing where
	// they point to nil.
	Asset, Account, Contract **int64
	// Facts and Texts are merge patches (RFC 7396) in the API's names.
	Facts, Texts   json.RawMessage
	Answers        json.RawMessage
	Severity       **int
	SeverityReason *string
	Ticket         *string
	Reference      *string // the vendor's number, where it came after the filing
}

// ChangeCase changes a draft, or the title and ticket of a case that is filed.
// match is the version that the person saw.
func (d *Desk) ChangeCase(ctx context.Context, a Actor, id, match int64, ch CaseChange) error {
	if err := a.may(access.Work); err != nil {
		return err
	}
	_, err := once(ctx, d, func(tx *store.Tx) (Ref, error) {
		return Ref{}, d.change(ctx, tx, id, &a, func(w *work) error {
			if err := w.matches(match); err != nil {
				return err
			}
			return w.changeHead(ctx, ch)
		})
	})
	return err
}

func (w *work) matches(version int64) error {
	if version != w.c.Version {
		return ErrStale
	}
	return nil
}

func (w *work) changeHead(ctx context.Context, ch CaseChange) error {
	c := w.c
	now, err := w.situation(ctx)
	if err != nil {
		return err
	}
	fixed := ""
	switch {
	case c.State != string(casework.Draft):
		fixed = "a case that is " + c.State + " keeps what it was filed with; write a message instead"
	case now.OnItsWay != "":
		fixed = "the filing is on its way; what it says stands"
	}
	var wrong []Field
	draftOnly := func(set bool, field string) {
		if set && fixed != "" {
			wrong = append(wrong, Field{field, fixed})
		}
	}
	draftOnly(ch.Kind != nil, "kind")
	draftOnly(ch.Facts != nil, "facts")
	draftOnly(ch.Texts != nil, "texts")
	draftOnly(ch.Answers != nil, "answers")
	draftOnly(ch.Asset != nil, "asset")
	draftOnly(ch.Account != nil, "account")
	draftOnly(ch.Contract != nil, "contract")
	draftOnly(ch.Severity != nil, "severity")
	draftOnly(ch.SeverityReason != nil, "severity_reason")
	if len(wrong) > 0 {
		return &Invalid{wrong}
	}
	if ch.Title != nil {
		hide, err := w.hiding(ctx)
		if err != nil {
			return err
		}
		title := hide(strings.TrimSpace(*ch.Title))
		ch.Title = &title
	}
	if ch.Title != nil && *ch.Title != c.Title {
		if strings.TrimSpace(*ch.Title) == "" {
			return invalid("title", "a title is needed by which the case is recognised in a list")
		}
		if fixed != "" {
			if _, err := w.changed(ctx, fmt.Sprintf("Title changed from %q to %q.", c.Title, *ch.Title), nil); err != nil {
				return err
			}
		}
		c.Title = *ch.Title
	}
	if ch.Kind != nil {
		c.Kind = *ch.Kind
	}
	if err := merge(&c.Facts.V, ch.Facts); err != nil {
		return invalid("facts", "%s", err)
	}
	if err := merge(&c.Texts.V, ch.Texts); err != nil {
		return invalid("texts", "%s", err)
	}
	if err := w.answer(ctx, ch.Answers); err != nil {
		return err
	}
	if ch.Asset != nil || ch.Account != nil || ch.Contract != nil {
		if err := w.belong(ctx, ch); err != nil {
			return err
		}
	}
	if ch.Severity != nil {
		c.SeverityChosen = *ch.Severity
	}
	if ch.SeverityReason != nil {
		c.SeverityBecause = *ch.SeverityReason
	}
	if fixed == "" {
		c.Severity = w.d.severityOf(c)
	}
	if ch.Reference != nil {
		if err := w.bring(ctx, *ch.Reference); err != nil {
			return err
		}
	}
	if ch.Ticket != nil {
		w.renumbered = true
		return w.tx.SetReference(ctx, c, "ours", strings.TrimSpace(*ch.Ticket))
	}
	return nil
}

// answer merges answers to the vendor's form into those that are there. What the form asked
// for earlier stays until it is taken out.
func (w *work) answer(ctx context.Context, patch json.RawMessage) error {
	if patch == nil {
		return nil
	}
	var given map[string]*string
	if err := json.Unmarshal(patch, &given); err != nil {
		return invalid("answers", "%s", err)
	}
	fresh := map[string]string{}
	for k, v := range given {
		if _, there := w.c.Answers.V[k]; v != nil && !there {
			fresh[k] = *v
		}
	}
	v, err := store.VendorByID(ctx, w.tx, w.c.VendorID)
	if err != nil {
		return err
	}
	if wrong := unknownAnswers(v.Profile.V, w.c.Kind, fresh); len(wrong) > 0 {
		return &Invalid{wrong}
	}
	if err := merge(&w.c.Answers.V, patch); err != nil {
		return invalid("answers", "%s", err)
	}
	return nil
}

// belong changes what a draft is about. What followed from what was there before
// follows anew.
func (w *work) belong(ctx context.Context, ch CaseChange) error {
	c := w.c
	before, err := w.d.belongingsOf(ctx, w.tx, c)
	if err != nil {
		return err
	}
	same := func(a, b *int64) bool { return a == b || a != nil && b != nil && *a == *b }
	if ch.Asset != nil && !same(*ch.Asset, c.AssetID) {
		if before.asset != nil {
			if c.Texts.V.OnWhat == onWhat(before.asset.Facts) {
				c.Texts.V.OnWhat = ""
			}
			if before.asset.AccountID != nil && c.AccountID != nil && *c.AccountID == *before.asset.AccountID {
				c.AccountID = nil
			}
		}
		c.AssetID, c.ContractID = *ch.Asset, nil
	}
	if ch.Account != nil {
		c.AccountID = *ch.Account
	}
	if ch.Contract != nil {
		c.ContractID = *ch.Contract
	}
	return w.d.attach(ctx, w.tx, c)
}

// caseVendor is the vendor that a new case names, or its asset does.
func caseVendor(ctx context.Context, q store.Querier, n NewCase) (store.Vendor, error) {
	if n.Vendor == "" && n.Asset != nil {
		a, err := store.ThingByID[register.Asset](ctx, q, store.Assets, *n.Asset)
		if errors.Is(err, store.ErrNotFound) {
			return store.Vendor{}, invalid("asset", "there is no such asset in the register")
		} else if err != nil {
			return store.Vendor{}, err
		}
		return store.VendorByID(ctx, q, a.VendorID)
	}
	v, err := store.VendorByKey(ctx, q, n.Vendor)
	if errors.Is(err, store.ErrNotFound) {
		err = invalid("vendor", "there is no vendor %q; see the list of vendors", n.Vendor)
	}
	return v, err
}
