package agenda

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"fmt"
	"strings"
	"sync"
	"time"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/agenda"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/hours"
	agendadb "roundhouse.example/internal/store/agenda"
	"roundhouse.example/internal/store/db"
	peopledb "roundhouse.example/internal/store/people"
)

// Feed is an address under which a calendar program follows a part of the desk.
type Feed = agendadb.Feed

const (
	mostFeeds = 20 // of a person
	// back is for how long what is over stays in a feed, ahead how far it reaches, and mostEvents how many of a kind it
	// has.
	back, ahead = 30 * 24 * time.Hour, 400 * 24 * time.Hour
	mostEvents  = 5000
	// noted is how often it is noted that a feed was read, so that a program that asks often writes little.
	noted = time.Hour
)

// Subscription is what somebody wants to follow: the desk, or with Mine, Person (an email address) or Vendor (a key) a
// part.
type Subscription struct {
	Name           string
	Mine           bool
	Person, Vendor string
}

// Feeds are a person's own.
func (d *Agenda) Feeds(ctx context.Context, a desk.Actor) ([]Feed, error) {
	if err := a.May(access.Read); err != nil {
		return nil, err
	}
	return agendadb.Feeds(ctx, d.db.DB, a.ID)
}

// Subscribe makes a feed, and gives the secret part of its address, which is not kept.
func (d *Agenda) Subscribe(ctx context.Context, a desk.Actor, s Subscription) (f Feed, secret string, err error) {
	if err := a.May(access.Read); err != nil {
		return f, "", err
	}
	if s.Name = strings.TrimSpace(s.Name); s.Name == "" || len(s.Name) > register.MaxName {
		return f, "", desk.Fault("name", "give it a name of at most %d characters, such as the program that follows it",
			register.MaxName)
	}
	if (s.Mine || s.Person != "") && s.Vendor != "" {
		return f, "", desk.Fault("vendor", "give a person or a vendor, not both")
	}
	now := d.Now()
	p, err := d.part(ctx, d.db.DB, a, Span{From: now, To: now, Mine: s.Mine, Person: s.Person, Vendor: s.Vendor})
	if err != nil {
		return f, "", err
	}
	secret = rand.Text() + rand.Text()
	f = Feed{Name: s.Name, Whose: agendadb.Desk, OwnerID: a.ID, Hash: hashed(secret), MadeAt: now}
	switch {
	case p.Person != 0:
		f.Whose, f.PersonID = agendadb.Persons, &p.Person
	case p.Vendor != 0:
		f.Whose, f.VendorID = agendadb.Vendors, &p.Vendor
	}
	f, err = desk.Once(ctx, d.Desk, func(tx *db.Tx) (Feed, error) {
		mine, err := agendadb.Feeds(ctx, tx, a.ID)
		if err == nil && len(mine) >= mostFeeds {
			err = desk.Fault("name", "you have %d subscriptions: end one first", len(mine))
		}
		if err != nil {
			return f, err
		}
		return f, agendadb.AddFeed(ctx, tx, &f)
	})
	return f, secret, err
}

func hashed(secret string) []byte {
	sum := sha256.Sum256([]byte(secret))
	return sum[:]
}

// Unsubscribe ends a feed of a person's: its address leads nowhere from then on.
func (d *Agenda) Unsubscribe(ctx context.Context, a desk.Actor, id int64) error {
	if err := a.May(access.Read); err != nil {
		return err
	}
	there, err := agendadb.RevokeFeed(ctx, d.db.DB, a.ID, id, d.Now())
	if err == nil && !there {
		err = db.ErrNotFound
	}
	return err
}

// Followed is a feed as a calendar program gets it.
type Followed struct {
	Name   string
	Desk   string // what tells it from another desk
	Events []agenda.Event
	Now    time.Time
	// Tag stands for all of it; empty where nobody can say whether it is the same as another.
	Tag string
	// Same says that it is what Tag said before: then there are no events.
	Same bool
	// Body is what was written of the same before; nil where it was not.
	Body []byte
}

