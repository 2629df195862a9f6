package store

import (
	"context"
	"fmt"
	"time"

	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/register"
)

// Vendor is somebody we buy from.
type Vendor struct {
	ID              int64     `db:"id"`
	Key             string    `db:"key"`
	Name            string    `db:"name"`
	Does            string    `db:"does"`
	Zone            string    `db:"zone"`
	HoursID         int64     `db:"hours_id"`
	ReferencePrefix string    `db:"reference_prefix"`
	CreatedAt       time.Time `db:"created_at"`
	// Profile is what is known beside the columns; its members that are columns are empty.
	Profile JSON[register.Vendor] `db:"profile"`
	Version int64                 `db:"version"`
}

// Level is one of a vendor's own levels; rank 1 is the most severe.
type Level struct {
	ID            int64  `db:"id"`
	VendorID      int64  `db:"vendor_id"`
	Rank          int    `db:"rank"`
	Label         string `db:"label"`
	Meaning       string `db:"meaning"`
	RoundTheClock bool   `db:"round_the_clock"`
	// Channels are those by which it must come; none: any.
	Channels   JSON[[]string] `db:"channels"`
	Criteria   []Criterion
	Severities []int
}

// Criterion is a statement to attest before a level can be filed.
type Criterion struct {
	ID       int64  `db:"id"`
	LevelID  int64  `db:"level_id"`
	Position int    `db:"position"`
	Text     string `db:"text"`
}

// Calendar is a coverage calendar through all its versions; without a vendor it is the desk's own.
type Calendar struct {
	ID       int64  `db:"id"`
	VendorID *int64 `db:"vendor_id"`
	Name     string `db:"name"`
}

// CalendarVersion is one version of a calendar; it never changes.
type CalendarVersion struct {
	ID         int64                     `db:"id"`
	CalendarID int64                     `db:"calendar_id"`
	Name       string                    `db:"name"` // the calendar's
	Definition JSON[calendar.Definition] `db:"definition"`
	// CountsFrom is the local date from which it counts; the first version's is not read.
	CountsFrom time.Time `db:"counts_from"`
	KnownAt    time.Time `db:"known_at"`
}

// Contract is one support contract with a vendor, as far as a case needs it; the
// register has the rest.
type Contract struct {
	ID       int64     `db:"id"`
	VendorID int64     `db:"vendor_id"`
	Number   string    `db:"number"`
	StartsOn time.Time `db:"starts_on"`
	EndsOn   time.Time `db:"ends_on"`
}

// InForce says whether the contract holds on a date, written like 2026-12-25.
func (k Contract) InForce(date string) bool {
	return k.StartsOn.Format(time.DateOnly) <= date && date <= k.EndsOn.Format(time.DateOnly)
}

const contractColumns = "select id, vendor_id, number, starts_on, ends_on from contract "

// Terms are one version of what a contract promises, or, without a contract,
// of what we owe ourselves. They never change.
type Terms struct {
	ID         int64     `db:"id"`
	ContractID *int64    `db:"contract_id"`
	Version    int       `db:"version"`
	OnChange   string    `db:"on_change"`
	WhileOurs  string    `db:"while_ours"`
	MadeAt     time.Time `db:"made_at"`
}

// Term is one promise of some terms.
type Term struct {
	TermsID    int64  `db:"terms_id"`
	Deadline   string `db:"deadline"`
	Rank       int    `db:"rank"`
	Target     string `db:"target"`
	CalendarID *int64 `db:"calendar_id"` // none only where the target is none
	// Kind, Channel and Country narrow the promise; empty ones do not.
	Kind    string `db:"kind"`
	Channel string `db:"channel"`
	Country string `db:"country"`
}

// DeskPolicy is our own desk's part of its terms: its zone and hours, and how
// long a case may be quiet, by severity.
type DeskPolicy struct {
	TermsID    int64  `db:"terms_id"`
	DeskName   string `db:"desk_name"`
	CalendarID int64  `db:"calendar_id"`
	Quiet1     string `db:"quiet_1"`
	Quiet2     string `db:"quiet_2"`
	Quiet3     string `db:"quiet_3"`
	Quiet4     string `db:"quiet_4"`
}

// Vendors are all of them by name.
func Vendors(ctx context.Context, q Querier) (out []Vendor, err error) {
	return out, q.SelectContext(ctx, &out, "select * from vendor order by lower(name)")
}

