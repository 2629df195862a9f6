package exchange

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"time"

	"roundhouse.example/internal/store/db"
	hoursdb "roundhouse.example/internal/store/hours"
	registerdb "roundhouse.example/internal/store/register"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/pack"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/hours"
)

// PackRead is what a pack would do to a desk, or has done.
type PackRead struct {
	Key, Name string
	// New says that the desk did not know the vendor.
	New         bool
	Differences []pack.Difference
	// Notes say in words what becomes of hours; Doubts what in the file may be wrong.
	Notes, Doubts []string
	// Seen stands for all of this: a change is only made to what somebody has seen.
	Seen string
	// Done is false where it was only looked at, or nothing differed.
	Done bool
	// Recalculated is how many cases were recalculated because of new hours.
	Recalculated int
}

// Pack is the vendor as a file that leaves the desk.
func (d *Exchange) Pack(ctx context.Context, a desk.Actor, key string) (pack.Pack, error) {
	if err := a.May(access.Read); err != nil {
		return pack.Pack{}, err
	}
	v, err := registerdb.VendorByKey(ctx, d.db.DB, key)
	if err != nil {
		return pack.Pack{}, err
	}
	p, _, err := d.packOf(ctx, d.db.DB, v)
	return p, err
}

// hours are a calendar that a vendor can count in, as it is from its newest version on.
type packHours struct {
	id       int64
	own      bool
	versions []hoursdb.CalendarVersion
}

func (h packHours) newest() hoursdb.CalendarVersion { return h.versions[len(h.versions)-1] }

// packOf is a vendor's pack, and the calendars that it can name. The zero vendor has none of its own.
func (d *Exchange) packOf(ctx context.Context, q db.Querier,
	v registerdb.Vendor) (p pack.Pack, known map[string]packHours, err error) {
	ids, err := hoursdb.CalendarNames(ctx, q, v.ID)
	if err != nil {
		return p, nil, err
	}
	owned, err := hoursdb.OwnCalendars(ctx, q, v.ID)
	if err != nil {
		return p, nil, err
	}
	all := make([]int64, 0, len(ids))
	for _, id := range ids {
		all = append(all, id)
	}
	rows, err := hoursdb.CalendarVersions(ctx, q, all)
	if err != nil {
		return p, nil, err
	}
	known = map[string]packHours{}
	definitions := map[string]calendar.Definition{}
	for _, r := range rows {
		h := known[r.Name]
		h.id, h.own = r.CalendarID, slices.Contains(owned, r.CalendarID)
		h.versions = append(h.versions, r)
		known[r.Name] = h
		definitions[r.Name] = r.Definition.V
	}
	if v.ID == 0 {
		return p, known, nil
	}
	f, err := d.register.FactsOf(ctx, q, v)
	return pack.Of(f, definitions), known, err
}

// ImportPack holds a pack against what the desk knows of the vendor. Unless it is
// only to be looked at, what differs is changed, all of it or nothing; seen is what
// the look before said, and a desk that has changed since is an error.
func (d *Exchange) ImportPack(ctx context.Context, a desk.Actor, file []byte, seen string,
	look bool) (PackRead, error) {
	var out PackRead
	if err := a.May(access.Vendors); err != nil {
		return out, err
	}
	p, findings := pack.Read(file)
	var wrong []desk.Field
	for _, f := range findings {
		if f.Warning {
			out.Doubts = append(out.Doubts, f.String())
			continue
		}
		detail := f.Detail
		if f.Line > 0 {
			detail = fmt.Sprintf("line %d: %s", f.Line, f.Detail)
		}
		wrong = append(wrong, desk.Field{Name: f.Field, Detail: detail})
	}
	if len(wrong) > 0 {
		return out, &desk.Invalid{Fields: wrong}
	}
	doubts := out.Doubts
	if look {
		err := d.OnlyLook(ctx, func(tx *db.Tx) (err error) {
			out, _, err = d.importPack(ctx, tx, p, "", true)
			return err
		})
		out.Doubts, out.Done = doubts, false
		return out, err
	}
	out, err := desk.Once(ctx, d.Desk, func(tx *db.Tx) (PackRead, error) {
		r, moved, err := d.importPack(ctx, tx, p, seen, false)
		if err != nil {
			return r, err
		}
		cases, err := d.hours.ToRebuild(ctx, tx, moved)
		r.Recalculated = len(cases)
		return r, err
	})
	if err != nil {
		return out, err
	}
	out.Doubts = doubts
	return out, nil
}

