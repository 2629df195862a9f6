// Package rota is who can be reached round the clock: people take shifts, gaps are shown ahead, and the vendor of a
// case that needs it is told who it is.
package rota

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/rota"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/hours"
	"roundhouse.example/internal/store/db"
	peopledb "roundhouse.example/internal/store/people"
	rotadb "roundhouse.example/internal/store/rota"
)

// Period is a shift as it is kept.
type Period = rotadb.Period

// Rota is the subject. Use New.
type Rota struct {
	*desk.Desk
	db    *db.Store
	hours *hours.Hours
}

// New makes the subject over a desk's database.
func New(d *desk.Desk, db *db.Store, h *hours.Hours) *Rota { return &Rota{d, db, h} }

// View is the rota of a stretch of time.
type View struct {
	From, Until time.Time
	Zone        string // the desk's
	Periods     []Period
	Gaps        []rota.Gap // the last may have no end
	// Now is the id of the period that holds now; 0 where nobody is on.
	Now int64
	// Cases are the numbers of the first live cases whose vendor level needs a contact round the clock, Needing how many
	// there are.
	Cases   []int64
	Needing int
}

// maxDays is how far ahead the rota is shown, maxShifts how many shifts are planned at once, and maxNamed how many of
// the cases that need a contact are named.
const (
	maxDays   = 366
	maxShifts = 60
	maxNamed  = 10
)

// Show gives the rota of some days from now on (1 to 366), with the period that is running.
func (d *Rota) Show(ctx context.Context, a desk.Actor, days int) (v View, err error) {
	if err := a.May(access.Read); err != nil {
		return v, err
	}
	now := d.Now()
	v.From, v.Until = now, now.AddDate(0, 0, min(max(days, 1), maxDays))
	if v.Periods, err = rotadb.Between(ctx, d.db.DB, v.From, v.Until); err != nil {
		return v, err
	}
	zone, err := d.hours.Zone(ctx, d.db.DB)
	if err != nil {
		return v, err
	}
	v.Zone = zone.String()
	covering := covered(v.Periods)
	v.Gaps = open(rota.Gaps(covering, v.From, v.Until), v.Until)
	if on := rota.On(covering, now); on != nil {
		for _, p := range v.Periods {
			if p.StartsAt.Equal(on.From) {
				v.Now = p.ID
			}
		}
	}
	v.Cases, v.Needing, err = rotadb.Needing(ctx, d.db.DB, maxNamed)
	return v, err
}

// covered are the periods of people who still work here, as the core reads them.
func covered(rows []Period) (out []rota.Period) {
	for _, p := range rows {
		if p.Active {
			out = append(out, rota.Period{From: p.StartsAt, Until: p.EndsAt, Name: p.Name, Phone: p.Phone})
		}
	}
	return out
}

// ahead is how far a vendor is told who can be reached, and how far ahead a gap is warned of.
const (
	ahead = 72 * time.Hour
	warns = 7 * 24 * time.Hour
)

// Contact is how a vendor reads who can be reached round the clock from now on; empty where nobody is on.
func (d *Rota) Contact(ctx context.Context, q db.Querier) (string, error) {
	now := d.Now()
	rows, err := rotadb.Between(ctx, q, now, now.Add(ahead))
	return rota.Contact(covered(rows), now, ahead), err
}

// open leaves the end of a gap out that goes on past what was looked at.
func open(gaps []rota.Gap, until time.Time) []rota.Gap {
	if n := len(gaps); n > 0 && !gaps[n-1].Until.Before(until) {
		gaps[n-1].Until = time.Time{}
	}
	return gaps
}

// Gaps are the stretches between two instants in which nobody can be reached; the last may have no end.
func (d *Rota) Gaps(ctx context.Context, q db.Querier, from, until time.Time) ([]rota.Gap, error) {
	rows, err := rotadb.Between(ctx, q, from, until)
	return open(rota.Gaps(covered(rows), from, until), until), err
}

