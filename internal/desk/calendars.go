package desk

import (
	"context"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"time"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/store"
)

// CalendarView is a calendar with its versions, the first first, and what counts in it.
type CalendarView struct {
	store.CalendarUse
	Versions []store.CalendarVersion
}

// Calendars are all of them by name.
func (d *Desk) Calendars(ctx context.Context, a Actor) ([]CalendarView, error) {
	if err := a.may(access.Read); err != nil {
		return nil, err
	}
	rows, err := store.CalendarUses(ctx, d.Store.DB)
	if err != nil {
		return nil, err
	}
	ids := make([]int64, len(rows))
	for i, r := range rows {
		ids[i] = r.ID
	}
	versions, err := store.CalendarVersions(ctx, d.Store.DB, ids)
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
func (d *Desk) Calendar(ctx context.Context, a Actor, id int64) (CalendarView, error) {
	list, err := d.Calendars(ctx, a)
	if err != nil {
		return CalendarView{}, err
	}
	i := slices.IndexFunc(list, func(c CalendarView) bool { return c.ID == id })
	if i < 0 {
		return CalendarView{}, store.ErrNotFound
	}
	return list[i], nil
}

var calendarName = regexp.MustCompile(`^[a-z0-9][a-z0-9-]{0,59}$`)

// AddCalendar writes a new one; without a vendor's key it is for everybody.
func (d *Desk) AddCalendar(ctx context.Context, a Actor, name, vendor string, def calendar.Definition) (int64, error) {
	if err := a.may(access.Vendors); err != nil {
		return 0, err
	}
	if !calendarName.MatchString(name) {
		return 0, invalid("name", "it is a short name of small letters, digits and dashes, like harbour-office")
	}
	if _, err := calendar.New(def); err != nil {
		return 0, invalid("definition", "%s", err)
	}
	return once(ctx, d, func(tx *store.Tx) (int64, error) {
		row := store.Calendar{Name: name}
		if vendor != "" {
			v, err := store.VendorByKey(ctx, tx, vendor)
			if errors.Is(err, store.ErrNotFound) {
				return 0, invalid("vendor", "there is no vendor %.60q", vendor)
			} else if err != nil {
				return 0, err
			}
			row.VendorID = &v.ID
		}
		err := store.BeginCalendar(ctx, tx, &row, def, d.Now())
		if store.Unique(err, "calendar_vendor_id_name_key") {
			return 0, invalid("name", "there is another calendar with this name; a change of hours is a new version of that one")
		}
		return row.ID, err
	})
}

// AddCalendarVersion lets a calendar be another from a local date on (empty: the
// first that it can be). Running clocks that count in it follow; it returns how
// many cases were reckoned anew.
func (d *Desk) AddCalendarVersion(ctx context.Context, a Actor, id int64, from string, def calendar.Definition) (int, error) {
	if err := a.may(access.Vendors); err != nil {
		return 0, err
	}
	cases, err := once(ctx, d, func(tx *store.Tx) ([]int64, error) {
		cases, err := d.extendCalendar(ctx, tx, id, from, def)
		return cases, err
	})
	if err != nil {
		return 0, err
	}
	d.rebuildNow(ctx, cases)
	return len(cases), nil
}

// extendCalendar adds a version, and marks the cases that it concerns to be recalculated.
func (d *Desk) extendCalendar(ctx context.Context, tx *store.Tx, id int64, from string, def calendar.Definition) ([]int64, error) {
	rows, err := store.CalendarVersions(ctx, tx, []int64{id})
	if err != nil {
		return nil, err
	}
	if len(rows) == 0 {
		return nil, store.ErrNotFound
	}
	now := d.Now()
	if from == "" {
		loc, err := time.LoadLocation(orElse(def.Zone, "UTC"))
		if err != nil {
			return nil, invalid("definition", "zone: %q is not a known time zone; name one like Europe/Oslo", def.Zone)
		}
		from = now.In(loc).AddDate(0, 0, 1).Format(time.DateOnly)
	}
	if _, err := calendar.NewLineage(id, rows[0].Name, append(editionsOf(rows), calendar.Edition{From: from, Known: now.Unix(), Definition: def})); err != nil {
		return nil, invalid("definition", "%s", err)
	}
	at, err := time.Parse(time.DateOnly, from)
	if err != nil {
		return nil, invalid("from", "%q is not a date that exists; write it like 2026-12-25", from)
	}
	if err := store.ExtendCalendar(ctx, tx, id, def, at, now); err != nil {
		return nil, err
	}
	return d.toRebuild(ctx, tx, []int64{id})
}

// toRebuild marks the cases whose dates follow from some calendars: the sweep recalculates
// them, whatever becomes of the request that changed the hours.
func (d *Desk) toRebuild(ctx context.Context, tx *store.Tx, calendars []int64) (cases []int64, err error) {
	for _, id := range calendars {
		more, err := store.CasesCountingIn(ctx, tx, id)
		if err != nil {
			return nil, err
		}
		cases = append(cases, more...)
	}
	slices.Sort(cases)
	cases = slices.Compact(cases)
	return cases, store.WakeCases(ctx, tx, cases, d.Now())
}

// rebuildNow recalculates marked cases at once, as far as that goes in a few seconds, also
// when the asker has gone. What is left, or fails, is the sweep's.
func (d *Desk) rebuildNow(ctx context.Context, cases []int64) {
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
	defer cancel()
	for _, id := range cases {
		if ctx.Err() != nil {
			return
		}
		_ = d.Rebuild(ctx, []int64{id})
	}
}

// RemoveCalendar takes one out in which nothing counts.
func (d *Desk) RemoveCalendar(ctx context.Context, a Actor, id int64) error {
	if err := a.may(access.Vendors); err != nil {
		return err
	}
	return d.Store.Do(ctx, func(tx *store.Tx) error {
		used, err := d.namedBy(ctx, tx, id)
		if err != nil {
			return err
		}
		if len(used) > 0 {
			return &InUse{fmt.Sprintf("The calendar stays: it is named by %s.", strings.Join(used, ", "))}
		}
		removed, err := store.RemoveCalendar(ctx, tx, id)
		if table, refers := store.Refers(err); refers {
			return &InUse{fmt.Sprintf("The calendar stays: %s count in it.", orElse(map[string]string{"vendor": "vendors", "term": "promises", "desk_policy": "our own limits", "deadline": "clocks"}[table], table))}
		}
		if err == nil && !removed {
			err = store.ErrNotFound
		}
		return err
	})
}

// namedBy are the vendors whose ways or usual promises name a calendar, and where.
func (d *Desk) namedBy(ctx context.Context, q store.Querier, id int64) (used []string, err error) {
	vendors, err := store.Vendors(ctx, q)
	if err != nil {
		return nil, err
	}
	known, err := store.CalendarIDs(ctx, q)
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

// Preview is what a target would mean in some hours, begun at an instant.
type Preview struct {
	Zone     string
	From     time.Time
	Due      *time.Time
	Problem  string // why there is no due
	Warning  string
	Windows  []calendar.Window // from the start on, for two weeks or until due
	OpenNow  bool
	OpenTill *time.Time
}

// PreviewHours says when a target would fall due; an empty one only shows the hours.
func (d *Desk) PreviewHours(_ context.Context, a Actor, def calendar.Definition, target string, from *time.Time) (Preview, error) {
	var p Preview
	if err := a.may(access.Read); err != nil {
		return p, err
	}
	c, err := calendar.New(def)
	if err != nil {
		return p, invalid("definition", "%s", err)
	}
	p.Zone, p.From = c.Location().String(), d.Now().Truncate(time.Second)
	if from != nil {
		p.From = from.UTC().Truncate(time.Second)
	}
	start := p.From.Unix()
	end := start + 14*86400
	if target != "" {
		t, err := calendar.ParseTarget(target)
		if err != nil {
			return p, invalid("target", "%s", err)
		}
		p.Warning = t.Warning(c)
		if due, err := c.DueTarget(start, t); err != nil {
			p.Problem = err.Error()
		} else {
			p.Due = instantPtr(due)
			end = max(end, min(due, start+60*86400))
		}
	}
	p.Windows = c.Windows(start, end, 200)
	open, till, known := c.Open(start)
	if p.OpenNow = open; known {
		p.OpenTill = instantPtr(till)
	}
	return p, nil
}

// PolicyFacts are what we owe ourselves: promises by severity, our calendar, and
// how long a case may be quiet.
type PolicyFacts struct {
	DeskName string          `json:"desk_name"`
	Calendar string          `json:"calendar"`
	OnChange string          `json:"on_change"`
	Terms    []register.Term `json:"terms"`
	Quiet1   string          `json:"quiet_1"`
	Quiet2   string          `json:"quiet_2"`
	Quiet3   string          `json:"quiet_3"`
	Quiet4   string          `json:"quiet_4"`
}

// Policy is our own, with its version.
func (d *Desk) Policy(ctx context.Context, a Actor) (PolicyFacts, int, error) {
	if err := a.may(access.Read); err != nil {
		return PolicyFacts{}, 0, err
	}
	return d.policyFacts(ctx, d.Store.DB)
}

func (d *Desk) policyFacts(ctx context.Context, q store.Querier) (f PolicyFacts, version int, err error) {
	t, err := store.CurrentTerms(ctx, q, nil)
	if err != nil {
		return f, 0, err
	}
	p, err := store.Policy(ctx, q, t.ID)
	if err != nil {
		return f, 0, err
	}
	_, rows, err := store.TermsByID(ctx, q, t.ID)
	if err != nil {
		return f, 0, err
	}
	g, err := d.compiled.fresh(ctx, q)
	if err != nil {
		return f, 0, err
	}
	cal, err := g.calendar(ctx, q, p.CalendarID)
	if err != nil {
		return f, 0, err
	}
	f = PolicyFacts{DeskName: p.DeskName, Calendar: cal.Name, OnChange: t.OnChange, Quiet1: p.Quiet1, Quiet2: p.Quiet2, Quiet3: p.Quiet3, Quiet4: p.Quiet4}
	if f.Terms, err = d.termsFrom(ctx, q, g, rows); err != nil {
		return f, 0, err
	}
	return f, t.Version, nil
}

// ChangePolicy writes a new version of our own policy. Cases keep the one they
// were filed under.
func (d *Desk) ChangePolicy(ctx context.Context, a Actor, match int, patch []byte) error {
	if err := a.may(access.Vendors); err != nil {
		return err
	}
	_, err := once(ctx, d, func(tx *store.Tx) (int, error) {
		f, version, err := d.policyFacts(ctx, tx)
		if err != nil {
			return 0, err
		}
		if version != match {
			return 0, &Stale{"policy"}
		}
		if err := merge(&f, patch); err != nil {
			return 0, err
		}
		calendars, err := store.CalendarNames(ctx, tx, 0)
		if err != nil {
			return 0, err
		}
		if wrong := f.check(calendars); len(wrong) > 0 {
			return 0, &Invalid{wrong}
		}
		next := store.Terms{Version: version + 1, OnChange: orElse(f.OnChange, "by-direction"), WhileOurs: "pause", MadeAt: d.Now()}
		err = store.AddTerms(ctx, tx, &next, termRows(f.Terms, calendars))
		if store.Unique(err, "terms_contract_id_version_key") {
			return 0, &Stale{"policy"}
		} else if err != nil {
			return 0, err
		}
		return 0, store.AddPolicy(ctx, tx, store.DeskPolicy{TermsID: next.ID, DeskName: f.DeskName, CalendarID: calendars[f.Calendar], Quiet1: f.Quiet1, Quiet2: f.Quiet2, Quiet3: f.Quiet3, Quiet4: f.Quiet4})
	})
	return err
}

func (f PolicyFacts) check(calendars map[string]int64) (wrong []Field) {
	for _, x := range register.CheckTerms(f.Terms, true) {
		wrong = append(wrong, Field{x.Field, x.Detail})
	}
	add := func(field, format string, args ...any) {
		wrong = append(wrong, Field{field, fmt.Sprintf(format, args...)})
	}
	if f.DeskName == "" || len(f.DeskName) > register.MaxName {
		add("desk_name", "say whose desk this is, in at most %d characters", register.MaxName)
	}
	if _, there := calendars[f.Calendar]; !there {
		add("calendar", "there is no calendar %.60q", f.Calendar)
	}
	wrong = append(wrong, unknownCalendars(f.Terms, calendars)...)
	if !slices.Contains([]string{"", "restart", "keep", "by-direction"}, f.OnChange) {
		add("on_change", "%.40q is not known; it is restart, keep, by-direction", f.OnChange)
	}
	for i, q := range []string{f.Quiet1, f.Quiet2, f.Quiet3, f.Quiet4} {
		t, err := calendar.ParseTarget(q)
		field := fmt.Sprintf("quiet_%d", i+1)
		switch {
		case err != nil:
			add(field, "%s", err)
		case t.None || !t.Business && t.Seconds == 0:
			add(field, "no case goes quiet: say after how long it asks for attention")
		}
	}
	return wrong
}
