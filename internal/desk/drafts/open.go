package drafts

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/casework"
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
	// Maker is the vendor behind the reseller with which the case is, by key.
	Maker string
	// Unsorted names what the desk does not have; GoOn is why one goes on although something speaks against it.
	Unsorted casesdb.Unsorted
	GoOn     string
	// Like is a case by number or reference that is like this one: what is left out is taken from it.
	Like string
	// Follows is a case that its vendor no longer reopens: the new one is like it, and refers to it.
	Follows string
}

// Open makes a draft that belongs to the person who opens it.
func (d *Drafts) Open(ctx context.Context, a desk.Actor, n Draft) (desk.Ref, error) {
	if err := a.May(access.Work); err != nil {
		return desk.Ref{}, err
	}
	return desk.Once(ctx, d.Desk, func(tx *db.Tx) (desk.Ref, error) {
		before := n.Follows
		n.Like = cmp.Or(n.Like, before)
		if err := d.likeness(ctx, tx, a, &n); err != nil {
			return desk.Ref{}, err
		}
		first, sets := "Draft opened.", &casesdb.Sets{Owner: &a.ID}
		if before != "" {
			var err error
			if first, err = d.following(ctx, tx, &n, sets); err != nil {
				return desk.Ref{}, err
			}
		}
		return d.open(ctx, tx, a, n, first, sets)
	})
}

