package desk

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/attention"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/intake"
	"roundhouse.example/internal/core/severity"
	"roundhouse.example/internal/store"
)

// CaseView is everything a case's page shows besides the record.
type CaseView struct {
	Line       CaseLine
	Filing     filing
	References []store.Reference
	Allowed    []casework.Step
	Needs      []intake.Need
	Deadlines  []DeadlineView
	Deliveries []store.Delivery
	Carried    map[int64]Carried // of the deliveries that a person takes there
	Routes     []string          // channels by which it can go, the usual one first
	Attested   []store.Attested
	Level      *store.Level
	Contract   *store.Contract
	Supported  *severity.Grade
	Warning    string
	Next       *attention.Line
	Zone       string
	VendorOpen bool
	VendorTill *time.Time
	Preview    string
	Asked      []Question
}

// Question is one field of the vendor's form, with its answer.
type Question struct {
	intake.Question
	Type    string
	Choices []string
	Given   bool // by a person, not by the register
}

// DeadlineView is one clock explained.
type DeadlineView struct {
	deadline.Row
	Calendar string
	Label    string // the vendor's level in its own word
	Late     int64  // covered seconds after the due
	Segments []SegmentView
	Words    string
}

// SegmentView is a stretch with the covered seconds in it.
type SegmentView struct {
	deadline.Segment
	Covered int64
}

// Find names a case by its number or any reference.
func (d *Desk) Find(ctx context.Context, name string) (int64, error) {
	return store.FindCase(ctx, d.Store.DB, name)
}

// Case is a case whole.
func (d *Desk) Case(ctx context.Context, a Actor, id int64) (CaseView, error) {
	var v CaseView
	if err := a.may(access.Read); err != nil {
		return v, err
	}
	q := d.Store.DB
	row, err := store.CaseRowByID(ctx, q, id)
	if err != nil {
		return v, err
	}
	g, err := d.compiled.fresh(ctx, q)
	if err != nil {
		return v, err
	}
	live, err := d.liveOf(ctx, g, []store.CaseRow{row})
	if err != nil {
		return v, err
	}
	now := d.Now()
	v.Line = d.line(row, live, now.Unix())
	c := &row.Case
	if v.Filing, err = d.prepare(ctx, q, c); err != nil {
		return v, err
	}
	v.Level, v.Contract, v.Attested = v.Filing.level, v.Filing.contract, v.Filing.attested
	if v.Filing.gradeErr == nil {
		v.Supported = &v.Filing.grade
		if c.Severity != nil {
			v.Warning = severity.Override(v.Filing.grade.Level, severity.Level(*c.Severity))
		}
	}
	if c.State == string(casework.Draft) {
		for i, x := range v.Filing.vendor.Profile.V.Asks(c.Kind) {
			v.Asked = append(v.Asked, Question{v.Filing.story.Asked[i], x.Type, v.Filing.choices(x), c.Answers.V[x.Key] != ""})
		}
		v.Needs, v.Preview = intake.Missing(v.Filing.story), intake.Compose(v.Filing.story)
	}
	if v.References, err = store.References(ctx, q, []int64{id}); err != nil {
		return v, err
	}
	if v.Deliveries, err = store.OpenDeliveries(ctx, q, []int64{id}); err != nil {
		return v, err
	}
	if v.Carried, err = d.carried(ctx, c, v.Filing.vendor, v.Deliveries, v.Line.Reference); err != nil {
		return v, err
	}
	if v.Routes = v.Filing.routes(); c.State != string(casework.Draft) {
		sent, err := store.Deliveries(ctx, q, id)
		if err != nil {
			return v, err
		}
		v.Routes = ways(v.Filing.vendor, v.Filing.link != nil, v.References, sent)
	}
	if access.May(a.Role, access.Work) {
		v.Allowed = casework.Allowed(situationOf(c, v.Deliveries))
	}
	if v.Deadlines, err = d.Deadlines(ctx, id, now); err != nil {
		return v, err
	}
	p, err := g.policy(ctx, q, 0)
	if err != nil {
		return v, err
	}
	v.Zone = p.hours.Latest().Location().String()
	if v.Next, err = d.lineAt(ctx, q, g, pressingOf(c), p.hours.At(now.Unix()), now); err != nil {
		return v, err
	}
	v.VendorOpen, v.VendorTill, err = d.hours(ctx, g, v.Filing.vendor)
	return v, err
}

// pressingOf is what Today asks of a case's row.
func pressingOf(c *store.Case) store.Pressing {
	return store.Pressing{ID: c.ID, Number: c.Number, State: c.State, Severity: c.Severity, OwnerID: c.OwnerID, Unread: c.Unread, UnreadSince: c.UnreadSince,
		VendorClosedAt: c.VendorClosedAt, Parked: c.Parked, ParkedUntil: c.ParkedUntil, NextAt: c.NextAt, Asks: true}
}

