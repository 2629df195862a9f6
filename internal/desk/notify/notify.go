// Package notify tells our people what happens on cases: what comes due, what a vendor says, who has a case now. Each
// thing is told once, to each of those whom it concerns, as they chose.
package notify

import (
	"context"
	"fmt"
	"slices"
	"time"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/notify"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/hours"
	"roundhouse.example/internal/store/db"
	notifydb "roundhouse.example/internal/store/notify"
	peopledb "roundhouse.example/internal/store/people"
	rotadb "roundhouse.example/internal/store/rota"
	webhookdb "roundhouse.example/internal/store/webhook"
)

// Notify is the subject. Use New.
type Notify struct {
	*desk.Desk
	db    *db.Store
	hours *hours.Hours
}

// New makes the subject over a desk's database.
func New(d *desk.Desk, db *db.Store, h *hours.Hours) *Notify { return &Notify{d, db, h} }

// about is an event with what decides who is told of it.
type about struct {
	notifydb.Event
	vendor    int64
	owner     int64
	whose     int64
	mentioned []int64
}

// tell keeps events and gives those whom they concern their notifications, unless that was done before. It gives how
// many events were new.
func (d *Notify) tell(ctx context.Context, tx *db.Tx, list []about) (int, error) {
	if len(list) == 0 {
		return 0, nil
	}
	now, of, rows := d.Now(), map[string]about{}, make([]notifydb.Event, len(list))
	for i, a := range list {
		var err error
		if a.MadeAt = now; a.Kind.Then() != "" {
			if a.AgainAt, err = d.again(ctx, tx, a.Severity); err != nil {
				return 0, err
			}
		}
		of[fmt.Sprint(a.CaseID, " ", a.Key)], rows[i] = a, a.Event
	}
	fresh, err := notifydb.AddEvents(ctx, tx, rows)
	if err != nil || len(fresh) == 0 {
		return 0, err
	}
	w, err := d.whom(ctx, tx, list, now)
	if err != nil {
		return 0, err
	}
	var told []notifydb.Notification
	var ids []int64
	for _, e := range fresh {
		told = append(told, w.told(of[fmt.Sprint(e.CaseID, " ", e.Key)], e)...)
		ids = append(ids, e.ID)
	}
	if err := notifydb.Add(ctx, tx, told); err != nil {
		return 0, err
	}
	if err := webhookdb.Deliver(ctx, tx, ids, now); err != nil {
		return 0, err
	}
	return len(fresh), d.ring(ctx, tx, told)
}

// ring lets the open pages of those who are told look.
func (d *Notify) ring(ctx context.Context, tx *db.Tx, told []notifydb.Notification) error {
	rung := map[int64]bool{}
	for _, n := range told {
		if rung[n.PersonID] {
			continue
		}
		rung[n.PersonID] = true
		if err := tx.Tell(ctx, desk.PersonTold, fmt.Sprint(n.PersonID)); err != nil {
			return err
		}
	}
	return nil
}

// again is when the leads are told, if nobody reacts: by our policy, for severity 1 round the clock. It is nil
// where our hours have no time for that.
func (d *Notify) again(ctx context.Context, q db.Querier, severity int) (*time.Time, error) {
	p, err := d.hours.Ours(ctx, q)
	if err != nil {
		return nil, err
	}
	target := p.React[min(max(severity, 1), 4)]
	if severity == 1 && !target.Business {
		return new(d.Now().Add(time.Duration(target.Seconds) * time.Second)), nil
	}
	due, err := p.Hours.Latest().DueTarget(d.Now().Unix(), target)
	if err != nil {
		return nil, nil //nolint:nilerr // hours that never open leave no time in which anybody could react
	}
	return new(db.Instant(due)), nil
}

// whom knows everybody whom events may concern.
type whom struct {
	people   map[int64]peopledb.Person
	settings map[int64]notifydb.Settings
	watchers []notifydb.Watcher
	known    notify.Known
	zone     string
	now      time.Time
}

func (d *Notify) whom(ctx context.Context, q db.Querier, list []about, now time.Time) (w whom, err error) {
	var cases, vendors []int64
	for _, a := range list {
		cases, vendors = append(cases, a.CaseID), append(vendors, a.vendor)
	}
	w.people, w.now = map[int64]peopledb.Person{}, now
	all, err := peopledb.All(ctx, q)
	if err != nil {
		return w, err
	}
	var administrators []int64
	for _, p := range all {
		if !p.Active {
			continue
		}
		w.people[p.ID] = p
		switch p.Role {
		case "lead":
			w.known.Leads = append(w.known.Leads, p.ID)
		case "administrator":
			administrators = append(administrators, p.ID)
		}
	}
	if len(w.known.Leads) == 0 {
		w.known.Leads = administrators
	}
	if w.settings, err = notifydb.SettingsOf(ctx, q, nil); err != nil {
		return w, err
	}
	if w.watchers, err = notifydb.Watchers(ctx, q, cases, vendors); err != nil {
		return w, err
	}
	on, err := rotadb.Between(ctx, q, now, now.Add(time.Second))
	if err != nil {
		return w, err
	}
	if len(on) > 0 {
		w.known.Rota = on[0].PersonID
	}
	zone, err := d.hours.Zone(ctx, q)
	if err == nil {
		w.zone = zone.String()
	}
	return w, err
}

// told are the notifications of an event.
func (w *whom) told(a about, e notifydb.Event) (out []notifydb.Notification) {
	known := w.known
	known.Watching = nil
	for _, x := range w.watchers {
		if x.CaseID != nil && *x.CaseID == a.CaseID || x.VendorID != nil && *x.VendorID == a.vendor ||
			x.Severity != nil && *x.Severity == a.Severity {
			known.Watching = append(known.Watching, x.PersonID)
		}
	}
	for _, t := range notify.Whom(notify.Event{Kind: e.Kind, Severity: e.Severity, Owner: a.owner, Whose: a.whose,
		Actor: desk.Deref(e.ActorID), Mentioned: a.mentioned}, known) {
		p, there := w.people[t.Person]
		grant := access.Of(p.Role)
		if !there || !grant.SeesVendor(a.vendor) || e.Kind == notify.Mention && !grant.Notes {
			continue
		}
		s := settingsOf(p, w.settings[p.ID], w.zone)
		way := s.Way(e.Kind)
		if way == notify.Off {
			continue
		}
		n := notifydb.Notification{EventID: e.ID, PersonID: p.ID, Because: t.Because}
		if way == notify.Email {
			n.EmailAt = new(db.Instant(s.EmailAt(w.now.Unix(), e.Severity)))
		}
		out = append(out, n)
	}
	return out
}

// settingsOf are a person's settings in the core's terms, in the person's zone or, where they have none, the desk's.
func settingsOf(p peopledb.Person, s notifydb.Settings, zone string) notify.Settings {
	if p.Zone != "" {
		zone = p.Zone
	}
	return notify.Settings{Ways: s.Ways.V, QuietFrom: s.QuietFrom, QuietTo: s.QuietTo, QuietAlways: s.QuietAlways,
		Digest: s.DigestAt, Zone: zone}
}

// active are those of our people who work here now, for mentions.
func (d *Notify) active(ctx context.Context, q db.Querier) ([]notify.Person, error) {
	all, err := peopledb.All(ctx, q)
	all = slices.DeleteFunc(all, func(p peopledb.Person) bool { return !p.Active })
	out := make([]notify.Person, len(all))
	for i, p := range all {
		out[i] = notify.Person{ID: p.ID, Name: p.Name, Email: p.Email}
	}
	return out, err
}
