// Package mailing sends our own people email: what they are told, gathered into one, and a digest at the hour that they
// chose.
package mailing

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"golang.org/x/sync/errgroup"

	"roundhouse.example/internal/channel"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/digest"
	"roundhouse.example/internal/desk/hours"
	"roundhouse.example/internal/desk/secrets"
	"roundhouse.example/internal/failpoint"
	"roundhouse.example/internal/store/db"
	inboxdb "roundhouse.example/internal/store/inbox"
	notifydb "roundhouse.example/internal/store/notify"
	peopledb "roundhouse.example/internal/store/people"
)

// Mailing is the subject. Use New.
type Mailing struct {
	*desk.Desk
	db      *db.Store
	hours   *hours.Hours
	secrets *secrets.Secrets
	digests *digest.Digests
	// Console is the address of the console, without a slash at its end; empty where it is not known.
	Console string
}

// New makes the subject over a desk's database.
func New(d *desk.Desk, db *db.Store, h *hours.Hours, s *secrets.Secrets, g *digest.Digests) *Mailing {
	return &Mailing{Desk: d, db: db, hours: h, secrets: s, digests: g}
}

const (
	// mostPersons is how many people get an email at a time, mostAtOnce how many emails are sent at once.
	mostPersons, mostAtOnce = 10, 2
	// mostLines is how many notifications an email has.
	mostLines = 200
	// again is how long after an email that did not leave the next one is tried, unsure how long after one of which
	// nobody knows whether it left.
	again, unsure = 2 * time.Minute, 5 * time.Minute
	// mostTries is how often one is tried of which nobody knows.
	mostTries = 5
)

// Run sends what is due, as far as the mail server takes it. Several services may do it at once: each email is taken by
// one.
func (d *Mailing) Run(ctx context.Context) error {
	link, zone, err := d.link(ctx)
	if err != nil || link == nil {
		return err
	}
	if err := errors.Join(d.gather(ctx, zone), d.digest(ctx, zone)); err != nil {
		return err
	}
	now := d.Now()
	var emails []notifydb.Email
	err = d.db.Do(ctx, func(tx *db.Tx) (err error) {
		if err := tx.Durable(ctx); err != nil {
			return err
		}
		emails, err = notifydb.ClaimEmails(ctx, tx, now, now.Add(unsure), mostPersons)
		return err
	})
	if err != nil || len(emails) == 0 {
		return err
	}
	failpoint.Hit("mailing.claimed")
	var all errgroup.Group
	all.SetLimit(mostAtOnce)
	for _, m := range emails {
		all.Go(func() error { return d.send(ctx, *link, m) })
	}
	return all.Wait()
}

// link is the mail server by which our people are told, nil where the policy names none, and the zone of those who have
// none of their own.
func (d *Mailing) link(ctx context.Context) (*inboxdb.Link, *time.Location, error) {
	p, err := d.hours.Ours(ctx, d.db.DB)
	if err != nil || p.EmailLink == "" {
		return nil, nil, err
	}
	l, err := inboxdb.ByName(ctx, d.db.DB, p.EmailLink)
	if errors.Is(err, db.ErrNotFound) {
		return nil, nil, fmt.Errorf("our policy names the email link %q, which does not exist", p.EmailLink)
	}
	return &l, p.Hours.Latest().Location(), err
}

// gather puts what each person is to be told now into an email.
func (d *Mailing) gather(ctx context.Context, zone *time.Location) error {
	now := d.Now()
	persons, err := notifydb.PersonsToEmail(ctx, d.db.DB, now, mostPersons)
	for _, id := range persons {
		if err == nil {
			err = d.db.Do(ctx, func(tx *db.Tx) error {
				p, err := peopledb.ByID(ctx, tx, id)
				if err != nil {
					return err
				}
				rows, err := notifydb.ToEmail(ctx, tx, id, now, mostLines)
				if err != nil || len(rows) == 0 {
					return err
				}
				m := notifydb.Email{PersonID: &id, Marker: channel.NewMarker(), MadeAt: now, NextAt: &now}
				m.Subject, m.Body = d.told(rows, zoneOf(p, zone))
				ids := make([]int64, len(rows))
				for i, r := range rows {
					ids[i] = r.ID
				}
				if !p.Active { // told by nobody any more
					m.NextAt, m.Problem = nil, "this person does not work here any more"
				}
				return notifydb.AddEmail(ctx, tx, &m, ids)
			})
		}
	}
	return err
}