// VendorByKey takes the key or the whole name, in any case.
func VendorByKey(ctx context.Context, q Querier, key string) (v Vendor, err error) {
	return v, one(q.GetContext(ctx, &v, "select * from vendor where key = lower($1) or lower(name) = lower($1)", key))
}

// VendorByID is ErrNotFound where there is none.
func VendorByID(ctx context.Context, q Querier, id int64) (v Vendor, err error) {
	return v, one(q.GetContext(ctx, &v, "select * from vendor where id = $1", id))
}

// Levels are a vendor's, with criteria and our severities, the most severe first.
func Levels(ctx context.Context, q Querier, vendor int64) ([]Level, error) {
	return LevelsOf(ctx, q, []int64{vendor})
}

// LevelsOf are those of some vendors, by vendor and then the most severe first.
func LevelsOf(ctx context.Context, q Querier, vendors []int64) ([]Level, error) {
	var out []Level
	if err := q.SelectContext(ctx, &out, `select id, vendor_id, rank, label, meaning, round_the_clock, channels from vendor_level
		where vendor_id = any($1) order by vendor_id, rank`, vendors); err != nil {
		return nil, err
	}
	var criteria []Criterion
	if err := q.SelectContext(ctx, &criteria, `select c.id, c.level_id, c.position, c.text from level_criterion c join vendor_level l on l.id = c.level_id
		where l.vendor_id = any($1) and not c.retired order by l.rank, c.position, c.id`, vendors); err != nil {
		return nil, err
	}
	var points []struct {
		Vendor   int64 `db:"vendor_id"`
		Severity int   `db:"severity"`
		Rank     int   `db:"rank"`
	}
	if err := q.SelectContext(ctx, &points, "select vendor_id, severity, rank from severity_level where vendor_id = any($1) order by severity", vendors); err != nil {
		return nil, err
	}
	byID, byRank := map[int64]*Level{}, map[[2]int64]*Level{}
	for i := range out {
		byID[out[i].ID], byRank[[2]int64{out[i].VendorID, int64(out[i].Rank)}] = &out[i], &out[i]
	}
	for _, c := range criteria {
		l := byID[c.LevelID]
		l.Criteria = append(l.Criteria, c)
	}
	for _, p := range points {
		l := byRank[[2]int64{p.Vendor, int64(p.Rank)}]
		l.Severities = append(l.Severities, p.Severity)
	}
	return out, nil
}

// CalendarVersions are all versions of these calendars, of each in the order in
// which they became known.
func CalendarVersions(ctx context.Context, q Querier, calendars []int64) (out []CalendarVersion, err error) {
	return out, q.SelectContext(ctx, &out, `select v.*, c.name from calendar_version v join calendar c on c.id = v.calendar_id
		where v.calendar_id = any($1) order by v.calendar_id, v.counts_from, v.id`, calendars)
}

