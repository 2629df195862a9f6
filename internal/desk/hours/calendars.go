package hours

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"time"

	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	hoursdb "roundhouse.example/internal/store/hours"
	registerdb "roundhouse.example/internal/store/register"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/desk"
)

// CalendarView is a calendar with its versions, the first first, and what counts in it.
type CalendarView struct {
	hoursdb.CalendarUse
	Versions []hoursdb.CalendarVersion
}

// Calendars are all of them by name.
func (d *Hours) Calendars(ctx context.Context, a desk.Actor) ([]CalendarView, error) {
	if err := a.May(access.Read); err != nil {
		return nil, err
	}
	rows, err := hoursdb.CalendarUses(ctx, d.db.DB, d.Now())
	if err != nil {
		return nil, err
	}
	ids := make([]int64, len(rows))
	for i, r := range rows {
		ids[i] = r.ID
	}
	versions, err := hoursdb.CalendarVersions(ctx, d.db.DB, ids)
	if err != nil {
		return nil, err
	}
	out := make([]CalendarView, len(rows))
	for i, r := range rows {
		out[i].CalendarUse = r
		for _, v := range versions {
			if v.CalendarID == r.ID {
				out[i].Versions = append(out[i].Versions, v)
			}
		}
	}
	return out, nil
}

// Calendar is one.
func (d *Hours) Calendar(ctx context.Context, a desk.Actor, id int64) (CalendarView, error) {
	list, err := d.Calendars(ctx, a)
	if err != nil {
		return CalendarView{}, err
	}
	i := slices.IndexFunc(list, func(c CalendarView) bool { return c.ID == id })
	if i < 0 {
		return CalendarView{}, db.ErrNotFound
	}
	return list[i], nil
}

var calendarName = regexp.MustCompile(`^[a-z0-9][a-z0-9-]{0,59}$`)

// AddCalendar writes a new one; without a vendor's key it is for everybody.
func (d *Hours) AddCalendar(ctx context.Context, a desk.Actor, name, vendor string,
	def calendar.Definition) (int64, error) {
	if err := a.May(access.Vendors); err != nil {
		return 0, err
	}
	if !calendarName.MatchString(name) {
		return 0, desk.Fault("name", "use small letters, digits and dashes, like harbour-office")
	}
	if _, err := calendar.New(def); err != nil {
		return 0, desk.Fault("definition", "%s", err)
	}
	return desk.Once(ctx, d.Desk, func(tx *db.Tx) (int64, error) {
		row := hoursdb.Calendar{Name: name}
		if vendor != "" {
			v, err := registerdb.VendorByKey(ctx, tx, vendor)
			if errors.Is(err, db.ErrNotFound) {
				return 0, desk.Fault("vendor", "there is no vendor %.60q", vendor)
			} else if err != nil {
				return 0, err
			}
			row.VendorID = &v.ID
		}
		err := hoursdb.BeginCalendar(ctx, tx, &row, def, d.Now())
		if db.Unique(err, "calendar_vendor_id_name_key") {
			return 0, desk.Fault("name",
				"there is already a calendar with this name; change that one instead")
		}
		return row.ID, err
	})
}

// AddCalendarVersion lets a calendar be another from a local date on (empty: the
// first that it can be). Running clocks that count in it follow by and by; it
// returns of how many cases.
func (d *Hours) AddCalendarVersion(ctx context.Context, a desk.Actor, id int64, from string,
	def calendar.Definition) (int, error) {
	if err := a.May(access.Vendors); err != nil {
		return 0, err
	}
	cases, err := desk.Once(ctx, d.Desk, func(tx *db.Tx) ([]int64, error) {
		cases, err := d.extendCalendar(ctx, tx, id, from, def)
		return cases, err
	})
	if err != nil {
		return 0, err
	}
	return len(cases), nil
}

// extendCalendar adds a version, and marks the cases that it concerns to be recalculated.
func (d *Hours) extendCalendar(ctx context.Context, tx *db.Tx, id int64, from string,
	def calendar.Definition) ([]int64, error) {
	rows, err := hoursdb.CalendarVersions(ctx, tx, []int64{id})
	if err != nil {
		return nil, err
	}
	if len(rows) == 0 {
		return nil, db.ErrNotFound
	}
	now := d.Now()
	if from == "" {
		loc, err := time.LoadLocation(cmp.Or(def.Zone, "UTC"))
		if err != nil {
			return nil, desk.Fault("definition", "zone: %q is not a known time zone; name one like Europe/Oslo", def.Zone)
		}
		from = now.In(loc).AddDate(0, 0, 1).Format(time.DateOnly)
	}
	if _, err := calendar.NewLineage(id, rows[0].Name,
		append(EditionsOf(rows), calendar.Edition{From: from, Known: now.Unix(), Definition: def})); err != nil {
		return nil, desk.Fault("definition", "%s", err)
	}
	at, err := time.Parse(time.DateOnly, from)
	if err != nil {
		return nil, desk.Fault("from", "%q is not a date that exists; write it like 2026-12-25", from)
	}
	if err := hoursdb.ExtendCalendar(ctx, tx, id, def, at, now); err != nil {
		return nil, err
	}
	return d.ToRebuild(ctx, tx, []int64{id})
}

// ToRebuild marks the cases whose dates follow from some calendars, and wakes who recalculates
// them: the workers, or the sweep where those are killed.
func (d *Hours) ToRebuild(ctx context.Context, tx *db.Tx, calendars []int64) (cases []int64, err error) {
	for _, id := range calendars {
		more, err := hoursdb.CasesCountingIn(ctx, tx, id)
		if err != nil {
			return nil, err
		}
		cases = append(cases, more...)
	}
	slices.Sort(cases)
	cases = slices.Compact(cases)
	if len(cases) == 0 {
		return nil, nil
	}
	if err := casesdb.Wake(ctx, tx, cases, d.Now()); err != nil {
		return nil, err
	}
	return cases, d.Queue.Rebuild(ctx, tx)
}

// RemoveCalendar takes one out in which nothing counts.
func (d *Hours) RemoveCalendar(ctx context.Context, a desk.Actor, id int64) error {
	if err := a.May(access.Vendors); err != nil {
		return err
	}
	return d.db.Do(ctx, func(tx *db.Tx) error {
		used, err := d.namedBy(ctx, tx, id)
		if err != nil {
			return err
		}
		if len(used) > 0 {
			return &desk.InUse{Why: fmt.Sprintf("The calendar was not removed: it is used by %s.", strings.Join(used, ", "))}
		}
		removed, err := hoursdb.RemoveCalendar(ctx, tx, id)
		if table, refers := db.Refers(err); refers {
			return &desk.InUse{Why: fmt.Sprintf("The calendar was not removed: %s use it.",
				cmp.Or(map[string]string{"vendor": "vendors", "term": "targets", "desk_policy": "our policy",
					"deadline": "clocks"}[table], table))}
		}
		if err == nil && !removed {
			err = db.ErrNotFound
		}
		return err
	})
}

// namedBy are the vendors whose ways or usual promises name a calendar, and where.
func (d *Hours) namedBy(ctx context.Context, q db.Querier, id int64) (used []string, err error) {
	vendors, err := registerdb.Vendors(ctx, q)
	if err != nil {
		return nil, err
	}
	known, err := hoursdb.CalendarIDs(ctx, q)
	if err != nil {
		return nil, err
	}
	for _, v := range vendors {
		names, at := v.Profile.V.Calendars()
		for _, name := range names {
			if known.Of(v.ID, name) == id {
				used = append(used, fmt.Sprintf("%s (%s)", v.Name, at[name]))
			}
		}
	}
	return used, nil
}