func (d *Desk) hours(ctx context.Context, g *generation, vendor store.Vendor) (open bool, till *time.Time, err error) {
	cal, err := g.calendar(ctx, d.Store.DB, vendor.HoursID)
	if err != nil {
		return false, nil, err
	}
	now := d.Now().Unix()
	open, at, known := cal.At(now).Open(now)
	if known {
		till = instantPtr(at)
	}
	return open, till, nil
}

// Deadlines replays a case at an instant and explains every clock of it.
func (d *Desk) Deadlines(ctx context.Context, id int64, asOf time.Time) ([]DeadlineView, error) {
	q := d.Store.DB
	history, err := d.history(ctx, q, id)
	if err != nil {
		return nil, err
	}
	c, err := store.CaseByID(ctx, q, id)
	if err != nil {
		return nil, err
	}
	levels, err := store.Levels(ctx, q, c.VendorID)
	if err != nil {
		return nil, err
	}
	at := asOf.Unix()
	var out []DeadlineView
	for _, r := range deadline.Replay(history, at).Rows(at) {
		hours := r.Clock.Hours(at)
		v := DeadlineView{Row: r, Calendar: r.Clock.Term.Calendar.Name}
		for _, l := range levels {
			if !r.Clock.Kind.Ours() && l.Rank == r.Clock.Rank {
				v.Label = l.Label
			}
		}
		if r.Clock.Kind.Ours() {
			v.Label = severity.Level(r.Clock.Rank).String()
		}
		if r.DueKnown && r.CountedTo > r.Due {
			v.Late = hours.Span(r.Due, r.CountedTo)
		}
		for _, s := range r.Clock.Segments {
			s.To = min(s.To, r.CountedTo)
			if s.To <= s.From {
				continue
			}
			v.Segments = append(v.Segments, SegmentView{s, hours.Span(s.From, s.To)})
		}
		v.Words = v.explain()
		out = append(out, v)
	}
	return out, nil
}

// explain says a clock in one sentence.
func (v *DeadlineView) explain() string {
	c := v.Clock
	who := "They owe"
	if c.Kind.Ours() {
		who = "We owe"
	}
	var b strings.Builder
	fmt.Fprintf(&b, "%s this within %s of %s at %s: %s counted of %s", who, c.Term.Target, v.Calendar, v.Label, attention.Span(v.Counted), attention.Span(c.Seconds))
	paused := 0
	for _, s := range v.Segments {
		if !s.Counted {
			paused++
		}
	}
	if paused > 0 {
		fmt.Fprintf(&b, ", %s left out", map[bool]string{true: "one pause", false: fmt.Sprintf("%d pauses", paused)}[paused == 1])
	}
	switch v.Standing {
	case deadline.Late, deadline.StandsMetLate, deadline.StandsMissed:
		fmt.Fprintf(&b, "; %s late", attention.Span(v.Late))
	case deadline.Paused:
		b.WriteString("; it waits")
	}
	return b.String() + "."
}

// EntryView is a line of the record with how its sending stands.
type EntryView struct {
	store.Entry
	Delivery *store.Delivery
}

// Entries is a part of the record in order of number.
func (d *Desk) Entries(ctx context.Context, a Actor, id int64, after, limit int) (out []EntryView, more bool, err error) {
	if err := a.may(access.Read); err != nil {
		return nil, false, err
	}
	rows, err := store.Entries(ctx, d.Store.DB, id, after, limit+1)
	if err != nil {
		return nil, false, err
	}
	if more = len(rows) > limit; more {
		rows = rows[:limit]
	}
	deliveries, err := store.Deliveries(ctx, d.Store.DB, id)
	if err != nil {
		return nil, false, err
	}
	byEntry := map[int]*store.Delivery{}
	for i := range deliveries {
		byEntry[deliveries[i].EntryNumber] = &deliveries[i]
	}
	for _, e := range rows {
		out = append(out, EntryView{e, byEntry[e.Number]})
	}
	return out, more, nil
}

// Entry is one line of the record.
func (d *Desk) Entry(ctx context.Context, id int64, number int) (EntryView, error) {
	rows, _, err := d.Entries(ctx, Actor{store.Person{Role: "auditor"}}, id, number-1, 1)
	if err == nil && len(rows) == 0 {
		err = store.ErrNotFound
	}
	if err != nil {
		return EntryView{}, err
	}
	return rows[0], nil
}

// VendorView is a vendor with how it stands now.
type VendorView struct {
	store.Vendor
	Open      bool
	Until     *time.Time
	Live      int
	Levels    []store.Level
	Contracts []ContractView
	Hours     []store.CalendarVersion
	Link      *store.Link
	NotPlaced int // events of the link that could not be taken in
}

