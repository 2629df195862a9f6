package desk

import (
	"context"
	"fmt"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/store"
)

// compiler keeps compiled calendars and terms. Their rows never change, but a
// calendar may gain a version, through any service: fresh notices, and begins a
// new generation, so that nobody's older reading gets into it.
type compiler struct{ generation atomic.Pointer[generation] }

type generation struct {
	stamp     string
	calendars sync.Map // calendar id -> *calendar.Lineage
	terms     sync.Map // termsKey -> *deadline.Terms
	policies  sync.Map // terms id -> *policy
}

type termsKey struct {
	terms, policy int64
	narrowed
}

// narrowed is what promises can be narrowed by.
type narrowed struct{ kind, channel, country string }

// policy is our own desk's part of its terms, compiled.
type policy struct {
	store.DeskPolicy
	hours *calendar.Lineage
	quiet [5]calendar.Target
}

// fresh is what is compiled as of the last version of any calendar.
func (d *Desk) fresh(ctx context.Context, q store.Querier) (*generation, error) {
	return d.compiled.fresh(ctx, q)
}

// fresh forgets what was compiled before the last version of a calendar was added.
func (c *compiler) fresh(ctx context.Context, q store.Querier) (*generation, error) {
	stamp, err := store.CalendarStamp(ctx, q)
	if err != nil {
		return nil, err
	}
	g := c.generation.Load()
	if g == nil || g.stamp != stamp {
		g = &generation{stamp: stamp}
		c.generation.Store(g)
	}
	return g, nil
}

func (c *generation) calendar(ctx context.Context, q store.Querier, id int64) (*calendar.Lineage, error) {
	if v, ok := c.calendars.Load(id); ok {
		return v.(*calendar.Lineage), nil
	}
	rows, err := store.CalendarVersions(ctx, q, []int64{id})
	if err != nil {
		return nil, err
	}
	if len(rows) == 0 {
		return nil, fmt.Errorf("calendar %d: %w", id, store.ErrNotFound)
	}
	l, err := calendar.NewLineage(id, rows[0].Name, editionsOf(rows))
	if err != nil {
		return nil, fmt.Errorf("calendar %s: %w", rows[0].Name, err)
	}
	v, _ := c.calendars.LoadOrStore(id, l)
	return v.(*calendar.Lineage), nil
}

// editionsOf gives the versions of one calendar to the core.
func editionsOf(rows []store.CalendarVersion) []calendar.Edition {
	editions := make([]calendar.Edition, len(rows))
	for i, r := range rows {
		editions[i] = calendar.Edition{From: r.CountsFrom.Format(time.DateOnly), Known: r.KnownAt.Unix(), Definition: r.Definition.V}
	}
	return editions
}

// termsFor joins a contract's promises (0: none) and our own.
func (c *generation) termsFor(ctx context.Context, q store.Querier, terms, policyID int64, by narrowed) (*deadline.Terms, error) {
	key := termsKey{terms, policyID, by}
	if v, ok := c.terms.Load(key); ok {
		return v.(*deadline.Terms), nil
	}
	out := &deadline.Terms{}
	for _, id := range [...]int64{terms, policyID} {
		if id == 0 {
			continue
		}
		t, rows, err := store.TermsByID(ctx, q, id)
		if err != nil {
			return nil, err
		}
		if id == policyID {
			out.OurOnChange = deadline.Change(t.OnChange)
		} else {
			out.OnChange, out.RunWhileOurs = deadline.Change(t.OnChange), t.WhileOurs == "run"
		}
		for _, r := range narrow(rows, by) {
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
				if cal, err = c.calendar(ctx, q, *r.CalendarID); err != nil {
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

// narrow keeps the rows that hold for a case, the narrowest of each deadline and rank.
func narrow(rows []store.Term, by narrowed) []store.Term {
	list := make([]register.Term, len(rows))
	for i, r := range rows {
		list[i] = register.Term{Deadline: r.Deadline, Level: r.Rank, Kind: r.Kind, Channel: r.Channel, Country: r.Country}
	}
	kept := register.Narrow(list, by.kind, by.channel, by.country)
	out := rows[:0:0]
	for i, r := range rows {
		if slices.Contains(kept, list[i]) {
			out = append(out, r)
		}
	}
	return out
}

// policy is the desk's own terms in force, or those of an id.
func (c *generation) policy(ctx context.Context, q store.Querier, id int64) (*policy, error) {
	if id == 0 {
		t, err := store.CurrentTerms(ctx, q, nil)
		if err != nil {
			return nil, fmt.Errorf("our own desk policy: %w", err)
		}
		id = t.ID
	}
	if v, ok := c.policies.Load(id); ok {
		return v.(*policy), nil
	}
	row, err := store.Policy(ctx, q, id)
	if err != nil {
		return nil, fmt.Errorf("our own desk policy: %w", err)
	}
	p := &policy{DeskPolicy: row}
	if p.hours, err = c.calendar(ctx, q, row.CalendarID); err != nil {
		return nil, err
	}
	for i, s := range [...]string{row.Quiet1, row.Quiet2, row.Quiet3, row.Quiet4} {
		if p.quiet[i+1], err = calendar.ParseTarget(s); err != nil {
			return nil, err
		}
	}
	c.policies.Store(id, p)
	return p, nil
}

// hours says whether a vendor is open now, and until when it stays so.
func (d *Desk) hours(ctx context.Context, g *generation, vendor store.Vendor) (open bool, till *time.Time, err error) {
	cal, err := g.calendar(ctx, d.Store.DB, vendor.HoursID)
	if err != nil {
		return false, nil, err
	}
	now := d.Now().Unix()
	open, at, known := cal.At(now).Open(now)
	if known {
		till = new(store.Instant(at))
	}
	return open, till, nil
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

// today is the date at our own desk, on which contracts end and cover is judged.
func (d *Desk) today(ctx context.Context, q store.Querier) (string, error) {
	g, err := d.fresh(ctx, q)
	if err != nil {
		return "", err
	}
	p, err := g.policy(ctx, q, 0)
	if err != nil {
		return "", err
	}
	return d.Now().In(p.hours.Latest().Location()).Format(time.DateOnly), nil
}