// open writes a new draft, whose record begins with a line that sets something.
func (d *Drafts) open(ctx context.Context, tx *db.Tx, a desk.Actor, n Draft, first string,
	sets *casesdb.Sets) (desk.Ref, error) {
	v, maker, err := d.caseVendor(ctx, tx, n)
	if err != nil {
		return desk.Ref{}, err
	}
	c := casesdb.Case{
		MakerID: maker, GoOnBecause: n.GoOn, Unsorted: db.JSON[casesdb.Unsorted]{V: n.Unsorted},
		VendorID: v.ID, AssetID: n.Asset, AccountID: n.Account, ContractID: n.Contract, Title: strings.TrimSpace(n.Title),
		Kind: n.Kind, OwnerID: sets.Owner, OpenedBy: a.ID, OpenedAt: d.Now(),
		SeverityChosen: n.Severity, SeverityBecause: n.SeverityReason,
	}
	if err := onlyAccount(ctx, tx, &c); err != nil {
		return desk.Ref{}, err
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
	if err := d.filing.Attach(ctx, tx, &c, nil); err != nil {
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
		if sets.Numbers != nil {
			if err := casesdb.SetOtherReferences(ctx, tx, w.Case, *sets.Numbers); err != nil {
				return err
			}
		}
		_, err := w.Changed(ctx, first, &casesdb.Effect{Sets: sets})
		return err
	})
	return desk.Ref{ID: c.ID, Number: c.Number, Entry: 1}, err
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

// caseVendor is the vendor that a new case names, or its asset does; where the asset's vendor is reached through a
// reseller, that, with the maker behind it.
func (d *Drafts) caseVendor(ctx context.Context, tx *db.Tx, n Draft) (v registerdb.Vendor, maker *int64, err error) {
	switch {
	case n.Vendor == "" && n.Asset != nil:
		a, err := registerdb.ThingByID[register.Asset](ctx, tx, registerdb.Assets, *n.Asset)
		if errors.Is(err, db.ErrNotFound) {
			return v, nil, desk.Fault("asset", "there is no such asset in the register")
		} else if err != nil {
			return v, nil, err
		}
		if v, err = registerdb.VendorByID(ctx, tx, a.VendorID); err != nil {
			return v, nil, err
		}
		p := v.Profile.V
		if p.Through == "" || p.DirectAllowed {
			return v, nil, nil
		}
		through, err := registerdb.VendorByKey(ctx, tx, p.Through)
		if errors.Is(err, db.ErrNotFound) {
			return v, nil, nil
		}
		id := v.ID
		return through, &id, err
	case n.Vendor == "" && n.Unsorted.Vendor != "":
		v, err = d.filing.Placeholder(ctx, tx)
		return v, nil, err
	}
	if v, err = vendorNamed(ctx, tx, n.Vendor); err == nil {
		maker, err = makerOf(ctx, tx, v, n.Maker, n.Asset)
	}
	return v, maker, err
}

func vendorNamed(ctx context.Context, q db.Querier, name string) (registerdb.Vendor, error) {
	v, err := registerdb.VendorByKey(ctx, q, name)
	if errors.Is(err, db.ErrNotFound) {
		err = desk.Fault("vendor", "there is no vendor %q; the list of vendors shows them", name)
	}
	return v, err
}

// makerOf is the maker behind a vendor: the one that is named, or the asset's where that is reached through the vendor.
func makerOf(ctx context.Context, q db.Querier, v registerdb.Vendor, named string, asset *int64) (*int64, error) {
	var maker registerdb.Vendor
	var err error
	switch {
	case named != "":
		maker, err = registerdb.VendorByKey(ctx, q, named)
		if errors.Is(err, db.ErrNotFound) {
			return nil, desk.Fault("maker", "there is no vendor %q; the list of vendors shows them", named)
		}
		if err == nil && maker.Profile.V.Through != v.Key {
			return nil, desk.Fault("maker", "%s is not reached through %s: change that at the vendor first", maker.Name,
				v.Name)
		}
	case asset != nil:
		a, err := registerdb.ThingByID[register.Asset](ctx, q, registerdb.Assets, *asset)
		if errors.Is(err, db.ErrNotFound) {
			return nil, desk.Fault("asset", "there is no such asset in the register")
		} else if err != nil || a.VendorID == v.ID {
			return nil, err
		}
		if maker, err = registerdb.VendorByID(ctx, q, a.VendorID); err == nil && maker.Profile.V.Through != v.Key {
			return nil, nil
		}
	default:
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	return &maker.ID, nil
}

// likeness takes what a new case leaves out from the one that it is like: what it is about, how we are reached, what
// is true of both; not when it began, nor what was tried.
func (d *Drafts) likeness(ctx context.Context, tx *db.Tx, a desk.Actor, n *Draft) error {
	if n.Like == "" {
		return nil
	}
	var c casesdb.Case
	id, err := casesdb.Find(ctx, tx, n.Like)
	if err == nil {
		c, err = casesdb.ByID(ctx, tx, id)
	}
	if errors.Is(err, db.ErrNotFound) || err == nil && !a.Grant().SeesVendor(c.VendorID) {
		return desk.Fault("like", "there is no case %.60q", n.Like)
	} else if err != nil {
		return err
	}
	v, err := registerdb.VendorByID(ctx, tx, c.VendorID)
	if err != nil {
		return err
	}
	if n.Vendor == "" && n.Asset == nil {
		n.Asset, n.Account, n.Contract = c.AssetID, cmp.Or(n.Account, c.AccountID), cmp.Or(n.Contract, c.ContractID)
		if n.Vendor = v.Key; v.Placeholder {
			n.Vendor, n.Unsorted = "", c.Unsorted.V
		}
		if c.MakerID != nil && n.Maker == "" {
			maker, err := registerdb.VendorByID(ctx, tx, *c.MakerID)
			if err != nil {
				return err
			}
			n.Maker = maker.Key
		}
	}
	n.Title, n.Kind = cmp.Or(n.Title, c.Title), cmp.Or(n.Kind, c.Kind)
	if n.Facts == (casesdb.Facts{}) {
		f := c.Facts.V
		n.Facts = casesdb.Facts{Environment: f.Environment, Effect: f.Effect, Reach: f.Reach, Workaround: f.Workaround}
	}
	from := c.Texts.V
	from.Since, from.Often, from.Tried, from.CallFrom, from.CallUntil = "", "", "", "", ""
	given := n.Texts.ByName()
	for k, v := range from.ByName() {
		if *given[k] == "" {
			*given[k] = *v
		}
	}
	if n.Answers == nil {
		n.Answers = stillAsked(v.Profile.V, n.Kind, c.Answers.V)
	}
	return nil
}

// following lets a new case refer to the one that it follows: in what the vendor reads, and by its number there, which
// finds both. It gives the first line of its record.
func (d *Drafts) following(ctx context.Context, tx *db.Tx, n *Draft, sets *casesdb.Sets) (string, error) {
	id, err := casesdb.Find(ctx, tx, n.Follows)
	if err != nil {
		return "", err
	}
	c, err := casesdb.ByID(ctx, tx, id)
	if err != nil {
		return "", err
	}
	name := casework.Name(c.Number)
	if c.State.Live() || c.State == casework.Draft {
		return "", desk.Fault("follows", "%s has not ended: continue it instead", name)
	}
	refs, err := casesdb.References(ctx, tx, []int64{id})
	if err != nil {
		return "", err
	}
	called := "our case " + name
	for _, r := range refs {
		if r.Whose == string(casework.Vendors) {
			called = "your case " + r.Value + " (ours: " + name + ")"
			sets.Numbers = &[]casework.Reference{{Owner: casework.Vendors, Role: casework.Former, Value: r.Value}}
		}
	}
	again := "This follows " + called
	if c.EndedAt != nil {
		again += ", which ended on " + c.EndedAt.UTC().Format("2 January 2006")
	}
	n.Texts.Happened = strings.TrimSpace(again + ". It has come back.\n\n" + n.Texts.Happened)
	return "Draft opened; it follows " + name + ".", nil
}

// stillAsked are those of a case's answers that a vendor's form asks for now.
func stillAsked(v register.Vendor, kind string, answers map[string]string) map[string]string {
	out := map[string]string{}
	for _, x := range v.Asks(kind) {
		if s := answers[x.Key]; s != "" {
			out[x.Key] = s
		}
	}
	return out
}
