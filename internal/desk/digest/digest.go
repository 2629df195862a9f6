// Package digest says at the end of a shift, or once a day, what happened, what is late, what falls due next, and who
// has what.
package digest

import (
	"context"
	"fmt"
	"time"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/words"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/hours"
	"roundhouse.example/internal/desk/today"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
)

// Digests is the subject. Use New.
type Digests struct {
	*desk.Desk
	db    *db.Store
	hours *hours.Hours
	today *today.Today
}

// New makes the subject over a desk's database.
func New(d *desk.Desk, db *db.Store, h *hours.Hours, t *today.Today) *Digests {
	return &Digests{d, db, h, t}
}

type (
	// Happened is what has happened on a case.
	Happened = casesdb.Happened
	// Held is what a person has.
	Held = casesdb.Held
)

// News says what has happened on a case, in words.
func News(x Happened) []string {
	out := []string{}
	say := func(is bool, text string) {
		if is {
			out = append(out, text)
		}
	}
	say(x.Filed, "filed")
	say(x.Reopened, "reopened")
	say(x.Heard > 0, desk.Count(x.Heard, "message", "messages")+" from the vendor")
	say(x.Offered, "a fix or workaround offered")
	say(x.Told > 0, desk.Count(x.Told, "message", "messages")+" from us")
	say(x.Notes > 0, desk.Count(x.Notes, "note", "notes"))
	say(x.Graded, "severity changed")
	say(x.Raised > 0, fmt.Sprintf("escalated to rung %d", x.Raised))
	say(x.Briefed > 0, desk.Count(x.Briefed, "briefing", "briefings"))
	say(x.Handed, "handed over")
	say(x.Ended, words.Inline(words.States.Of(x.State)))
	return out
}

// Digest is what somebody needs to know who comes on.
type Digest struct {
	AsOf, Since, Until time.Time
	Zone               string
	Happened           []Happened
	Late, Due          []today.Coming
	Held               []Held
	// MoreHappened says that more has happened than is listed.
	MoreHappened bool
}

const (
	mostHappened = 200
	usual        = 24 * time.Hour // that a digest looks back
	longest      = 31 * 24 * time.Hour
)

// Of is the digest of what has happened since an instant, a day ago where it is zero, and of what is due until noon of
// the next day at our desk.
func (d *Digests) Of(ctx context.Context, a desk.Actor, since time.Time) (out Digest, err error) {
	if err := a.May(access.Read); err != nil {
		return out, err
	}
	zone, err := d.hours.Zone(ctx, d.db.DB)
	if err != nil {
		return out, err
	}
	now := d.Now()
	if since.IsZero() {
		since = now.Add(-usual)
	}
	if since.After(now) {
		return out, desk.Fault("since", "this is in the future: give an earlier time")
	}
	if now.Sub(since) > longest {
		return out, desk.Fault("since", "this is more than 31 days ago")
	}
	local := now.In(zone)
	out = Digest{AsOf: now, Since: since, Zone: zone.String(),
		Until: time.Date(local.Year(), local.Month(), local.Day()+1, 12, 0, 0, 0, zone)}
	only := a.Grant().Vendors
	if out.Happened, err = casesdb.HappenedSince(ctx, d.db.DB, since, only, mostHappened+1); err != nil {
		return out, err
	}
	if out.MoreHappened = len(out.Happened) > mostHappened; out.MoreHappened {
		out.Happened = out.Happened[:mostHappened]
	}
	if out.Held, err = casesdb.HeldBy(ctx, d.db.DB, now, only); err != nil {
		return out, err
	}
	marks, err := d.today.Coming(ctx, a, today.Scope{}, out.Until)
	for _, m := range marks {
		if m.Standing == deadline.Late {
			out.Late = append(out.Late, m)
		} else {
			out.Due = append(out.Due, m)
		}
	}
	return out, err
}
