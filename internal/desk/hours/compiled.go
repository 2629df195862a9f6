package hours

import (
	"context"
	"fmt"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"roundhouse.example/internal/store/db"
	hoursdb "roundhouse.example/internal/store/hours"
	registerdb "roundhouse.example/internal/store/register"

	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/core/route"
)

// compiler keeps compiled calendars and terms. Their rows never change, but a
// calendar may gain a version, through any service: fresh notices, and begins a
// new generation, so that nobody's older reading gets into it.
type compiler struct{ generation atomic.Pointer[Compiled] }

// Compiled are calendars and promises ready to count in, as of the last change of any calendar.
type Compiled struct {
	stamp     string
	calendars sync.Map // calendar id -> *calendar.Lineage
	terms     sync.Map // termsKey -> *deadline.Terms
	policies  sync.Map // terms id -> *policy
}

type termsKey struct {
	terms, policy int64
	By
}

// By is what promises can be narrowed by.
type By struct {
	Kind    string
	Channel route.Kind
	Country string
}

// Policy is our own desk's part of its terms, compiled.
type Policy struct {
	hoursdb.DeskPolicy
	Hours *calendar.Lineage
	Quiet [5]calendar.Target
	// React is how long nobody may react before the leads are told, by severity.
	React [5]calendar.Target
	// Calm is how long what takes long by its nature may be quiet; nil where it follows its severity alone.
	Calm *calendar.Target
}

// Compiled is what is compiled as of the last version of any calendar.
func (d *Hours) Compiled(ctx context.Context, q db.Querier) (*Compiled, error) {
	r := known(ctx)
	if r.compiled == nil {
		g, err := d.compiled.fresh(ctx, q)
		if err != nil {
			return nil, err
		}
		r.compiled = g
	}
	return r.compiled, nil
}

// fresh forgets what was compiled before the last version of a calendar was added.
func (c *compiler) fresh(ctx context.Context, q db.Querier) (*Compiled, error) {
	stamp, err := hoursdb.CalendarStamp(ctx, q)
	if err != nil {
		return nil, err
	}
	g := c.generation.Load()
	if g == nil || g.stamp != stamp {
		g = &Compiled{stamp: stamp}
		c.generation.Store(g)
	}
	return g, nil
}

// Calendar is a compiled calendar with all its versions; db.ErrNotFound where there is none.
func (c *Compiled) Calendar(ctx context.Context, q db.Querier, id int64) (*calendar.Lineage, error) {
	if v, ok := c.calendars.Load(id); ok {
		return v.(*calendar.Lineage), nil
	}
	rows, err := hoursdb.CalendarVersions(ctx, q, []int64{id})
	if err != nil {
		return nil, err
	}
	if len(rows) == 0 {
		return nil, fmt.Errorf("calendar %d: %w", id, db.ErrNotFound)
	}
	l, err := calendar.NewLineage(id, rows[0].Name, EditionsOf(rows))
	if err != nil {
		return nil, fmt.Errorf("calendar %s: %w", rows[0].Name, err)
	}
	v, _ := c.calendars.LoadOrStore(id, l)
	return v.(*calendar.Lineage), nil
}

// EditionsOf gives the versions of one calendar to the core.
func EditionsOf(rows []hoursdb.CalendarVersion) []calendar.Edition {
	editions := make([]calendar.Edition, len(rows))
	for i, r := range rows {
		editions[i] = calendar.Edition{From: r.CountsFrom.Format(time.DateOnly), Known: r.KnownAt.Unix(),
			Definition: r.Definition.V}
	}
	return editions
}

// TermsFor joins a contract's promises (0: none) and our own.
func (c *Compiled) TermsFor(ctx context.Context, q db.Querier, terms, policyID int64, by By) (*deadline.Terms, error) {
	key := termsKey{terms, policyID, by}
	if v, ok := c.terms.Load(key); ok {
		return v.(*deadline.Terms), nil
	}
	out := &deadline.Terms{}
	for _, id := range [...]int64{terms, policyID} {
		if id == 0 {
			continue
		}
		t, rows, err := hoursdb.TermsByID(ctx, q, id)
		if err != nil {
			return nil, err
		}
		if id == policyID {
			out.OurOnChange = deadline.Change(t.OnChange)
		} else {
			out.OnChange, out.RunWhileOurs = deadline.Change(t.OnChange), t.WhileOurs == "run"
		}
		for _, r := range Narrow(rows, by) {
			kind, err := deadline.ParseKind(r.Deadline)
			if err != nil {
				return nil, err
			}
			target, err := calendar.ParseTarget(r.Target)
			if err != nil {
				return nil, err
			}
			var cal *calendar.Lineage
			if r.CalendarID != nil {
				if cal, err = c.Calendar(ctx, q, *r.CalendarID); err != nil {
					return nil, err
				}
			}
			if err := out.Add(kind, r.Rank, deadline.Term{Target: target, Calendar: cal}); err != nil {
				return nil, err
			}
		}
	}
	c.terms.Store(key, out)
	return out, nil
}