// Gap is the next stretch within a week in which nobody can be reached, while a live case needs it. It
// has no end where no shift follows.
type Gap struct {
	rota.Gap
	Cases   []int64 // the first that need it
	Needing int     // how many need it
}

// Warn gives the next gap, or nil where no live case needs anybody, or somebody is always there.
func (d *Rota) Warn(ctx context.Context, q db.Querier) (*Gap, error) {
	now := d.Now()
	rows, err := rotadb.Between(ctx, q, now, now.Add(warns))
	gaps := open(rota.Gaps(covered(rows), now, now.Add(warns)), now.Add(warns))
	if err != nil || len(gaps) == 0 {
		return nil, err
	}
	cases, needing, err := rotadb.Needing(ctx, q, maxNamed)
	if err != nil || needing == 0 {
		return nil, err
	}
	return &Gap{gaps[0], cases, needing}, nil
}

// Shift is a period to be added or changed. A person is named by email address; where the phone is left out it is the
// person's own.
type Shift struct {
	From, Until         time.Time
	Person, Phone, Note string
}

// Plan is several shifts of some days each, that people take one after the other.
type Plan struct {
	From   time.Time
	Days   int      // of each shift
	Shifts int      // in all
	People []string // by email address, in order
}

// Add adds one shift.
func (d *Rota) Add(ctx context.Context, a desk.Actor, n Shift) (Period, error) {
	if err := a.May(access.Work); err != nil {
		return Period{}, err
	}
	return desk.Once(ctx, d.Desk, func(tx *db.Tx) (Period, error) { return d.add(ctx, tx, n) })
}

// Share adds a plan's shifts: all of them or none.
func (d *Rota) Share(ctx context.Context, a desk.Actor, p Plan) (int, error) {
	if err := a.May(access.Work); err != nil {
		return 0, err
	}
	switch {
	case len(p.People) == 0:
		return 0, desk.Fault("people", "name at least one person")
	case p.Days < 1 || p.Days > maxDays:
		return 0, desk.Fault("days", "a shift has 1 to %d days", maxDays)
	case p.Shifts < 1 || p.Shifts > maxShifts:
		return 0, desk.Fault("shifts", "plan 1 to %d shifts", maxShifts)
	}
	return desk.Once(ctx, d.Desk, func(tx *db.Tx) (int, error) {
		zone, err := d.hours.Zone(ctx, tx)
		if err != nil {
			return 0, err
		}
		for i, t := range rota.Shifts(p.From.In(zone), p.Days, p.Shifts) {
			n := Shift{From: t.From, Until: t.Until, Person: p.People[i%len(p.People)]}
			if _, err := d.add(ctx, tx, n); err != nil {
				return 0, err
			}
		}
		return p.Shifts, nil
	})
}

func (d *Rota) add(ctx context.Context, tx *db.Tx, n Shift) (p Period, err error) {
	if err := d.fill(ctx, tx, &p, n); err != nil {
		return p, err
	}
	return p, overlap(rotadb.Insert(ctx, tx, &p))
}

