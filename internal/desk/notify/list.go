package notify

import (
	"context"
	"maps"
	"math"
	"slices"
	"time"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/notify"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/store/db"
	notifydb "roundhouse.example/internal/store/notify"
)

// Row is a notification with what it is of.
type Row = notifydb.Row

// List is a page of what somebody was told.
type List struct {
	Items []Row
	More  bool
	Last  int64 // the id with which the page ends, where there is more
	// Unread is how many of all they have not read; mostUnread stands for that many or more.
	Unread int
}

// mostUnread is as far as unread notifications are counted.
const mostUnread = 1000

// tolerance is how long after its instant something may be told before that is said.
const tolerance = 5 * time.Minute

// ToldLate is how long after its instant something was told; 0 where it was told in time.
func ToldLate(e notifydb.Event) time.Duration {
	if late := e.MadeAt.Sub(e.HappenedAt); (e.Kind == notify.Due || e.Kind == notify.Message) && late > tolerance {
		return late
	}
	return 0
}

// List is what a person was told, the newest first; before is the id that the last page ended with.
func (d *Notify) List(ctx context.Context, a desk.Actor, unread bool, before int64, limit int) (out List, err error) {
	if err := a.May(access.Read); err != nil {
		return out, err
	}
	rows, err := notifydb.Of(ctx, d.db.DB, a.ID, notifydb.Query{Unread: unread, Before: before, Limit: limit + 1})
	if err != nil {
		return out, err
	}
	if out.More = len(rows) > limit; out.More {
		rows = rows[:limit]
		out.Last = rows[limit-1].ID
	}
	grant := a.Grant()
	out.Items = slices.DeleteFunc(rows, func(r Row) bool {
		return !grant.SeesVendor(r.VendorID) || r.Kind == notify.Mention && !grant.Notes
	})
	out.Unread, err = notifydb.CountUnread(ctx, d.db.DB, a.ID, mostUnread)
	return out, err
}

// Read marks some of a person's notifications as read, or all of them up to one.
func (d *Notify) Read(ctx context.Context, a desk.Actor, ids []int64, through int64) error {
	if err := a.May(access.Read); err != nil {
		return err
	}
	if len(ids) == 0 {
		ids = nil
	}
	if through == 0 {
		through = math.MaxInt64
	}
	return d.db.Do(ctx, func(tx *db.Tx) error {
		if err := notifydb.Read(ctx, tx, a.ID, ids, through, d.Now()); err != nil {
			return err
		}
		return d.ring(ctx, tx, []notifydb.Notification{{PersonID: a.ID}})
	})
}

// ReadCase marks what a person was told of a case up to an entry as read, as they have opened it.
func (d *Notify) ReadCase(ctx context.Context, tx *db.Tx, person, caseID int64, entry int) error {
	changed, err := notifydb.ReadCase(ctx, tx, person, caseID, entry, d.Now())
	if err != nil || !changed {
		return err
	}
	return d.ring(ctx, tx, []notifydb.Notification{{PersonID: person}})
}

// Choices are what a person wants to be told, and how.
type Choices struct {
	Ways        map[notify.Kind]notify.Way `json:"ways"` // each kind has one
	QuietFrom   string                     `json:"quiet_from"`
	QuietTo     string                     `json:"quiet_to"`
	QuietAlways bool                       `json:"quiet_always"`
	DigestAt    string                     `json:"digest_at"`
}

// View is a person's choices with what follows from them.
type View struct {
	Choices
	Zone    string // in which the times of day are
	Version int64
	// NextDigest is nil where none goes.
	NextDigest *time.Time
	// NoEmail says that the desk sends its people no email.
	NoEmail bool
}

// Settings are what a person wants to be told.
func (d *Notify) Settings(ctx context.Context, a desk.Actor) (View, error) {
	if err := a.May(access.Read); err != nil {
		return View{}, err
	}
	row, zone, err := d.settings(ctx, d.db.DB, a)
	if err != nil {
		return View{}, err
	}
	return d.view(ctx, a, row, zone)
}

func (d *Notify) settings(ctx context.Context, q db.Querier, a desk.Actor) (row notifydb.Settings, zone string,
	err error) {
	rows, err := notifydb.SettingsOf(ctx, q, []int64{a.ID})
	if err != nil {
		return row, "", err
	}
	loc, err := d.hours.Zone(ctx, q)
	if err != nil {
		return row, "", err
	}
	row = rows[a.ID]
	row.PersonID = a.ID
	return row, loc.String(), nil
}

func (d *Notify) view(ctx context.Context, a desk.Actor, row notifydb.Settings, zone string) (View, error) {
	s := settingsOf(a.Person, row, zone)
	v := View{Choices: Choices{map[notify.Kind]notify.Way{}, row.QuietFrom, row.QuietTo, row.QuietAlways, row.DigestAt},
		Zone: s.Zone, Version: row.Version, NextDigest: row.DigestNextAt}
	for _, k := range notify.Kinds {
		v.Ways[k] = s.Way(k)
	}
	p, err := d.hours.Ours(ctx, d.db.DB)
	v.NoEmail = err == nil && p.EmailLink == ""
	return v, err
}

// Choose changes what a person wants to be told; match is the version that was read.
func (d *Notify) Choose(ctx context.Context, a desk.Actor, match int64, patch []byte) (View, error) {
	if err := a.May(access.Read); err != nil {
		return View{}, err
	}
	var row notifydb.Settings
	var zone string
	err := d.db.Do(ctx, func(tx *db.Tx) (err error) {
		if row, zone, err = d.settings(ctx, tx, a); err != nil {
			return err
		}
		if row.Version != match {
			return &desk.Stale{What: "notification settings"}
		}
		c := Choices{maps.Clone(row.Ways.V), row.QuietFrom, row.QuietTo, row.QuietAlways, row.DigestAt}
		if err := desk.Merge(&c, patch); err != nil {
			return err
		}
		row.Ways.V, row.QuietFrom, row.QuietTo, row.QuietAlways, row.DigestAt = c.Ways, c.QuietFrom, c.QuietTo,
			c.QuietAlways, c.DigestAt
		s := settingsOf(a.Person, row, zone)
		if field, err := s.Check(); err != nil {
			return desk.Fault(field, "%s", err)
		}
		next, err := s.NextDigest(d.Now())
		if err != nil {
			return err
		}
		if row.DigestNextAt = nil; !next.IsZero() {
			row.DigestNextAt = &next
		}
		changed, err := notifydb.SaveSettings(ctx, tx, row)
		if err == nil && !changed {
			err = &desk.Stale{What: "notification settings"}
		}
		row.Version++
		return err
	})
	if err != nil {
		return View{}, err
	}
	return d.view(ctx, a, row, zone)
}
