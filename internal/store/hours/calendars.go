// Package hours keeps calendars with their versions, promises with theirs, and our own policy.
package hours

import (
	"context"
	"fmt"
	"time"

	"roundhouse.example/internal/core/calendar"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
)

// Calendar is a coverage calendar through all its versions; without a vendor it is the desk's own.
type Calendar struct {
	ID       int64  `db:"id"`
	VendorID *int64 `db:"vendor_id"`
	Name     string `db:"name"`
}

// CalendarVersion is one version of a calendar; it never changes.
type CalendarVersion struct {
	ID         int64                        `db:"id"`
	CalendarID int64                        `db:"calendar_id"`
	Name       string                       `db:"name"` // the calendar's
	Definition db.JSON[calendar.Definition] `db:"definition"`
	// CountsFrom is the local date from which it counts; the first version's is not read.
	CountsFrom time.Time `db:"counts_from"`
	KnownAt    time.Time `db:"known_at"`
}

// CalendarVersions are all versions of these calendars, of each in the order in
// which they became known.
func CalendarVersions(ctx context.Context, q db.Querier, calendars []int64) (out []CalendarVersion, err error) {
	return out, q.SelectContext(ctx, &out, `select v.*, c.name from calendar_version v join calendar c
		on c.id = v.calendar_id
		where v.calendar_id = any($1) order by v.calendar_id, v.counts_from, v.id`, calendars)
}

// CalendarNames are the calendars that a vendor's terms can name: its own, and
// the desk's. Its own come before the desk's of the same name.
func CalendarNames(ctx context.Context, q db.Querier, vendor int64) (map[string]int64, error) {
	var rows []Calendar
	if err := q.SelectContext(ctx, &rows,
		"select * from calendar where vendor_id is null or vendor_id = $1 order by vendor_id nulls first",
		vendor); err != nil {
		return nil, err
	}
	out := map[string]int64{}
	for _, r := range rows {
		out[r.Name] = r.ID
	}
	return out, nil
}

// NamedCalendars are all calendars by whose they are and what they are called.
type NamedCalendars map[calendarName]int64

type calendarName struct {
	vendor int64 // 0 for the desk's
	name   string
}

// Of is the calendar that a vendor means by a name: its own before the desk's; 0 for none.
func (n NamedCalendars) Of(vendor int64, name string) int64 {
	if id := n[calendarName{vendor, name}]; id != 0 {
		return id
	}
	return n[calendarName{0, name}]
}

// CalendarIDs are all calendars by name.
func CalendarIDs(ctx context.Context, q db.Querier) (NamedCalendars, error) {
	var rows []Calendar
	if err := q.SelectContext(ctx, &rows, "select * from calendar"); err != nil {
		return nil, err
	}
	out := NamedCalendars{}
	for _, r := range rows {
		var vendor int64
		if r.VendorID != nil {
			vendor = *r.VendorID
		}
		out[calendarName{vendor, r.Name}] = r.ID
	}
	return out, nil
}

// OwnCalendars are those that are a vendor's alone.
func OwnCalendars(ctx context.Context, q db.Querier, vendor int64) (ids []int64, err error) {
	return ids, q.SelectContext(ctx, &ids, "select id from calendar where vendor_id = $1 order by id", vendor)
}

// CalendarStamp changes whenever a version is added, by whichever service.
func CalendarStamp(ctx context.Context, q db.Querier) (stamp string, err error) {
	return stamp, q.GetContext(ctx, &stamp, "select concat(count(*), '-', max(id)) from calendar_version")
}

// AddCalendar gives the calendar an id; it needs a version too.
func AddCalendar(ctx context.Context, q db.Querier, c *Calendar) error {
	return q.GetContext(ctx, &c.ID, "insert into calendar (vendor_id, name) values ($1, $2) returning id", c.VendorID,
		c.Name)
}

// AddCalendarVersion writes a version of a calendar.
func AddCalendarVersion(ctx context.Context, q db.Querier, v *CalendarVersion) error {
	return q.GetContext(ctx, &v.ID, `insert into calendar_version (calendar_id, definition, counts_from, known_at)
		values ($1, cast($2 as jsonb), $3, $4) returning id`, v.CalendarID, v.Definition, v.CountsFrom, v.KnownAt)
}

// BeginCalendar adds a calendar with its first version, which counts from an instant on.
func BeginCalendar(ctx context.Context, q db.Querier, c *Calendar, def calendar.Definition, at time.Time) error {
	if err := AddCalendar(ctx, q, c); err != nil {
		return err
	}
	return ExtendCalendar(ctx, q, c.ID, def, at, at)
}

// ExtendCalendar adds a version to a calendar, which counts from a date on and is
// known from an instant on.
func ExtendCalendar(ctx context.Context, q db.Querier, calendar int64, def calendar.Definition, from,
	known time.Time) error {
	v := CalendarVersion{CalendarID: calendar, CountsFrom: from, KnownAt: known}
	v.Definition.V = def
	return AddCalendarVersion(ctx, q, &v)
}

// CalendarUse is a calendar with its vendor's key, and what counts in it.
type CalendarUse struct {
	Calendar
	Vendor  *string `db:"vendor"`
	Vendors int     `db:"vendors"`
	Terms   int     `db:"terms"`
	Clocks  int     `db:"clocks"` // live ones
	// Recalculating is how many cases wait to be recalculated whose clocks count in it.
	Recalculating int `db:"recalculating"`
}

// CalendarUses are all calendars by name, as of an instant.
func CalendarUses(ctx context.Context, q db.Querier, now time.Time) (out []CalendarUse, err error) {
	return out, q.SelectContext(ctx, &out, `select c.*, v.key as vendor, (select count(*) from vendor x
		where x.hours_id = c.id) as vendors,
		(select count(distinct t.terms_id) from term t where t.calendar_id = c.id) as terms,
		(select count(*) from deadline d where d.calendar_id = c.id and d.outcome = 'live') as clocks,
		(select count(*) from support_case w where w.wake_at <= $1 and exists (select from deadline d
		where d.case_id = w.id and d.calendar_id = c.id and d.outcome = 'live')) as recalculating
		from calendar c left join vendor v on v.id = c.vendor_id order by c.name, c.id`, now)
}

// CasesCountingIn are the live cases whose dates follow from a calendar: by a
// running clock, or by our own limits where they count in it.
func CasesCountingIn(ctx context.Context, q db.Querier, calendar int64) (ids []int64, err error) {
	return ids, q.SelectContext(ctx, &ids, `select c.id from support_case c where c.`+casesdb.LiveCases+` and
		(exists (select from deadline d where d.case_id = c.id and d.outcome = 'live' and d.calendar_id = $1)
		or exists (select from desk_policy p where p.calendar_id = $1 and p.terms_id = c.policy_id)) order by c.id`, calendar)
}

// RemoveCalendar takes one out with its versions, where nothing counts in it.
func RemoveCalendar(ctx context.Context, q db.Querier, id int64) (removed bool, err error) {
	// Versions never change; they go only with the whole of their calendar.
	if _, err := q.ExecContext(ctx, "select set_config('roundhouse.removing', $1, true)", fmt.Sprint(id)); err != nil {
		return false, err
	}
	if _, err := q.ExecContext(ctx, "delete from calendar_version where calendar_id = $1", id); err != nil {
		return false, err
	}
	return db.Affected(q.ExecContext(ctx, "delete from calendar where id = $1", id))
}