// fill puts a shift into a row, and says all that is wrong with it.
func (d *Rota) fill(ctx context.Context, tx *db.Tx, p *Period, n Shift) error {
	var wrong []desk.Field
	if !n.Until.After(n.From) {
		wrong = append(wrong, desk.Field{Name: "until", Detail: "it has to be later than the start"})
	} else if !n.Until.After(d.Now()) {
		wrong = append(wrong, desk.Field{Name: "until", Detail: "this shift is over already: give a later time"})
	}
	who, err := peopledb.ByEmail(ctx, tx, strings.TrimSpace(n.Person))
	switch {
	case errors.Is(err, db.ErrNotFound):
		wrong = append(wrong, desk.Field{Name: "person", Detail: fmt.Sprintf("nobody here has the address %q", n.Person)})
	case err != nil:
		return err
	case !who.Active:
		wrong = append(wrong, desk.Field{Name: "person", Detail: who.Name + " no longer works here"})
	}
	phone := strings.TrimSpace(n.Phone)
	if phone == "" {
		phone = who.Phone
	}
	if err == nil && !rota.Callable(phone) {
		detail := fmt.Sprintf("%q is not a phone number: write it with its country code, like +44 1632 960 011", phone)
		if phone == "" {
			detail = who.Name + " has no phone number: give one"
		}
		wrong = append(wrong, desk.Field{Name: "phone", Detail: detail})
	}
	if len(wrong) > 0 {
		return &desk.Invalid{Fields: wrong}
	}
	p.StartsAt, p.EndsAt = n.From.UTC().Truncate(time.Second), n.Until.UTC().Truncate(time.Second)
	p.PersonID, p.Name, p.Email, p.Active, p.Phone, p.Note = who.ID, who.Name, who.Email, true, phone,
		strings.TrimSpace(n.Note)
	return d.alone(ctx, tx, *p)
}

// alone refuses a period while somebody else is on, and says who. The database refuses what comes in between.
func (d *Rota) alone(ctx context.Context, tx *db.Tx, p Period) error {
	rows, err := rotadb.Between(ctx, tx, p.StartsAt, p.EndsAt)
	if err != nil {
		return err
	}
	rows = slices.DeleteFunc(rows, func(r Period) bool { return r.ID == p.ID })
	if len(rows) == 0 {
		return nil
	}
	zone, err := d.hours.Zone(ctx, tx)
	if err != nil {
		return err
	}
	in := func(t time.Time) string { return t.In(zone).Format("Mon 2 Jan 2006 15:04") }
	return desk.Fault("from", "%s is on from %s to %s (%s): change that shift first, or begin where it ends", rows[0].Name,
		in(rows[0].StartsAt), in(rows[0].EndsAt), zone)
}

// overlap is an error of the database's in words.
func overlap(err error) error {
	if db.Excluded(err, "rota_period_alone") {
		return desk.Fault("from", "two shifts overlap")
	}
	return err
}

// Edit changes a shift; nil leaves a thing as it is.
type Edit struct {
	From, Until         *time.Time
	Person, Phone, Note *string
}

// Change changes a shift; match is the version that was read.
func (d *Rota) Change(ctx context.Context, a desk.Actor, id, match int64, ch Edit) (Period, error) {
	if err := a.May(access.Work); err != nil {
		return Period{}, err
	}
	return desk.Once(ctx, d.Desk, func(tx *db.Tx) (Period, error) {
		p, err := rotadb.ByID(ctx, tx, id)
		if err != nil {
			return p, err
		}
		n := Shift{p.StartsAt, p.EndsAt, p.Email, p.Phone, p.Note}
		if ch.Person != nil && *ch.Person != p.Email && ch.Phone == nil {
			n.Phone = "" // another person has another phone
		}
		desk.Put(&n.Person, ch.Person)
		desk.Put(&n.Phone, ch.Phone)
		desk.Put(&n.Note, ch.Note)
		desk.Put(&n.From, ch.From)
		desk.Put(&n.Until, ch.Until)
		if err := d.fill(ctx, tx, &p, n); err != nil {
			return p, err
		}
		p.Version = match
		changed, err := rotadb.Save(ctx, tx, p)
		if err != nil {
			return p, overlap(err)
		}
		p.Version++
		return p, desk.IfStale(changed, "shift")
	})
}

// Remove takes a shift out; match is the version that was read.
func (d *Rota) Remove(ctx context.Context, a desk.Actor, id, match int64) error {
	if err := a.May(access.Work); err != nil {
		return err
	}
	return d.db.Do(ctx, func(tx *db.Tx) error {
		if _, err := rotadb.ByID(ctx, tx, id); err != nil {
			return err
		}
		removed, err := rotadb.Delete(ctx, tx, id, match)
		return errors.Join(err, desk.IfStale(removed, "shift"))
	})
}
