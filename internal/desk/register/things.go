package register

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"roundhouse.example/internal/store/db"
	hoursdb "roundhouse.example/internal/store/hours"
	registerdb "roundhouse.example/internal/store/register"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/hours"
)

// Products, Accounts, Assets and Contracts are the kinds of thing in the register.
var (
	Products = &Kind[register.Product]{ThingKind: registerdb.Products, Act: access.Register, check: register.Product.Check,
		vendor: func(p *register.Product) *string { return &p.Vendor }}
	Accounts = &Kind[register.Account]{ThingKind: registerdb.Accounts, Act: access.Register, check: register.Account.Check,
		vendor: func(a *register.Account) *string { return &a.Vendor }}
	Assets = &Kind[register.Asset]{ThingKind: registerdb.Assets, Act: access.Register, check: register.Asset.Check,
		vendor: func(a *register.Asset) *string {
			return &a.Vendor
		}, resolve: resolveAsset, complete: completeAssets, told: toldAssets}
	Contracts = &Kind[register.Contract]{ThingKind: registerdb.Contracts, Act: access.Contracts,
		check: register.Contract.Check,
		vendor: func(c *register.Contract) *string {
			return &c.Vendor
		}, resolve: resolveContract, After: afterContract, told: toldContracts,
		complete: completeContracts, details: contractDetails, Touches: contractTouches}
)

func resolveAsset(ctx context.Context, l *Lookup, row *registerdb.Thing[register.Asset],
	a *register.Asset) ([]desk.Field, error) {
	var wrong []desk.Field
	version, product, region, account := a.Version, a.Product, a.Region, a.Account
	for _, x := range []struct {
		kind  registerdb.ThingKind
		field string
		name  *string
		to    **int64
	}{{registerdb.Products, "product", &a.Product, &row.ProductID},
		{registerdb.Accounts, "account", &a.Account, &row.AccountID},
		{registerdb.Contracts, "contract", &a.Contract, &row.ContractID}} {
		fields, err := l.named(ctx, x.kind, row.VendorID, x.field, x.name, x.to)
		if err != nil {
			return nil, err
		}
		wrong = append(wrong, fields...)
	}
	if row.ProductID != nil && version != "" {
		p, err := l.product(ctx, *row.ProductID)
		if err != nil {
			return nil, err
		}
		if vs := p.Versions; len(vs) > 0 && !slices.ContainsFunc(vs, func(v register.Version) bool {
			return v.Name == version
		}) {
			wrong = append(wrong, desk.Field{Name: "version",
				Detail: fmt.Sprintf("%s has no version %.40q in the register; it has %s", product, version, versionNames(vs))})
		}
	}
	if row.AccountID != nil && region != "" {
		o, err := l.account(ctx, *row.AccountID)
		if err != nil {
			return nil, err
		}
		if rs := o.Regions; len(rs) > 0 && !slices.Contains(rs, region) {
			wrong = append(wrong, desk.Field{Name: "region",
				Detail: fmt.Sprintf("account %s has no region %.40q; it has %s", account, region,
					strings.Join(rs, ", "))})
		}
	}
	return wrong, nil
}

func versionNames(vs []register.Version) (s string) {
	for i, v := range vs {
		if i > 0 {
			s += ", "
		}
		s += v.Name
	}
	return s
}

func completeAssets(ctx context.Context, q db.Querier, list []Thing[register.Asset], today string) error {
	ids := make([]int64, len(list))
	for i, t := range list {
		ids[i] = t.ID
	}
	stretches, err := registerdb.Stretches(ctx, q, ids)
	if err != nil {
		return err
	}
	for i := range list {
		t := &list[i]
		t.Facts.Product, t.Facts.Account, t.Facts.Contract = desk.Deref(t.Product), desk.Deref(t.Account),
			desk.Deref(t.Contract)
		t.Cover = register.CoverOf(stretches[t.ID], today)
		t.NumberFound = cmp.Or(t.Facts.NumberFound, desk.Deref(t.ProductNumberFound))
	}
	return nil
}