// Follow reads the feed of an address, unless it is as tag says. The address alone is the right to read it: by the
// rights of who made it, while they work here.
func (d *Agenda) Follow(ctx context.Context, secret, tag string) (out Followed, err error) {
	f, err := agendadb.ByHash(ctx, d.db.DB, hashed(secret))
	if err != nil {
		return out, err
	}
	out.Name, out.Now = f.Name, d.Now()
	if f.ReadAt == nil || f.ReadAt.Before(out.Now.Add(-noted)) {
		if err := agendadb.Read(ctx, d.db.DB, f.ID, out.Now); err != nil {
			return out, err
		}
	}
	owner, err := peopledb.ByID(ctx, d.db.DB, f.OwnerID)
	if err != nil {
		return out, err
	}
	a := desk.Actor{Person: owner}
	if err := a.May(access.Read); err != nil {
		return out, db.ErrNotFound
	}
	// Most programs ask for what they have: that is one reading, and no transaction.
	if done, err := d.asBefore(ctx, d.db.DB, f.ID, tag, &out); err != nil || done {
		return out, err
	}
	ctx = hours.Remember(ctx)
	err = d.db.Snapshot(ctx, func(q db.Querier) error {
		if done, err := d.asBefore(ctx, q, f.ID, tag, &out); err != nil || done {
			return err
		}
		p := agendadb.Part{Only: a.Grant().Vendors, Ended: true, From: out.Now.Add(-back), To: out.Now.Add(ahead),
			Person: desk.Deref(f.PersonID), Vendor: desk.Deref(f.VendorID), Most: mostEvents}
		if out.Desk, err = agendadb.DeskID(ctx, q); err != nil {
			return err
		}
		out.Events, _, err = d.events(ctx, q, p, out.Now)
		return err
	})
	return out, err
}

// asBefore finds the tag of a feed, and whether what it stands for is what the program has or what was written before.
func (d *Agenda) asBefore(ctx context.Context, q db.Querier, feed int64, tag string, out *Followed) (bool, error) {
	state, known, err := agendadb.State(ctx, q)
	if err != nil || !known {
		out.Tag = ""
		return false, err
	}
	out.Tag = fmt.Sprintf("%d-%s-%s", feed, state, out.Now.UTC().Format("20060102"))
	if out.Same = out.Tag == tag; out.Same {
		return true, nil
	}
	out.Body = d.kept.get(feed, out.Tag)
	return out.Body != nil, nil
}

// Keep keeps what was written of a feed, so that a program that asks again without its tag costs little.
func (d *Agenda) Keep(f Followed, body []byte) {
	if f.Tag != "" {
		d.kept.put(f.Tag, body)
	}
}

// kept are the last feeds that were written, by the feed, at most mostKept of them.
type kept struct {
	mu   sync.Mutex
	last map[string]written
}

type written struct {
	tag  string
	body []byte
}

const mostKept = 64

func (k *kept) get(feed int64, tag string) []byte {
	k.mu.Lock()
	defer k.mu.Unlock()
	if w, ok := k.last[fmt.Sprint(feed)]; ok && w.tag == tag {
		return w.body
	}
	return nil
}

func (k *kept) put(tag string, body []byte) {
	feed, _, _ := strings.Cut(tag, "-")
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.last == nil || len(k.last) >= mostKept && k.last[feed].tag == "" {
		k.last = map[string]written{}
	}
	k.last[feed] = written{tag, body}
}

// OfCase are the events of a case, or of one of its dated items, as a file has them.
func (d *Agenda) OfCase(ctx context.Context, a desk.Actor, id int64, item string) (out Followed, err error) {
	if err := a.May(access.Read); err != nil {
		return out, err
	}
	out.Now = d.Now()
	ctx = hours.Remember(ctx)
	err = d.db.Snapshot(ctx, func(q db.Querier) error {
		p := agendadb.Part{Only: a.Grant().Vendors, Case: id, From: out.Now.AddDate(-10, 0, 0),
			To: out.Now.AddDate(11, 0, 0), Most: mostEvents}
		var list []agenda.Event
		if list, _, err = d.events(ctx, q, p, out.Now); err != nil {
			return err
		}
		for _, e := range list {
			if item == "" || e.Item == item {
				out.Events = append(out.Events, e)
			}
		}
		if item != "" && len(out.Events) == 0 {
			return db.ErrNotFound
		}
		out.Desk, err = agendadb.DeskID(ctx, q)
		return err
	})
	if errors.Is(err, db.ErrNotFound) {
		err = desk.ErrNotFound
	}
	return out, err
}
