// Package ready says what is not ready, with the step that fixes each.
package ready

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/ready"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/core/words"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/hours"
	"roundhouse.example/internal/desk/rota"
	"roundhouse.example/internal/store/db"
	hoursdb "roundhouse.example/internal/store/hours"
	registerdb "roundhouse.example/internal/store/register"
)

// Ready is the subject. Use New.
type Ready struct {
	*desk.Desk
	db    *db.Store
	hours *hours.Hours
	rota  *rota.Rota
}

// New makes the subject over a desk's database.
func New(d *desk.Desk, s *db.Store, h *hours.Hours, r *rota.Rota) *Ready { return &Ready{d, s, h, r} }

// Gap is one thing that is missing, in words, with what fixes it.
type Gap struct {
	ready.Gap
	Text, Remedy string
	// Command is the command that fixes it.
	Command string
}

// ahead is for how long the rota is looked at.
const ahead = 14 * 24 * time.Hour

// List is what is missing, the gravest first, for a person: of the vendors that they see.
func (d *Ready) List(ctx context.Context, a desk.Actor) ([]Gap, error) {
	if err := a.May(access.Read); err != nil {
		return nil, err
	}
	g := a.Grant()
	ctx = hours.Remember(ctx)
	var out []Gap
	err := d.db.Snapshot(ctx, func(q db.Querier) (err error) {
		out, err = d.All(ctx, q, g.SeesVendor)
		return err
	})
	return out, err
}

// All is what is missing with the vendors that sees lets through.
func (d *Ready) All(ctx context.Context, q db.Querier, sees func(vendor int64) bool) (out []Gap, err error) {
	list, err := d.gaps(ctx, q, sees)
	if err != nil {
		return nil, err
	}
	zone, err := d.hours.Zone(ctx, q)
	for _, g := range list {
		out = append(out, said(g, zone))
	}
	return out, err
}

func (d *Ready) gaps(ctx context.Context, q db.Querier, sees func(int64) bool) ([]ready.Gap, error) {
	today, err := d.hours.Today(ctx, q)
	if err != nil {
		return nil, err
	}
	all, err := registerdb.ContractsOf(ctx, q, 0)
	if err != nil {
		return nil, err
	}
	inForce := slices.DeleteFunc(all, func(k registerdb.Contract) bool {
		return k.EndsOn.Format(time.DateOnly) < today || k.StartsOn.Format(time.DateOnly) > today || !sees(k.VendorID)
	})
	vendors, keys, err := d.vendors(ctx, q, inForce)
	if err != nil {
		return nil, err
	}
	ids := make([]int64, len(inForce))
	for i, k := range inForce {
		ids[i] = k.ID
	}
	terms, promises, err := hours.CurrentTerms(ctx, q, ids)
	if err != nil {
		return nil, err
	}
	contracts := make([]ready.Contract, len(inForce))
	for i, k := range inForce {
		contracts[i] = ready.Contract{ID: k.ID, Number: k.Number, Vendor: keys[k.VendorID],
			Promised: promised(promises[terms[k.ID].ID])}
	}
	now := d.Now()
	stretches, err := d.rota.Gaps(ctx, q, now, now.Add(ahead))
	return ready.Gaps(vendors, contracts, stretches), err
}

// promised are the ranks for which terms promise something.
func promised(terms []hoursdb.Term) (ranks []int) {
	for _, t := range terms {
		if x, err := calendar.ParseTarget(t.Target); err == nil && !x.None && !slices.Contains(ranks, t.Rank) {
			ranks = append(ranks, t.Rank)
		}
	}
	return ranks
}