// vendorOf is the vendor that a pack is of; fresh: the desk has none by its key, nor by its name.
func (d *Exchange) vendorOf(ctx context.Context, tx *db.Tx, p pack.Pack) (row registerdb.Vendor, fresh bool,
	err error) {
	row, err = registerdb.VendorByKey(ctx, tx, p.Vendor.Key)
	switch {
	case err == nil && row.Key != p.Vendor.Key:
		return row, false, desk.Fault("vendor.key", "the desk knows vendor %s by the name %q", row.Key, row.Name)
	case !errors.Is(err, db.ErrNotFound):
		return row, false, err
	}
	switch other, err := registerdb.VendorByKey(ctx, tx, p.Vendor.Name); {
	case err == nil:
		return row, true, desk.Fault("vendor.name",
			"the desk knows this vendor under the key %s; use that key in the pack", other.Key)
	case !errors.Is(err, db.ErrNotFound):
		return row, true, err
	}
	return registerdb.Vendor{CreatedAt: d.Now()}, true, nil
}

// writeHours begins and extends calendars as planned; moved are those that have new hours.
func (d *Exchange) writeHours(ctx context.Context, tx *db.Tx, vendor int64, plan []newHours) (begun bool, moved []int64,
	err error) {
	for _, x := range plan {
		if x.into == 0 {
			c := hoursdb.Calendar{Name: x.name, VendorID: &vendor}
			if err := hoursdb.BeginCalendar(ctx, tx, &c, x.definition, d.Now()); err != nil {
				return begun, nil, err
			}
			begun = true
			continue
		}
		if err := hoursdb.ExtendCalendar(ctx, tx, x.into, x.definition, x.from, d.Now()); err != nil {
			return begun, nil, err
		}
		moved = append(moved, x.into)
	}
	return begun, moved, nil
}

// importPack does the work of ImportPack; it returns which calendars have new hours.
func (d *Exchange) importPack(ctx context.Context, tx *db.Tx, p pack.Pack, seen string,
	look bool) (out PackRead, moved []int64, err error) {
	out.Key, out.Name = p.Vendor.Key, p.Vendor.Name
	names, _ := p.Vendor.Calendars()
	for name := range p.Calendars {
		if !slices.Contains(names, name) {
			delete(p.Calendars, name) // nothing counts in it, so it is not a part of the vendor
		}
	}
	row, fresh, err := d.vendorOf(ctx, tx, p)
	if out.New = fresh; err != nil {
		return out, nil, err
	}
	was, known, err := d.packOf(ctx, tx, row)
	if err != nil {
		return out, nil, err
	}
	if out.Differences, err = pack.Differences(was, p); err != nil {
		return out, nil, err
	}
	plan, err := d.planHours(p, known, &out)
	if err != nil {
		return out, nil, err
	}
	if out.Seen, err = seenAs(row.Version, out); err != nil {
		return out, nil, err
	}
	if len(out.Differences) == 0 {
		return out, nil, nil
	}
	if !look && seen != out.Seen {
		return out, nil, &desk.Stale{What: "vendor or its hours"}
	}
	facts := p.Vendor
	if !out.New {
		before, err := d.register.FactsOf(ctx, tx, row)
		if err != nil {
			return out, nil, err
		}
		facts = p.Onto(before)
	} else if err := d.beginVendor(ctx, tx, &row, p); err != nil {
		return out, nil, err
	}
	begun, moved, err := d.writeHours(ctx, tx, row.ID, plan)
	if err != nil {
		return out, nil, err
	}
	was.Calendars = p.Calendars
	itself, err := pack.Differences(was, p)
	if err != nil {
		return out, nil, err
	}
	if begun || out.New || len(itself) > 0 {
		if err := d.register.WriteVendor(ctx, tx, &row, facts); err != nil {
			return out, nil, err
		}
	}
	out.Done = true
	return out, moved, nil
}