// CalendarNames are the calendars that a vendor's terms can name: its own, and
// the desk's. Its own come before the desk's of the same name.
func CalendarNames(ctx context.Context, q Querier, vendor int64) (map[string]int64, error) {
	var rows []Calendar
	if err := q.SelectContext(ctx, &rows, "select * from calendar where vendor_id is null or vendor_id = $1 order by vendor_id nulls first", vendor); err != nil {
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
func CalendarIDs(ctx context.Context, q Querier) (NamedCalendars, error) {
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
func OwnCalendars(ctx context.Context, q Querier, vendor int64) (ids []int64, err error) {
	return ids, q.SelectContext(ctx, &ids, "select id from calendar where vendor_id = $1 order by id", vendor)
}

// CalendarStamp changes whenever a version is added, by whichever service.
func CalendarStamp(ctx context.Context, q Querier) (stamp string, err error) {
	return stamp, q.GetContext(ctx, &stamp, "select concat(count(*), '-', max(id)) from calendar_version")
}

// ContractsOf are a vendor's (0: everybody's), those that end last first.
func ContractsOf(ctx context.Context, q Querier, vendor int64) (out []Contract, err error) {
	return out, q.SelectContext(ctx, &out, contractColumns+"where cast($1 as bigint) in (0, vendor_id) order by ends_on desc, id", vendor)
}

// ContractByID is ErrNotFound where there is none.
func ContractByID(ctx context.Context, q Querier, id int64) (c Contract, err error) {
	return c, one(q.GetContext(ctx, &c, contractColumns+"where id = $1", id))
}

// ContractsOfAll are those of some vendors, of each those that end last first.
func ContractsOfAll(ctx context.Context, q Querier, vendors []int64) (out []Contract, err error) {
	return out, q.SelectContext(ctx, &out, contractColumns+"where vendor_id = any($1) order by vendor_id, ends_on desc, id", vendors)
}

// CurrentTermsOf are the newest versions for some contracts.
func CurrentTermsOf(ctx context.Context, q Querier, contracts []int64) (out []Terms, err error) {
	return out, q.SelectContext(ctx, &out, "select distinct on (contract_id) * from terms where contract_id = any($1) order by contract_id, version desc", contracts)
}

// TermsRows are the promises of some terms.
func TermsRows(ctx context.Context, q Querier, terms []int64) (out []Term, err error) {
	return out, q.SelectContext(ctx, &out, "select * from term where terms_id = any($1) order by terms_id, deadline, rank, kind, channel, country", terms)
}

// CurrentTerms is the newest version for a contract; nil asks for our own desk's.
func CurrentTerms(ctx context.Context, q Querier, contract *int64) (t Terms, err error) {
	return t, one(q.GetContext(ctx, &t, "select * from terms where contract_id is not distinct from $1 order by version desc limit 1", contract))
}

// TermsByID gives terms and their promises.
func TermsByID(ctx context.Context, q Querier, id int64) (t Terms, rows []Term, err error) {
	if err = one(q.GetContext(ctx, &t, "select * from terms where id = $1", id)); err != nil {
		return
	}
	rows, err = TermsRows(ctx, q, []int64{id})
	return
}

// Policy is the desk's part of its terms.
func Policy(ctx context.Context, q Querier, terms int64) (p DeskPolicy, err error) {
	return p, one(q.GetContext(ctx, &p, "select * from desk_policy where terms_id = $1", terms))
}

// AddVendor gives the vendor an id.
func AddVendor(ctx context.Context, q Querier, v *Vendor) error {
	v.Version = 1
	return q.GetContext(ctx, &v.ID, `insert into vendor (key, name, does, zone, hours_id, reference_prefix, created_at, profile)
		values ($1, $2, $3, $4, $5, $6, $7, cast($8 as jsonb)) returning id`, v.Key, v.Name, v.Does, v.Zone, v.HoursID, v.ReferencePrefix, v.CreatedAt, v.Profile)
}

// ChangeVendor writes it, unless it is no longer at the version it was read at.
func ChangeVendor(ctx context.Context, q Querier, v *Vendor) (changed bool, err error) {
	return affected(q.ExecContext(ctx, `update vendor set version = version + 1, name = $3, does = $4, zone = $5, hours_id = $6, profile = cast($7 as jsonb)
		where id = $1 and version = $2`, v.ID, v.Version, v.Name, v.Does, v.Zone, v.HoursID, v.Profile))
}

// RemoveVendor takes one out with its levels and the calendars that are its own,
// where nothing else refers to it.
func RemoveVendor(ctx context.Context, q Querier, id, version int64) (removed bool, err error) {
	own, err := OwnCalendars(ctx, q, id)
	if err != nil {
		return false, err
	}
	for _, sql := range []string{"delete from severity_level where vendor_id = $1", "delete from level_criterion where level_id in (select id from vendor_level where vendor_id = $1)",
		"delete from vendor_level where vendor_id = $1", "delete from link where vendor_id = $1"} {
		if _, err := q.ExecContext(ctx, sql, id); err != nil {
			return false, err
		}
	}
	r, err := q.ExecContext(ctx, "delete from vendor where id = $1 and version = $2", id, version)
	if err != nil {
		return false, err
	}
	for _, c := range own {
		if _, err := RemoveCalendar(ctx, q, c); err != nil {
			return false, err
		}
	}
	n, err := r.RowsAffected()
	return n == 1, err
}

// SetLevels makes a vendor's scheme what is given, in order of rank. Conditions
// that somebody attested are retired, not deleted.
func SetLevels(ctx context.Context, q Querier, vendor int64, levels []Level) error {
	if _, err := q.ExecContext(ctx, "delete from severity_level where vendor_id = $1", vendor); err != nil {
		return err
	}
	if _, err := q.ExecContext(ctx, `with gone as (select id from vendor_level where vendor_id = $1 and rank > $2),
		c as (delete from level_criterion where level_id in (select id from gone)) delete from vendor_level where id in (select id from gone)`, vendor, len(levels)); err != nil {
		return err
	}
	for i := range levels {
		l := &levels[i]
		if err := q.GetContext(ctx, &l.ID, `insert into vendor_level (vendor_id, rank, label, meaning, round_the_clock, channels) values ($1, $2, $3, $4, $5, cast($6 as jsonb))
			on conflict (vendor_id, rank) do update set label = excluded.label, meaning = excluded.meaning, round_the_clock = excluded.round_the_clock, channels = excluded.channels
			returning id`, vendor, i+1, l.Label, l.Meaning, l.RoundTheClock, l.Channels); err != nil {
			return err
		}
		texts := []string{}
		for j, c := range l.Criteria {
			texts = append(texts, c.Text)
			if _, err := q.ExecContext(ctx, `with known as (update level_criterion set position = $2, retired = false where level_id = $1 and text = $3 returning id)
				insert into level_criterion (level_id, position, text) select $1, $2, $3 where not exists (select from known)`, l.ID, j+1, c.Text); err != nil {
				return err
			}
		}
		if _, err := q.ExecContext(ctx, "update level_criterion set retired = true where level_id = $1 and text <> all(cast($2 as text[]))", l.ID, texts); err != nil {
			return err
		}
		for _, s := range l.Severities {
			if _, err := q.ExecContext(ctx, "insert into severity_level (vendor_id, severity, rank) values ($1, $2, $3)", vendor, s, i+1); err != nil {
				return err
			}
		}
	}
	return nil
}

// HeldAbove is how many live cases hold a level of a vendor's beyond a rank.
func HeldAbove(ctx context.Context, q Querier, vendor int64, rank int) (n int, err error) {
	return n, q.GetContext(ctx, &n, "select count(*) from support_case where vendor_id = $1 and level_rank > $2 and "+liveCases, vendor, rank)
}

// AddLevel writes a level with its criteria and the severities that point at it.
func AddLevel(ctx context.Context, q Querier, l *Level) error {
	if err := q.GetContext(ctx, &l.ID, `insert into vendor_level (vendor_id, rank, label, meaning, round_the_clock)
		values ($1, $2, $3, $4, $5) returning id`, l.VendorID, l.Rank, l.Label, l.Meaning, l.RoundTheClock); err != nil {
		return err
	}
	for i, c := range l.Criteria {
		if _, err := q.ExecContext(ctx, "insert into level_criterion (level_id, position, text) values ($1, $2, $3)", l.ID, i+1, c.Text); err != nil {
			return err
		}
	}
	for _, s := range l.Severities {
		if _, err := q.ExecContext(ctx, "insert into severity_level (vendor_id, severity, rank) values ($1, $2, $3)", l.VendorID, s, l.Rank); err != nil {
			return err
		}
	}
	return nil
}

// AddCalendar gives the calendar an id; it needs a version too.
func AddCalendar(ctx context.Context, q Querier, c *Calendar) error {
	return q.GetContext(ctx, &c.ID, "insert into calendar (vendor_id, name) values ($1, $2) returning id", c.VendorID, c.Name)
}

// AddCalendarVersion writes a version of a calendar.
func AddCalendarVersion(ctx context.Context, q Querier, v *CalendarVersion) error {
	return q.GetContext(ctx, &v.ID, `insert into calendar_version (calendar_id, definition, counts_from, known_at)
		values ($1, cast($2 as jsonb), $3, $4) returning id`, v.CalendarID, v.Definition, v.CountsFrom, v.KnownAt)
}

// AddContract gives the contract an id.
func AddContract(ctx context.Context, q Querier, c *Contract) error {
	return q.GetContext(ctx, &c.ID, `insert into contract (vendor_id, number, starts_on, ends_on, facts)
		values ($1, $2, $3, $4, jsonb_build_object('number', cast($2 as text), 'everything', true)) returning id`, c.VendorID, c.Number, c.StartsOn, c.EndsOn)
}

// AddTerms writes a version with its promises.
func AddTerms(ctx context.Context, q Querier, t *Terms, rows []Term) error {
	if err := q.GetContext(ctx, &t.ID, `insert into terms (contract_id, version, on_change, while_ours, made_at)
		values ($1, $2, $3, $4, $5) returning id`, t.ContractID, t.Version, t.OnChange, t.WhileOurs, t.MadeAt); err != nil {
		return err
	}
	for _, r := range rows {
		if _, err := q.ExecContext(ctx, "insert into term (terms_id, deadline, rank, target, calendar_id, kind, channel, country) values ($1, $2, $3, $4, $5, $6, $7, $8)",
			t.ID, r.Deadline, r.Rank, r.Target, r.CalendarID, r.Kind, r.Channel, r.Country); err != nil {
			return err
		}
	}
	return nil
}

// AddPolicy writes the desk's part of its terms.
func AddPolicy(ctx context.Context, q Querier, p DeskPolicy) error {
	_, err := q.ExecContext(ctx, `insert into desk_policy (terms_id, desk_name, calendar_id, quiet_1, quiet_2, quiet_3, quiet_4)
		values ($1, $2, $3, $4, $5, $6, $7)`, p.TermsID, p.DeskName, p.CalendarID, p.Quiet1, p.Quiet2, p.Quiet3, p.Quiet4)
	return err
}

// LiveCounts is the number of live cases by vendor.
func LiveCounts(ctx context.Context, q Querier) (map[int64]int, error) {
	var rows []struct {
		Vendor int64 `db:"vendor_id"`
		N      int   `db:"n"`
	}
	if err := q.SelectContext(ctx, &rows, `select vendor_id, count(*) as n from support_case
		where state in ('filed', 'open', 'fix-offered') group by vendor_id`); err != nil {
		return nil, err
	}
	out := map[int64]int{}
	for _, r := range rows {
		out[r.Vendor] = r.N
	}
	return out, nil
}

// BeginCalendar adds a calendar with its first version, which counts from an instant on.
func BeginCalendar(ctx context.Context, q Querier, c *Calendar, def calendar.Definition, at time.Time) error {
	if err := AddCalendar(ctx, q, c); err != nil {
		return err
	}
	return ExtendCalendar(ctx, q, c.ID, def, at, at)
}

// ExtendCalendar adds a version to a calendar, which counts from a date on and is
// known from an instant on.
func ExtendCalendar(ctx context.Context, q Querier, calendar int64, def calendar.Definition, from, known time.Time) error {
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
}

// CalendarUses are all calendars by name.
func CalendarUses(ctx context.Context, q Querier) (out []CalendarUse, err error) {
	return out, q.SelectContext(ctx, &out, `select c.*, v.key as vendor, (select count(*) from vendor x where x.hours_id = c.id) as vendors,
		(select count(distinct t.terms_id) from term t where t.calendar_id = c.id) as terms,
		(select count(*) from deadline d where d.calendar_id = c.id and d.outcome = 'live') as clocks
		from calendar c left join vendor v on v.id = c.vendor_id order by c.name, c.id`)
}

// CasesCountingIn are the live cases whose dates follow from a calendar: by a
// running clock, or by our own limits where they count in it.
func CasesCountingIn(ctx context.Context, q Querier, calendar int64) (ids []int64, err error) {
	return ids, q.SelectContext(ctx, &ids, `select c.id from support_case c where c.`+liveCases+` and
		(exists (select from deadline d where d.case_id = c.id and d.outcome = 'live' and d.calendar_id = $1)
		or exists (select from desk_policy p where p.calendar_id = $1 and p.terms_id = c.policy_id)) order by c.id`, calendar)
}

// RemoveCalendar takes one out with its versions, where nothing counts in it.
func RemoveCalendar(ctx context.Context, q Querier, id int64) (removed bool, err error) {
	// Versions never change; they go only with the whole of their calendar.
	if _, err := q.ExecContext(ctx, "select set_config('roundhouse.removing', $1, true)", fmt.Sprint(id)); err != nil {
		return false, err
	}
	if _, err := q.ExecContext(ctx, "delete from calendar_version where calendar_id = $1", id); err != nil {
		return false, err
	}
	return affected(q.ExecContext(ctx, "delete from calendar where id = $1", id))
}
