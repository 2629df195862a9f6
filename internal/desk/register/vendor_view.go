package register

import (
	"cmp"
	"context"
	"slices"
	"time"

	casesdb "roundhouse.example/internal/store/cases"
	hoursdb "roundhouse.example/internal/store/hours"
	inboxdb "roundhouse.example/internal/store/inbox"
	registerdb "roundhouse.example/internal/store/register"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/hours"
)

// VendorView is a vendor with how it stands now.
type VendorView struct {
	registerdb.Vendor
	Open      bool
	Until     *time.Time
	Live      int
	Levels    []registerdb.Level
	Contracts []ContractView
	Hours     []hoursdb.CalendarVersion
	Links     []LinkView
	// Facts are what is known of it; nil in a list.
	Facts *register.Vendor
	// Waits are what was promised and what it took in the last year; of one vendor alone.
	Waits []Wait
}

// LinkView is a link that serves a vendor, and how it stands with it.
type LinkView struct {
	inboxdb.VendorLink
	NotPlaced int // its events that could not be taken in
}

// Wait is how long a vendor took beside what was promised.
type Wait = casesdb.Wait

// ContractView is a contract with its promises in force.
type ContractView struct {
	registerdb.Contract
	Terms hoursdb.Terms
	Rows  []hoursdb.Term
	Names map[int64]string // calendars by id
}

// Vendors are all of them; brief leaves out what stands in other tables.
func (d *Register) Vendors(ctx context.Context, a desk.Actor, brief bool) ([]VendorView, error) {
	if err := a.May(access.Read); err != nil {
		return nil, err
	}
	rows, err := registerdb.Vendors(ctx, d.db.DB)
	if err != nil {
		return nil, err
	}
	if brief {
		out := make([]VendorView, len(rows))
		for i, v := range rows {
			out[i].Vendor = v
		}
		return out, nil
	}
	return d.vendorViews(ctx, rows)
}

// Vendor is one, by key or name, with its facts.
func (d *Register) Vendor(ctx context.Context, a desk.Actor, key string) (VendorView, error) {
	if err := a.May(access.Read); err != nil {
		return VendorView{}, err
	}
	v, err := registerdb.VendorByKey(ctx, d.db.DB, key)
	if err != nil {
		return VendorView{}, err
	}
	list, err := d.vendorViews(ctx, []registerdb.Vendor{v})
	if err != nil {
		return VendorView{}, err
	}
	out := list[0]
	facts, err := d.factsWith(ctx, d.db.DB, v, out.Levels)
	if err != nil {
		return VendorView{}, err
	}
	out.Facts = &facts
	if out.Waits, err = casesdb.Waits(ctx, d.db.DB, v.ID, d.Now().AddDate(-1, 0, 0)); err != nil {
		return VendorView{}, err
	}
	for i := range out.Links {
		if out.Links[i].NotPlaced, err = inboxdb.CountFailed(ctx, d.db.DB, out.Links[i].ID); err != nil {
			return VendorView{}, err
		}
	}
	return out, nil
}

// vendorViews completes vendors, each kind of thing asked for once for all of them.
func (d *Register) vendorViews(ctx context.Context, rows []registerdb.Vendor) ([]VendorView, error) {
	q := d.db.DB
	g, err := d.hours.Compiled(ctx, q)
	if err != nil {
		return nil, err
	}
	out := make([]VendorView, len(rows))
	at := map[int64]*VendorView{}
	ids := make([]int64, len(rows))
	counts, err := casesdb.LiveCounts(ctx, q)
	if err != nil {
		return nil, err
	}
	for i, v := range rows {
		out[i] = VendorView{Vendor: v, Live: counts[v.ID]}
		at[v.ID], ids[i] = &out[i], v.ID
		if out[i].Open, out[i].Until, err = d.hours.OpenNow(ctx, q, g, v); err != nil {
			return nil, err
		}
	}
	levels, err := registerdb.LevelsOf(ctx, q, ids)
	if err != nil {
		return nil, err
	}
	for _, l := range levels {
		at[l.VendorID].Levels = append(at[l.VendorID].Levels, l)
	}
	links, err := inboxdb.LinksOf(ctx, q, ids...)
	if err != nil {
		return nil, err
	}
	for _, l := range links {
		at[l.VendorID].Links = append(at[l.VendorID].Links, LinkView{VendorLink: l})
	}
	if err := d.vendorContracts(ctx, g, ids, at); err != nil {
		return nil, err
	}
	return out, d.vendorHours(ctx, out)
}

// vendorContracts gives vendors their contracts with the promises in force.
func (d *Register) vendorContracts(ctx context.Context, g *hours.Compiled, vendors []int64,
	at map[int64]*VendorView) error {
	q := d.db.DB
	contracts, err := registerdb.ContractsOfAll(ctx, q, vendors)
	if err != nil {
		return err
	}
	ids := make([]int64, len(contracts))
	for i, k := range contracts {
		ids[i] = k.ID
	}
	terms, promises, err := hours.CurrentTerms(ctx, q, ids)
	if err != nil {
		return err
	}
	for _, k := range contracts {
		kv := ContractView{Contract: k, Terms: terms[k.ID], Names: map[int64]string{}}
		kv.Rows = promises[kv.Terms.ID]
		for _, r := range kv.Rows {
			if r.CalendarID == nil {
				continue
			}
			cal, err := g.Calendar(ctx, q, *r.CalendarID)
			if err != nil {
				return err
			}
			kv.Names[*r.CalendarID] = cal.Name
		}
		at[k.VendorID].Contracts = append(at[k.VendorID].Contracts, kv)
	}
	return nil
}

// vendorHours gives vendors the calendars that they count in, each as it counts today where it is.
func (d *Register) vendorHours(ctx context.Context, list []VendorView) error {
	var all []int64
	for i := range list {
		all = append(all, list[i].calendars()...)
	}
	slices.Sort(all)
	versions, err := hoursdb.CalendarVersions(ctx, d.db.DB, slices.Compact(all))
	if err != nil {
		return err
	}
	today := map[int64]hoursdb.CalendarVersion{}
	for _, x := range versions { // in the order in which they count
		_, first := today[x.CalendarID]
		loc, err := time.LoadLocation(cmp.Or(x.Definition.V.Zone, "UTC"))
		if err != nil {
			return err
		}
		if !first || x.CountsFrom.Format(time.DateOnly) <= d.Now().In(loc).Format(time.DateOnly) {
			today[x.CalendarID] = x
		}
	}
	for i := range list {
		for _, id := range list[i].calendars() {
			list[i].Hours = append(list[i].Hours, today[id])
		}
	}
	return nil
}

// calendars are those that the vendor's hours and promises count in, each once.
func (v *VendorView) calendars() []int64 {
	ids := []int64{v.HoursID}
	for _, k := range v.Contracts {
		for id := range k.Names {
			ids = append(ids, id)
		}
	}
	slices.Sort(ids)
	return slices.Compact(ids)
}