// digest makes the digests whose hour has come.
func (d *Mailing) digest(ctx context.Context, zone *time.Location) error {
	due, err := notifydb.DigestsDue(ctx, d.db.DB, d.Now())
	for _, s := range due {
		if err == nil {
			err = d.digestFor(ctx, s, zone)
		}
	}
	return err
}

func (d *Mailing) digestFor(ctx context.Context, s notifydb.Settings, zone *time.Location) error {
	p, err := peopledb.ByID(ctx, d.db.DB, s.PersonID)
	if err != nil {
		return err
	}
	m := notifydb.Email{PersonID: &p.ID, Digest: true, Marker: channel.NewMarker(), MadeAt: d.Now(), NextAt: new(d.Now())}
	if p.Active {
		dig, err := d.digests.Of(ctx, desk.Actor{Person: p}, time.Time{})
		if err != nil {
			return err
		}
		m.Subject, m.Body = d.digestText(dig, zoneOf(p, zone))
	}
	next, err := settings(s, zoneOf(p, zone).String()).NextDigest(d.Now())
	if err != nil {
		return err
	}
	return d.db.Do(ctx, func(tx *db.Tx) error {
		took, err := notifydb.NextDigest(ctx, tx, s, &next)
		if err != nil || !took || !p.Active {
			return err
		}
		if err := notifydb.ReplaceDigests(ctx, tx, p.ID); err != nil {
			return err
		}
		return notifydb.AddEmail(ctx, tx, &m, nil)
	})
}

// send makes one attempt, and writes down what became of it.
func (d *Mailing) send(ctx context.Context, link inboxdb.Link, m notifydb.Email) error {
	to := m.Address
	if m.PersonID != nil {
		p, err := peopledb.ByID(ctx, d.db.DB, *m.PersonID)
		if err != nil {
			return err
		}
		to = p.Email
	}
	failed := d.hand(ctx, link, channel.Letter{To: []string{to}, Subject: m.Subject, Text: m.Body, Marker: m.Marker,
		Caller: "Roundhouse", Calendar: m.Calendar, Method: m.Method})
	failpoint.Hit("mailing.sent")
	after, cancel := context.WithTimeout(context.WithoutCancel(ctx), 10*time.Second)
	defer cancel()
	now := d.Now()
	var no *channel.Refused
	var not *channel.NotSent
	switch {
	case failed == nil:
		return errors.Join(notifydb.SettleEmail(after, d.db.DB, m.ID, &now, nil, ""),
			inboxdb.Failing(after, d.db.DB, link.ID, "", now))
	case errors.As(failed, &no):
		return notifydb.SettleEmail(after, d.db.DB, m.ID, nil, nil, no.Why)
	case errors.As(failed, &not) && m.Tries == 1:
		return d.db.Do(after, func(tx *db.Tx) error {
			return errors.Join(notifydb.NotSent(after, tx, m, now.Add(again)),
				inboxdb.Failing(after, tx, link.ID, not.Why, now))
		})
	}
	next := new(now.Add(unsure))
	if m.Tries >= mostTries {
		next = nil
	}
	return errors.Join(notifydb.SettleEmail(after, d.db.DB, m.ID, nil, next, failed.Error()),
		inboxdb.Failing(after, d.db.DB, link.ID, failed.Error(), now))
}

// hand gives a letter to the mail server. The error is as a channel's.
func (d *Mailing) hand(ctx context.Context, link inboxdb.Link, l channel.Letter) error {
	ch, err := d.Channels(link)
	if err != nil {
		return &channel.NotSent{Why: err.Error()}
	}
	if err := d.secrets.SignIn(ctx, d.db.DB, ch, link.Host()); err != nil {
		return &channel.NotSent{Why: err.Error()}
	}
	_, err = ch.Send(ctx, l)
	return err
}

func zoneOf(p peopledb.Person, zone *time.Location) *time.Location {
	if l, err := time.LoadLocation(p.Zone); err == nil && p.Zone != "" {
		return l
	}
	return zone
}

// at is an instant as an email has it.
func at(t time.Time, zone *time.Location) string {
	return t.In(zone).Format("Mon 2 Jan 2006 15:04 MST")
}

// page is the address of a page of the console, or nothing.
func (d *Mailing) page(path string) string {
	if d.Console == "" {
		return ""
	}
	return strings.TrimSuffix(d.Console, "/") + path
}
