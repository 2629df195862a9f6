package desk

import (
	"cmp"
	"context"
	"errors"
	"time"

	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/store"
)

// Beginning is what a desk is that begins with nothing.
type Beginning struct {
	Name string // "Our desk" where empty
	Zone string // of its office hours; UTC where empty
}

// ours is what a desk promises itself until it says otherwise: an answer and a
// check of a fix by severity, and when a case has been quiet for too long.
var ours = []register.Term{
	{Deadline: "our-answer", Level: 1, Target: "1h", Calendar: "round-the-clock"}, {Deadline: "our-answer", Level: 2, Target: "4h", Calendar: "our-desk"},
	{Deadline: "our-answer", Level: 3, Target: "1bd", Calendar: "our-desk"}, {Deadline: "our-answer", Level: 4, Target: "3bd", Calendar: "our-desk"},
	{Deadline: "verification", Level: 1, Target: "2h", Calendar: "round-the-clock"}, {Deadline: "verification", Level: 2, Target: "1bd", Calendar: "our-desk"},
	{Deadline: "verification", Level: 3, Target: "3bd", Calendar: "our-desk"}, {Deadline: "verification", Level: 4, Target: "5bd", Calendar: "our-desk"},
}

// ErrBegun is returned where a desk has people already: they add the others.
var ErrBegun = errors.New("this desk has people already: sign in as an administrator")

// Begin gives a desk that has nobody its first administrator, and its hours and
// policy where it has none, to be changed from then on.
func (d *Desk) Begin(ctx context.Context, n NewPerson, b Beginning) (store.Person, error) {
	b = Beginning{orElse(b.Name, "Our desk"), orElse(b.Zone, "UTC")}
	if _, err := time.LoadLocation(b.Zone); err != nil || b.Zone == "Local" {
		return store.Person{}, invalid("zone", "%q is not a known time zone; name one like Europe/Oslo", b.Zone)
	}
	p, err := d.newPerson(n)
	if err != nil {
		return p, err
	}
	err = d.Store.Do(ctx, func(tx *store.Tx) error {
		if there, err := store.People(ctx, tx); err != nil || len(there) > 0 {
			return cmp.Or(err, ErrBegun)
		}
		if n.Role != "administrator" {
			return invalid("role", "the first person is an administrator, who adds the others")
		}
		if err := store.AddPerson(ctx, tx, &p); err != nil {
			return err
		}
		if _, err := store.CurrentTerms(ctx, tx, nil); !errors.Is(err, store.ErrNotFound) {
			return err
		}
		return d.firstPolicy(ctx, tx, b)
	})
	return p, err
}

func (d *Desk) firstPolicy(ctx context.Context, tx *store.Tx, b Beginning) error {
	now := d.Now()
	ids, err := store.CalendarNames(ctx, tx, 0)
	if err != nil {
		return err
	}
	office := map[string][]string{}
	for _, day := range []string{"mon", "tue", "wed", "thu", "fri"} {
		office[day] = []string{"08:00-16:00"}
	}
	for name, def := range map[string]calendar.Definition{"round-the-clock": {Always: true}, "our-desk": {Zone: b.Zone, Week: office}} {
		if ids[name] != 0 {
			continue
		}
		c := store.Calendar{Name: name}
		if err := store.BeginCalendar(ctx, tx, &c, def, now); err != nil {
			return err
		}
		ids[name] = c.ID
	}
	t := store.Terms{Version: 1, OnChange: "by-direction", WhileOurs: "pause", MadeAt: now}
	if err := store.AddTerms(ctx, tx, &t, termRows(ours, ids)); err != nil {
		return err
	}
	return store.AddPolicy(ctx, tx, store.DeskPolicy{TermsID: t.ID, DeskName: b.Name, CalendarID: ids["our-desk"], Quiet1: "2h", Quiet2: "1bd", Quiet3: "3bd", Quiet4: "10bd"})
}
