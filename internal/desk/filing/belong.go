package filing

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	registerdb "roundhouse.example/internal/store/register"

	"roundhouse.example/internal/core/intake"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/desk"
	registry "roundhouse.example/internal/desk/register"
)

// belongings are what of the register a case is about, complete.
type belongings struct {
	Asset   *registry.Thing[register.Asset]
	Account *registry.Thing[register.Account]
	// under is the case's contract as the register knows it.
	under *registry.Thing[register.Contract]
	// versions and components are those of the asset's product.
	versions, components []string
}

// BelongingsOf reads what of the register a case is about.
func (d *Filing) BelongingsOf(ctx context.Context, q db.Querier, c *casesdb.Case) (b belongings, err error) {
	if b.Asset, err = oneOrNone(ctx, d, q, registry.Assets, c.AssetID); err != nil {
		return b, err
	}
	if b.Account, err = oneOrNone(ctx, d, q, registry.Accounts, c.AccountID); err != nil {
		return b, err
	}
	if b.Asset != nil && b.Asset.ProductID != nil {
		p, err := registry.Products.One(ctx, d.register, q, *b.Asset.ProductID)
		if err != nil {
			return b, err
		}
		b.components = p.Facts.Components
		for _, v := range p.Facts.Versions {
			b.versions = append(b.versions, v.Name)
		}
	}
	if b.under, err = oneOrNone(ctx, d, q, registry.Contracts, c.ContractID); err != nil || b.under == nil {
		return b, err
	}
	if l := b.under.Facts.Allowance; l != nil && l.Unit == "cases" {
		b.under.Opened, err = registerdb.OpenedUnder(ctx, q, b.under.ID)
	}
	return b, err
}

func oneOrNone[T any](ctx context.Context, d *Filing, q db.Querier, k *registry.Kind[T],
	id *int64) (*registry.Thing[T], error) {
	if id == nil {
		return nil, nil
	}
	t, err := k.Brief(ctx, d.register, q, *id)
	return &t, err
}

// Country is where the case plays, as far as the register says.
func (b belongings) Country() string {
	switch {
	case b.Asset != nil && b.Asset.Facts.Country != "":
		return b.Asset.Facts.Country
	case b.Account != nil:
		return b.Account.Facts.Country
	}
	return ""
}

// identifiers are what the vendor asks for first.
func (b belongings) identifiers(contract *registerdb.Contract) (out []intake.Identifier) {
	add := func(label, value string) {
		if value != "" {
			out = append(out, intake.Identifier{Label: label, Value: value})
		}
	}
	if contract != nil {
		add("Contract", contract.Number)
	}
	if b.Account != nil {
		called := cmp.Or(b.Account.Facts.Called, "account")
		add(strings.ToUpper(called[:1])+called[1:], b.Account.Facts.Number)
	}
	if b.Asset != nil {
		a := b.Asset.Facts
		add("Serial", a.Serial)
		add("Resource", a.ResourceID)
		add("Model", a.Model)
		add("Product", strings.TrimSpace(a.Product+" "+a.Version))
		add("System", a.System)
		add("Region", a.Region)
		add("Site", strings.Join(notEmpty(a.Site, strings.ReplaceAll(a.Address, "\n", ", ")), ", "))
		add("At the site", strings.Join(notEmpty(a.SiteContact, a.SitePhone), ", "))
	}
	return out
}

// asked puts what is answered, and what the register knows by itself, to what the vendor asks.
func (b belongings) asked(form []register.FormField, answers map[string]string) (out []intake.Question) {
	known := map[string]string{}
	if b.Asset != nil {
		a := b.Asset.Facts
		known = map[string]string{"asset.serial": a.Serial, "asset.name": a.Name, "asset.model": a.Model,
			"asset.product": a.Product, "asset.version": a.Version, "asset.system": a.System,
			"asset.resource_id": a.ResourceID, "asset.region": a.Region, "asset.site": a.Site, "asset.address": a.Address,
			"asset.site_contact": a.SiteContact, "asset.site_phone": a.SitePhone}
	}
	if b.Account != nil {
		known["account.number"], known["account.name"] = b.Account.Facts.Number, b.Account.Facts.Name
	}
	if b.under != nil {
		known["contract.number"] = b.under.Facts.Number
	}
	for _, x := range form {
		q := intake.Question{Key: x.Key, Label: x.Label, Answer: strings.TrimSpace(answers[x.Key]), Hint: x.Hint,
			Required: x.Required, Weight: x.Weight}
		if q.Answer == "" {
			q.Answer = known[x.From]
		} else {
			q.Problem = x.Wrong(q.Answer)
		}
		if amounts, ok := x.Amounts(q.Answer); ok {
			q.Told = intake.Told(amounts)
		}
		out = append(out, q)
	}
	return out
}

// Choices are what a field can be answered with: of a choice the vendor's own, of a
// region those of the account, of a version or a component those of the asset's product.
// Of the last three others can be written.
func (b belongings) Choices(x register.FormField) []string {
	switch {
	case (x.Type == "region" || x.IsAmounts()) && b.Account != nil:
		return b.Account.Facts.Regions
	case x.Type == "version":
		return b.versions
	case x.Type == "component":
		return b.components
	}
	return x.Choices
}

// Affected is how a draft names an asset until somebody says it otherwise.
func Affected(a register.Asset) string {
	return strings.Join(notEmpty(a.Name, cmp.Or(a.Serial, a.ResourceID)), ", ")
}

func notEmpty(list ...string) (out []string) {
	for _, s := range list {
		if s != "" {
			out = append(out, s)
		}
	}
	return out
}