// Narrow keeps the rows that hold for a case, the narrowest of each deadline and rank.
func Narrow(rows []hoursdb.Term, by By) []hoursdb.Term {
	list := make([]register.Term, len(rows))
	for i, r := range rows {
		list[i] = register.Term{Deadline: r.Deadline, Level: r.Rank, Kind: r.Kind, Channel: r.Channel, Country: r.Country}
	}
	kept := register.Narrow(list, by.Kind, by.Channel, by.Country)
	out := rows[:0:0]
	for i, r := range rows {
		if slices.Contains(kept, list[i]) {
			out = append(out, r)
		}
	}
	return out
}

// Policy is the desk's own terms in force, or those of an id.
func (c *Compiled) Policy(ctx context.Context, q db.Querier, id int64) (*Policy, error) {
	if r := known(ctx); id == 0 && r.policy == 0 {
		t, err := hoursdb.CurrentTerms(ctx, q, nil)
		if err != nil {
			return nil, fmt.Errorf("our own desk policy: %w", err)
		}
		id, r.policy = t.ID, t.ID
	} else if id == 0 {
		id = r.policy
	}
	if v, ok := c.policies.Load(id); ok {
		return v.(*Policy), nil
	}
	row, err := hoursdb.Policy(ctx, q, id)
	if err != nil {
		return nil, fmt.Errorf("our own desk policy: %w", err)
	}
	p := &Policy{DeskPolicy: row}
	if p.Hours, err = c.Calendar(ctx, q, row.CalendarID); err != nil {
		return nil, err
	}
	for i, s := range [...]string{row.Quiet1, row.Quiet2, row.Quiet3, row.Quiet4} {
		if p.Quiet[i+1], err = calendar.ParseTarget(s); err != nil {
			return nil, err
		}
	}
	for i, s := range [...]string{row.React1, row.React2, row.React3, row.React4} {
		if p.React[i+1], err = calendar.ParseTarget(s); err != nil {
			return nil, err
		}
	}
	if row.QuietCalm != "" {
		t, err := calendar.ParseTarget(row.QuietCalm)
		if err != nil {
			return nil, err
		}
		p.Calm = &t
	}
	c.policies.Store(id, p)
	return p, nil
}

// OpenNow says whether a vendor is open now, and until when it stays so.
func (d *Hours) OpenNow(ctx context.Context, q db.Querier, g *Compiled,
	vendor registerdb.Vendor) (open bool, till *time.Time, err error) {
	cal, err := g.Calendar(ctx, q, vendor.HoursID)
	if err != nil {
		return false, nil, err
	}
	now := d.Now().Unix()
	open, at, known := cal.At(now).Open(now)
	if known {
		till = new(db.Instant(at))
	}
	return open, till, nil
}

// OpenBy says whether a calendar that a vendor's way names is open now, and until when it stays so; till is nil where
// no such calendar is known.
func (d *Hours) OpenBy(ctx context.Context, q db.Querier, g *Compiled, vendor int64,
	name string) (open bool, till *time.Time, err error) {
	names, err := hoursdb.CalendarNames(ctx, q, vendor)
	if err != nil || names[name] == 0 {
		return false, nil, err
	}
	return d.OpenNow(ctx, q, g, registerdb.Vendor{HoursID: names[name]})
}

// CurrentTerms are the newest terms of some contracts, by contract, and their promises, by terms.
func CurrentTerms(ctx context.Context, q db.Querier,
	contracts []int64) (map[int64]hoursdb.Terms, map[int64][]hoursdb.Term, error) {
	terms, promises := map[int64]hoursdb.Terms{}, map[int64][]hoursdb.Term{}
	list, err := hoursdb.CurrentTermsOf(ctx, q, contracts)
	if err != nil {
		return nil, nil, err
	}
	var ids []int64
	for _, t := range list {
		terms[*t.ContractID] = t
		ids = append(ids, t.ID)
	}
	rows, err := hoursdb.TermsRows(ctx, q, ids)
	for _, r := range rows {
		promises[r.TermsID] = append(promises[r.TermsID], r)
	}
	return terms, promises, err
}

// Today is the date at our own desk, on which contracts end and cover is judged.
func (d *Hours) Today(ctx context.Context, q db.Querier) (string, error) {
	zone, err := d.Zone(ctx, q)
	if err != nil {
		return "", err
	}
	return d.Now().In(zone).Format(time.DateOnly), nil
}

// Zone is the desk's time zone: that of our own hours.
func (d *Hours) Zone(ctx context.Context, q db.Querier) (*time.Location, error) {
	p, err := d.Ours(ctx, q)
	if err != nil {
		return nil, err
	}
	return p.Hours.Latest().Location(), nil
}

// Ours is our policy as it is now.
func (d *Hours) Ours(ctx context.Context, q db.Querier) (*Policy, error) {
	g, err := d.Compiled(ctx, q)
	if err != nil {
		return nil, err
	}
	return g.Policy(ctx, q, 0)
}