// ContractView is a contract with its promises in force.
type ContractView struct {
	store.Contract
	Terms store.Terms
	Rows  []store.Term
	Names map[int64]string // calendars by id
}

// Vendors are all of them; brief leaves out what stands in other tables.
func (d *Desk) Vendors(ctx context.Context, a Actor, brief bool) ([]VendorView, error) {
	if err := a.may(access.Read); err != nil {
		return nil, err
	}
	rows, err := store.Vendors(ctx, d.Store.DB)
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

// Vendor is one, by key or name.
func (d *Desk) Vendor(ctx context.Context, a Actor, key string) (VendorView, error) {
	if err := a.may(access.Read); err != nil {
		return VendorView{}, err
	}
	v, err := store.VendorByKey(ctx, d.Store.DB, key)
	if err != nil {
		return VendorView{}, err
	}
	list, err := d.vendorViews(ctx, []store.Vendor{v})
	if err != nil {
		return VendorView{}, err
	}
	if list[0].Link != nil {
		list[0].NotPlaced, err = store.CountFailedEvents(ctx, d.Store.DB, list[0].Link.ID)
	}
	return list[0], err
}

// vendorViews completes vendors, each kind of thing asked for once for all of them.
func (d *Desk) vendorViews(ctx context.Context, rows []store.Vendor) ([]VendorView, error) {
	q := d.Store.DB
	g, err := d.compiled.fresh(ctx, q)
	if err != nil {
		return nil, err
	}
	out := make([]VendorView, len(rows))
	at := map[int64]*VendorView{}
	ids := make([]int64, len(rows))
	counts, err := store.LiveCounts(ctx, q)
	if err != nil {
		return nil, err
	}
	for i, v := range rows {
		out[i] = VendorView{Vendor: v, Live: counts[v.ID]}
		at[v.ID], ids[i] = &out[i], v.ID
		if out[i].Open, out[i].Until, err = d.hours(ctx, g, v); err != nil {
			return nil, err
		}
	}
	levels, err := store.LevelsOf(ctx, q, ids)
	if err != nil {
		return nil, err
	}
	for _, l := range levels {
		at[l.VendorID].Levels = append(at[l.VendorID].Levels, l)
	}
	links, err := store.LinksOf(ctx, q, ids)
	if err != nil {
		return nil, err
	}
	for i := range links {
		at[links[i].VendorID].Link = &links[i]
	}
	if err := d.vendorContracts(ctx, g, ids, at); err != nil {
		return nil, err
	}
	return out, d.vendorHours(ctx, out)
}

// vendorContracts gives vendors their contracts with the promises in force.
func (d *Desk) vendorContracts(ctx context.Context, g *generation, vendors []int64, at map[int64]*VendorView) error {
	q := d.Store.DB
	contracts, err := store.ContractsOfAll(ctx, q, vendors)
	if err != nil {
		return err
	}
	ids := make([]int64, len(contracts))
	for i, k := range contracts {
		ids[i] = k.ID
	}
	terms, promises, err := currentTerms(ctx, q, ids)
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
			cal, err := g.calendar(ctx, q, *r.CalendarID)
			if err != nil {
				return err
			}
			kv.Names[*r.CalendarID] = cal.Name
		}
		at[k.VendorID].Contracts = append(at[k.VendorID].Contracts, kv)
	}
	return nil
}

// currentTerms are the newest terms of some contracts, by contract, and their promises, by terms.
func currentTerms(ctx context.Context, q store.Querier, contracts []int64) (map[int64]store.Terms, map[int64][]store.Term, error) {
	terms, promises := map[int64]store.Terms{}, map[int64][]store.Term{}
	list, err := store.CurrentTermsOf(ctx, q, contracts)
	if err != nil {
		return nil, nil, err
	}
	var ids []int64
	for _, t := range list {
		terms[*t.ContractID] = t
		ids = append(ids, t.ID)
	}
	rows, err := store.TermsRows(ctx, q, ids)
	for _, r := range rows {
		promises[r.TermsID] = append(promises[r.TermsID], r)
	}
	return terms, promises, err
}

// vendorHours gives vendors the calendars that they count in, each as it counts today where it is.
func (d *Desk) vendorHours(ctx context.Context, list []VendorView) error {
	var all []int64
	for i := range list {
		all = append(all, list[i].calendars()...)
	}
	slices.Sort(all)
	versions, err := store.CalendarVersions(ctx, d.Store.DB, slices.Compact(all))
	if err != nil {
		return err
	}
	today := map[int64]store.CalendarVersion{}
	for _, x := range versions { // in the order in which they count
		_, first := today[x.CalendarID]
		loc, err := time.LoadLocation(orElse(x.Definition.V.Zone, "UTC"))
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