// doubts are what a careful colleague would say before it goes.
// elsewhere is how many contracts of the vendor's are in force that do not cover the asset.
func (b belongings) doubts(contract *registerdb.Contract, elsewhere int, kind, today string) (out []intake.Need) {
	say := func(field, format string, args ...any) {
		out = append(out, intake.Need{Field: field, Text: fmt.Sprintf(format, args...)})
	}
	despite := func(field, format string, args ...any) {
		say(field, format, args...)
		out[len(out)-1].Despite = true
	}
	if b.Asset != nil {
		a := b.Asset
		switch {
		case a.Cover.State == register.CoveredTwice && contract == nil:
			say("contract", "%s: choose the contract", a.Cover.Words())
			out[len(out)-1].Required = true
		case a.Cover.State != register.Covered && a.Cover.State != register.CoveredTwice:
			despite("asset", "%s: %s", a.Facts.Name, a.Cover.Words())
		}
		if p := a.Facts.Platform; p != nil && p.Supported == "no" {
			say("asset", "The vendor does not support what it runs on (%s)", cmp.Or(p.Source, "as noted"))
		}
		if a.Facts.StartWith != "" {
			say("vendor", "For this asset, go first to %s", a.Facts.StartWith)
		}
	}
	if contract == nil && b.Asset != nil && b.Asset.Cover.State == register.CoveredTwice {
		return out
	}
	if contract == nil && elsewhere > 0 {
		say("contract", "%s with this vendor, but none covers this asset, so there are no targets. Choose a contract, or "+
			"have the asset covered", desk.Count(elsewhere, "contract is in force", "contracts are in force"))
	} else if contract == nil {
		say("contract", "No contract with this vendor is in force, so there are no targets")
	} else if b.under != nil {
		for _, w := range b.under.Warnings {
			say("contract", "Contract %s: %s", contract.Number, w)
		}
		if !contract.InForce(today) {
			despite("contract", "Contract %s is not in force: it runs from %s to %s", contract.Number, b.under.Facts.Starts,
				b.under.Facts.Ends)
		}
		if l := b.under.Facts.Allowance; l != nil && l.Unit == "cases" && b.under.Opened+l.Used >= l.Amount {
			despite("contract", "Contract %s: all %d prepaid cases are used", contract.Number, l.Amount)
		}
		if takes := b.under.Facts.Kinds; len(takes) > 0 && !slices.Contains(takes, kind) {
			despite("kind", "Contract %s does not include this kind of case, only: %s", contract.Number, kindsTaken(takes))
		}
	}
	return out
}

// Attach fills what a case leaves open about what it is under, and refuses what does not belong together. before is the
// contract that it was under, which it keeps where that covers what it is about now; nil for none.
func (d *Filing) Attach(ctx context.Context, q db.Querier, c *casesdb.Case, before *int64) error {
	b, err := d.BelongingsOf(ctx, q, c)
	if errors.Is(err, db.ErrNotFound) {
		return desk.Fault("asset", "there is no such asset, account or contract in the register")
	} else if err != nil {
		return err
	}
	other := func(field, name, vendor string) error {
		return desk.Fault(field, "%s belongs to %s; the case is with another vendor", name, vendor)
	}
	if b.Asset != nil {
		a := b.Asset
		if !c.Concerns(a.VendorID) {
			return other("asset", a.Facts.Name, a.VendorName)
		}
		if c.AccountID == nil && a.AccountID != nil {
			c.AccountID = a.AccountID
			if b.Account, err = oneOrNone(ctx, d, q, registry.Accounts, c.AccountID); err != nil {
				return err
			}
		}
		if c.Texts.V.Affected == "" {
			c.Texts.V.Affected = Affected(a.Facts)
		}
		if c.Facts.V.Environment == "" {
			c.Facts.V.Environment = a.Facts.Environment
		}
	}
	if b.Account != nil && !c.Concerns(b.Account.VendorID) {
		return other("account", b.Account.Facts.Number, b.Account.VendorName)
	}
	if c.ContractID == nil {
		return d.chooseContract(ctx, q, c, b, before)
	}
	if b.under.VendorID != c.VendorID &&
		(b.Asset == nil || b.Asset.ContractID == nil || *b.Asset.ContractID != *c.ContractID) {
		return other("contract", b.under.Facts.Number, b.under.VendorName)
	}
	return nil
}

// chooseContract takes the contract in force that covers the asset, or, without
// an asset, one of the vendor's; of several the one that ends last.
func (d *Filing) chooseContract(ctx context.Context, q db.Querier, c *casesdb.Case, b belongings, before *int64) error {
	var list []registerdb.Contract
	var err error
	if b.Asset != nil {
		list, err = registerdb.ContractsCovering(ctx, q, b.Asset.ID)
	} else {
		list, err = registerdb.ContractsOf(ctx, q, c.VendorID)
	}
	if err != nil {
		return err
	}
	today, err := d.hours.Today(ctx, q)
	if err != nil {
		return err
	}
	if c.MakerID != nil { // the terms are the reseller's
		if list, err = registerdb.ContractsOf(ctx, q, c.VendorID); err != nil {
			return err
		}
	}
	list = slices.DeleteFunc(list, func(k registerdb.Contract) bool { return !k.InForce(today) })
	for _, k := range list {
		if before != nil && k.ID == *before {
			c.ContractID = before
			return nil
		}
	}
	if b.Asset != nil && c.MakerID == nil && len(list) > 1 {
		return nil // covered twice: a person chooses on purpose
	}
	if len(list) > 0 {
		c.ContractID = &list[0].ID
	}
	return nil
}