// beginVendor gives a new vendor its row, so that hours can be its own. They and all else follow.
func (d *Exchange) beginVendor(ctx context.Context, tx *db.Tx, row *registerdb.Vendor, p pack.Pack) error {
	terms, err := hoursdb.CurrentTerms(ctx, tx, nil)
	if err != nil {
		return err
	}
	ours, err := hoursdb.Policy(ctx, tx, terms.ID)
	if err != nil {
		return err
	}
	row.Key, row.Name, row.Zone, row.HoursID = p.Vendor.Key, p.Vendor.Name, p.Vendor.Zone, ours.CalendarID
	return registerdb.AddVendor(ctx, tx, row)
}

// newHours is a calendar to begin, or (into) one that gets a version from a date on.
type newHours struct {
	name       string
	definition calendar.Definition
	into       int64
	from       time.Time
}

// planHours says what becomes of the pack's calendars. Hours that other vendors may
// count in too are never changed by a pack: where the pack has other hours under the same name,
// the vendor gets its own.
func (d *Exchange) planHours(p pack.Pack, known map[string]packHours, out *PackRead) (plan []newHours, err error) {
	names, _ := p.Vendor.Calendars()
	for _, name := range names {
		def := p.Calendars[name]
		h, there := known[name]
		if there {
			now := h.newest().Definition.V
			now.Name = ""
			x, errX := json.Marshal(now)
			y, errY := json.Marshal(def)
			if err := errors.Join(errX, errY); err != nil {
				return nil, err
			}
			if string(x) == string(y) {
				continue
			}
		}
		switch {
		case !there:
			plan = append(plan, newHours{name: name, definition: def})
			if !out.New {
				out.Notes = append(out.Notes, fmt.Sprintf("The calendar %s is new and belongs to the vendor.", name))
			}
		case !h.own:
			plan = append(plan, newHours{name: name, definition: def})
			out.Notes = append(out.Notes,
				fmt.Sprintf("The desk's calendar %s has other hours and does not change; the vendor gets its own calendar "+
					"with that name. Contracts keep using the desk's calendar until they are changed.", name))
		default:
			now := d.Now()
			loc, err := time.LoadLocation(cmp.Or(def.Zone, "UTC"))
			if err != nil {
				return nil, desk.Fault("calendars."+name, "%s", err)
			}
			from, _ := time.Parse(time.DateOnly, now.In(loc).AddDate(0, 0, 1).Format(time.DateOnly))
			if last := h.newest().CountsFrom; len(h.versions) > 1 && !from.After(last) {
				from = last.AddDate(0, 0, 1)
			}
			date := from.Format(time.DateOnly)
			if _, err := calendar.NewLineage(h.id, name,
				append(hours.EditionsOf(h.versions),
					calendar.Edition{From: date, Known: now.Unix(), Definition: def})); err != nil {
				return nil, desk.Fault("calendars."+name, "%s", err)
			}
			plan = append(plan, newHours{name, def, h.id, from})
			out.Notes = append(out.Notes,
				fmt.Sprintf("The calendar %s changes from %s; running clocks follow.", name, date))
		}
	}
	return plan, nil
}

// seenAs stands for what would be done to a vendor at a version.
func seenAs(version int64, p PackRead) (string, error) {
	raw, err := json.Marshal(struct {
		Version     int64
		Differences []pack.Difference
		Notes       []string
	}{version, p.Differences, p.Notes})
	sum := sha256.Sum256(raw)
	return hex.EncodeToString(sum[:12]), err
}