func resolveContract(ctx context.Context, l *Lookup, row *registerdb.Thing[register.Contract],
	c *register.Contract) ([]desk.Field, error) {
	var wrong []desk.Field
	row.CoversProducts, row.CoversAccounts = nil, nil
	for _, x := range []struct {
		kind  registerdb.ThingKind
		field string
		names []string
		to    *[]int64
	}{{registerdb.Products, "products", c.Products, &row.CoversProducts},
		{registerdb.Accounts, "accounts", c.Accounts, &row.CoversAccounts}} {
		for i, n := range x.names {
			var id *int64
			fields, err := l.named(ctx, x.kind, row.VendorID, fmt.Sprintf("%s[%d]", x.field, i), &n, &id)
			if err != nil {
				return nil, err
			}
			wrong = append(wrong, fields...)
			if id != nil {
				*x.to = append(*x.to, *id)
			}
		}
	}
	levels, calendars, err := l.scheme(ctx, row.VendorID)
	if err != nil {
		return nil, err
	}
	for i, t := range c.Terms {
		if t.Level > levels {
			wrong = append(wrong, desk.Field{Name: fmt.Sprintf("terms[%d].level", i),
				Detail: fmt.Sprintf("the vendor has no level %d", t.Level)})
		}
	}
	wrong = append(wrong, hours.UnknownCalendars(c.Terms, calendars)...)
	date := func(s string) *time.Time {
		at, err := time.Parse(time.DateOnly, s)
		if err != nil {
			return nil
		}
		return &at
	}
	row.Starts, row.Ends, row.Notice = date(c.Starts), date(c.Ends), date(c.Notice)
	c.Products, c.Accounts, c.Terms, c.OnChange, c.WhileOurs, c.Starts, c.Ends, c.Notice = nil, nil, nil, "", "", "", "",
		""
	return wrong, nil
}

// afterContract writes what it covers, and a version of its terms where they changed.
func afterContract(ctx context.Context, d *Register, l *Lookup, row *registerdb.Thing[register.Contract],
	c register.Contract) error {
	if err := registerdb.SetCovers(ctx, l.Tx, row.ID, row.CoversProducts, row.CoversAccounts); err != nil {
		return err
	}
	version, promises, err := l.termsOf(ctx, row.ID)
	if err != nil {
		return err
	}
	onChange, whileOurs := cmp.Or(c.OnChange, "restart-if-raised"), cmp.Or(c.WhileOurs, "pause")
	if version.ID != 0 && version.OnChange == onChange && version.WhileOurs == whileOurs {
		g, err := d.hours.Compiled(ctx, l.Tx)
		if err != nil {
			return err
		}
		before, err := d.hours.TermsFrom(ctx, l.Tx, g, promises)
		if err != nil || slices.Equal(before, hours.SortedTerms(c.Terms)) {
			return err
		}
	}
	next := hoursdb.Terms{ContractID: &row.ID, Version: version.Version + 1, OnChange: onChange, WhileOurs: whileOurs,
		MadeAt: d.Now()}
	_, calendars, err := l.scheme(ctx, row.VendorID)
	if err != nil {
		return err
	}
	return hoursdb.AddTerms(ctx, l.Tx, &next, hours.TermRows(c.Terms, calendars))
}