// vendors are those of some contracts, with their keys by id.
func (d *Ready) vendors(ctx context.Context, q db.Querier, contracts []registerdb.Contract) ([]ready.Vendor,
	map[int64]string, error) {
	var ids []int64
	for _, k := range contracts {
		if !slices.Contains(ids, k.VendorID) {
			ids = append(ids, k.VendorID)
		}
	}
	rows, err := registerdb.VendorsByID(ctx, q, ids)
	if err != nil {
		return nil, nil, err
	}
	levels, err := registerdb.LevelsOf(ctx, q, ids)
	if err != nil {
		return nil, nil, err
	}
	g, err := d.hours.Compiled(ctx, q)
	if err != nil {
		return nil, nil, err
	}
	keys := make(map[int64]string, len(ids))
	out := make([]ready.Vendor, 0, len(ids))
	for _, id := range ids {
		row := rows[id]
		p := row.Profile.V
		v := ready.Vendor{Key: row.Key, Name: row.Name, Ladder: len(p.Ladder) > 0,
			Through: p.Through != "" && !p.DirectAllowed}
		for _, l := range levels {
			if l.VendorID != id {
				continue
			}
			if v.Levels = append(v.Levels, l.Label); l.RoundTheClock {
				v.Round = append(v.Round, l.Label)
			}
		}
		if v.Always, v.OutOfHours, err = d.reached(ctx, q, g, row); err != nil {
			return nil, nil, err
		}
		keys[id], out = row.Key, append(out, v)
	}
	return out, keys, nil
}

// reached says whether a vendor's hours are round the clock, and whether somebody can be called outside them: by a
// phone or chat that is open round the clock, or for urgent cases at any time.
func (d *Ready) reached(ctx context.Context, q db.Querier, g *hours.Compiled, v registerdb.Vendor) (always, out bool,
	err error) {
	round := func(id int64) (bool, error) {
		c, err := g.Calendar(ctx, q, id)
		if err != nil {
			return false, err
		}
		return c.Latest().Definition().Always, nil
	}
	if always, err = round(v.HoursID); err != nil || always {
		return always, always, err
	}
	names, err := hoursdb.CalendarNames(ctx, q, v.ID)
	if err != nil {
		return false, false, err
	}
	for _, w := range v.Profile.V.Ways {
		if w.Channel != route.Phone && w.Channel != route.Chat {
			continue
		}
		if w.Calendar == "" && w.Urgent {
			return false, true, nil
		}
		if id := names[w.Calendar]; id != 0 {
			if out, err = round(id); err != nil || out {
				return false, out, err
			}
		}
	}
	return false, false, nil
}

// said puts a gap in words.
func said(g ready.Gap, zone *time.Location) Gap {
	out := Gap{Gap: g}
	switch g.Kind {
	case ready.NoRota:
		const layout = "Mon 2 January, 15:04"
		out.Text = "Nobody is on the rota from " + g.Rota.From.In(zone).Format(layout)
		if !g.Rota.Until.IsZero() {
			out.Text += " to " + g.Rota.Until.In(zone).Format(layout)
		}
		out.Text += ", though a level of " + words.List(g.Vendors) + " needs a contact round the clock"
		out.Remedy, out.Command = "Put somebody on the rota", "roundhouse rota list"
	case ready.NoWay:
		out.Text = g.Name + " cannot be called outside its hours"
		out.Remedy = "Add a phone number or a chat that is open round the clock, or for urgent cases"
		out.Command = "roundhouse vendor change " + g.Vendor + " --edit"
	case ready.NoLadder:
		out.Text = g.Name + " has no ladder: nobody is named to escalate to"
		out.Remedy, out.Command = "Add whom to call, in what order, and when", "roundhouse vendor change "+g.Vendor+" --edit"
	case ready.NoPromise:
		level := "level"
		if len(g.Levels) > 1 {
			level = "levels"
		}
		out.Text = fmt.Sprintf("%s, contract %s: no target for %s %s", g.Name, g.Number, level, words.List(g.Levels))
		out.Remedy = "Add its targets, or ask the vendor for some before it is renewed"
		out.Command = "roundhouse contract change " + g.Number + " --edit"
		if strings.ContainsAny(g.Number, " \t\"'$&;|<>()") {
			out.Command = fmt.Sprintf("roundhouse contract change %q --edit", g.Number)
		}
	}
	return out
}

// Label is the kind of a gap in words.
func (g Gap) Label() string { return words.Gaps.Of(string(g.Kind)) }
