// Package agenda is the desk's calendar: what falls due, is visited, goes back or ends, and who is on the rota, for the
// page, for calendar programs that follow it, and as single events.
package agenda

import (
	"context"
	"errors"
	"time"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/agenda"
	"roundhouse.example/internal/core/deadline"
	corerota "roundhouse.example/internal/core/rota"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/hours"
	"roundhouse.example/internal/desk/record"
	"roundhouse.example/internal/desk/rota"
	agendadb "roundhouse.example/internal/store/agenda"
	"roundhouse.example/internal/store/db"
	peopledb "roundhouse.example/internal/store/people"
	registerdb "roundhouse.example/internal/store/register"
	rotadb "roundhouse.example/internal/store/rota"
)

// Agenda is the subject. Use New.
type Agenda struct {
	*desk.Desk
	db    *db.Store
	cases *cases.Cases
	hours *hours.Hours
	rota  *rota.Rota
	kept  kept
	// Console is the address of the console, without a slash at its end; empty where it is not known.
	Console string
}

// New makes the subject over a desk's database.
func New(d *desk.Desk, s *db.Store, c *cases.Cases, h *hours.Hours, r *rota.Rota) *Agenda {
	return &Agenda{Desk: d, db: s, cases: c, hours: h, rota: r}
}

// Span is a part of the desk between two instants.
type Span struct {
	From, To time.Time
	Mine     bool   // of the person who asks
	Person   string // an email address: what they own or is theirs; empty for everybody
	Vendor   string // a key; empty for all
}

// View is a calendar of some days.
type View struct {
	AsOf time.Time
	Zone string
	// Events are in order of time; More says that there are others.
	Events []agenda.Event
	More   bool
	// Gaps are the stretches in which nobody is on the rota.
	Gaps []corerota.Gap
}

const (
	// longest is how long a page's span may be, and most how many events it has of each kind.
	longest = 62 * 24 * time.Hour
	most    = 2000
)

// Show gives the calendar of a span.
func (d *Agenda) Show(ctx context.Context, a desk.Actor, s Span) (v View, err error) {
	if err := a.May(access.Read); err != nil {
		return v, err
	}
	if !s.From.Before(s.To) || s.To.Sub(s.From) > longest {
		return v, desk.Fault("to", "give a time after the beginning, and at most 62 days after it")
	}
	ctx = hours.Remember(ctx)
	v.AsOf = d.Now()
	err = d.db.Snapshot(ctx, func(q db.Querier) error {
		p, err := d.part(ctx, q, a, s)
		if err != nil {
			return err
		}
		zone, err := d.hours.Zone(ctx, q)
		if err != nil {
			return err
		}
		v.Zone = zone.String()
		if v.Events, v.More, err = d.events(ctx, q, p, v.AsOf); err != nil {
			return err
		}
		from := s.From
		if from.Before(v.AsOf) {
			from = v.AsOf
		}
		if s.Vendor == "" && from.Before(s.To) {
			v.Gaps, err = d.rota.Gaps(ctx, q, from, s.To)
		}
		return err
	})
	return v, err
}

// part is what a person asks for, as the store has it.
func (d *Agenda) part(ctx context.Context, q db.Querier, a desk.Actor, s Span) (p agendadb.Part, err error) {
	p = agendadb.Part{Only: a.Grant().Vendors, From: s.From, To: s.To, Ended: true, Most: most}
	if s.Mine {
		p.Person = a.ID
	} else if s.Person != "" {
		x, err := peopledb.ByEmail(ctx, q, s.Person)
		if errors.Is(err, db.ErrNotFound) {
			return p, desk.Fault("person", "nobody here has the address %.80q", s.Person)
		} else if err != nil {
			return p, err
		}
		p.Person = x.ID
	}
	if s.Vendor != "" {
		v, err := registerdb.VendorByKey(ctx, q, s.Vendor)
		if err == nil && !a.Grant().SeesVendor(v.ID) {
			err = db.ErrNotFound
		}
		if errors.Is(err, db.ErrNotFound) {
			return p, desk.Fault("vendor", "there is no vendor %.80q", s.Vendor)
		} else if err != nil {
			return p, err
		}
		p.Vendor = v.ID
	}
	return p, nil
}

// events are those of a part, in order; more says that some kind has others.
func (d *Agenda) events(ctx context.Context, q db.Querier, p agendadb.Part, now time.Time) (out []agenda.Event,
	more bool, err error) {
	items, err := agendadb.Items(ctx, q, p)
	if err != nil {
		return nil, false, err
	}
	clocks, err := agendadb.Clocks(ctx, q, p)
	if err != nil {
		return nil, false, err
	}
	parked, err := agendadb.Parkings(ctx, q, p)
	if err != nil {
		return nil, false, err
	}
	out = make([]agenda.Event, 0, len(items)+len(clocks)+len(parked))
	for i := range items {
		out = append(out, agenda.OfItem(caseOf(items[i].Case), itemOf(&items[i]), now))
	}
	for _, k := range clocks {
		kind, _ := deadline.ParseKind(k.Kind)
		c := agenda.Clock{Kind: kind, Opened: k.Opened, Due: k.DueAt, Counting: k.Counting}
		if k.SoonAt != nil {
			c.SoonFrom = *k.SoonAt
		}
		out = append(out, agenda.OfClock(caseOf(k.Case), c, now))
	}
	for _, x := range parked {
		out = append(out, agenda.OfParking(caseOf(x.Case), x.Until))
	}
	more = max(len(items), len(clocks), len(parked)) == p.Most
	if p.Case != 0 {
		agenda.Sort(out)
		return out, more, nil
	}
	others, err := d.others(ctx, q, p)
	out = append(out, others...)
	agenda.Sort(out)
	return out, more, err
}

// others are what concerns no case: the rota, and contracts.
func (d *Agenda) others(ctx context.Context, q db.Querier, p agendadb.Part) (out []agenda.Event, err error) {
	if p.Vendor == 0 {
		shifts, err := rotadb.Between(ctx, q, p.From, p.To)
		if err != nil {
			return nil, err
		}
		for _, s := range shifts {
			if s.Active && (p.Person == 0 || s.PersonID == p.Person) {
				out = append(out, agenda.OfShift(s.ID, s.Version, s.StartsAt, s.EndsAt, s.Name, s.Phone))
			}
		}
	}
	if p.Person != 0 {
		return out, nil
	}
	contracts, err := agendadb.Contracts(ctx, q, p)
	for _, k := range contracts {
		x := agenda.Contract{ID: k.ID, Version: k.Version, Number: k.Number, Vendor: k.Vendor, Ends: k.EndsOn}
		if k.NoticeOn != nil {
			x.Notice = *k.NoticeOn
		}
		for _, e := range agenda.OfContract(x) {
			if !e.Start.Before(p.From.Truncate(24*time.Hour)) && e.Start.Before(p.To) {
				out = append(out, e)
			}
		}
	}
	return out, err
}

func caseOf(c agendadb.Case) agenda.Case {
	return agenda.Case{ID: c.ID, Number: c.Number, Title: c.Title, Vendor: c.Vendor, Severity: c.Severity,
		Changed: c.Written}
}

func itemOf(x *agendadb.Item) agenda.Item {
	details := x.Details.V
	i := agenda.Item{Root: x.Root, Words: x.Words, Who: details.Who, Where: details.Where, Number: details.Number,
		LetsIn: details.LetsIn, For: x.For, Item: record.ItemOf(x.DatedItem)}
	if details.From != nil {
		i.From = *details.From
	}
	return i
}