func completeContracts(ctx context.Context, q db.Querier, list []Thing[register.Contract], today string) error {
	ids := make([]int64, len(list))
	at := map[int64]*Thing[register.Contract]{}
	for i := range list {
		ids[i], at[list[i].ID] = list[i].ID, &list[i]
	}
	covers, err := registerdb.CoveredBy(ctx, q, ids)
	if err != nil {
		return err
	}
	for _, c := range covers {
		f := &at[c.ContractID].Facts
		if c.Product != nil {
			f.Products = append(f.Products, *c.Product)
		} else if c.Account != nil {
			f.Accounts = append(f.Accounts, *c.Account)
		}
	}
	for i := range list {
		t := &list[i]
		t.Facts.Starts, t.Facts.Ends = t.Starts.Format(time.DateOnly), t.Ends.Format(time.DateOnly)
		if t.Notice != nil {
			t.Facts.Notice = t.Notice.Format(time.DateOnly)
		}
		t.Warnings, t.Within = t.Facts.Warnings(today)
		t.DaysLeft = register.Days(today, t.Facts.Ends)
	}
	return nil
}

func contractDetails(ctx context.Context, d *Register, q db.Querier, t *Thing[register.Contract]) error {
	if err := contractTerms(ctx, d, q, []*Thing[register.Contract]{t}); err != nil {
		return err
	}
	return doubtTerms(ctx, d, q, t)
}

// doubtTerms asks whether business days were meant, where a promise counts days in hours
// that are not round the clock.
func doubtTerms(ctx context.Context, d *Register, q db.Querier, t *Thing[register.Contract]) error {
	g, err := d.hours.Compiled(ctx, q)
	if err != nil {
		return err
	}
	calendars, err := hoursdb.CalendarNames(ctx, q, t.VendorID)
	if err != nil {
		return err
	}
	for _, x := range t.Facts.Terms {
		target, err := calendar.ParseTarget(x.Target)
		if err != nil || calendars[x.Calendar] == 0 {
			continue
		}
		cal, err := g.Calendar(ctx, q, calendars[x.Calendar])
		if err != nil {
			return err
		}
		if words := target.Warning(cal.Latest()); words != "" {
			t.Doubts = append(t.Doubts, fmt.Sprintf("%s at level %d: %s", x.Deadline, x.Level, words))
		}
	}
	return nil
}

// contractTerms puts into contracts what they promise, asked for all of them at once.
func contractTerms(ctx context.Context, d *Register, q db.Querier, list []*Thing[register.Contract]) error {
	ids := make([]int64, len(list))
	for i, t := range list {
		ids[i] = t.ID
	}
	versions, promises, err := hours.CurrentTerms(ctx, q, ids)
	if err != nil {
		return err
	}
	g, err := d.hours.Compiled(ctx, q)
	if err != nil {
		return err
	}
	for _, t := range list {
		v := versions[t.ID]
		if t.Facts.Terms, err = d.hours.TermsFrom(ctx, q, g, promises[v.ID]); err != nil {
			return err
		}
		t.Facts.OnChange, t.Facts.WhileOurs = v.OnChange, v.WhileOurs
	}
	return nil
}

// contractTouches says which live cases a change of targets or dates affects.
func contractTouches(ctx context.Context, d *Register, q db.Querier, before Thing[register.Contract],
	c register.Contract) (string, error) {
	b := before.Facts
	promises := !slices.Equal(b.Terms, hours.SortedTerms(c.Terms)) ||
		cmp.Or(c.OnChange, "restart-if-raised") != b.OnChange ||
		cmp.Or(c.WhileOurs, "pause") != b.WhileOurs
	dates := b.Starts != c.Starts || b.Ends != c.Ends
	if !promises && !dates {
		return "", nil
	}
	n, err := registerdb.CasesUnder(ctx, q, before.ID)
	if err != nil || n.Live+n.Drafts == 0 {
		return "", err
	}
	var words []string
	if n.Live > 0 {
		words = append(words, desk.Count(n.Live, "live case keeps the targets it was",
			"live cases keep the targets they were")+
			" filed with until reopened")
	}
	if n.Drafts > 0 {
		words = append(words, desk.Count(n.Drafts, "draft", "drafts")+" will be filed with the new targets")
	}
	return fmt.Sprintf("This affects cases under this contract: %s. Confirm to apply it anyway.",
		strings.Join(words, ", and ")), nil
}
