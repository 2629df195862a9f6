package record

import (
	"context"
	"fmt"
	"maps"
	"runtime"
	"slices"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/escalation"
	"roundhouse.example/internal/desk/hours"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
)

// rulesVersion marks rows of the deadline cache; another number means that the
// rules have changed since and the cache is to be rebuilt.
const rulesVersion = 1

// history turns a case's effects into the events of the rules.
func (d *Record) history(ctx context.Context, q db.Querier, caseID int64) ([]deadline.Event, error) {
	rows, err := casesdb.History(ctx, q, caseID)
	if err != nil {
		return nil, err
	}
	return d.events(ctx, q, rows)
}

func (d *Record) events(ctx context.Context, q db.Querier, rows []casesdb.EffectRow) ([]deadline.Event, error) {
	g, err := d.hours.Compiled(ctx, q)
	if err != nil {
		return nil, err
	}
	events := make([]deadline.Event, 0, len(rows))
	for _, r := range rows {
		if r.Effect.V.Event == "" { // it sets something else
			continue
		}
		e, err := eventOf(ctx, q, g, r.Effect.V, r.HappenedAt, r.Number)
		if err != nil {
			return nil, err
		}
		events = append(events, e)
	}
	return events, nil
}

func eventOf(ctx context.Context, q db.Querier, g *hours.Compiled, e *casesdb.Effect, at time.Time,
	entry int) (deadline.Event, error) {
	ev := deadline.Event{
		At: at.Unix(), Kind: e.Event, Severity: e.Severity, Level: e.Level, To: e.To,
		Move: e.Move, Automatic: e.Automatic, Offers: e.Offers, Of: db.Unix(e.Of), Agreed: e.Agreed, Until: db.Unix(e.Until),
		Entry: entry, Told: e.Told, Item: itemOf(e.Item), ClosesAfter: int64(e.ClosesDays) * 24 * 60 * 60,
	}
	if e.PolicyID != 0 {
		terms, err := g.TermsFor(ctx, q, e.TermsID, e.PolicyID,
			hours.By{Kind: e.Kind, Channel: e.Channel, Country: e.Country})
		if err != nil {
			return ev, err
		}
		ev.Terms = terms
	}
	return ev, nil
}

// Replayed is a case's history as the rules read it, and its vendor's ladder.
func (d *Record) Replayed(ctx context.Context, q db.Querier, caseID int64) (history []deadline.Event,
	ladder escalation.Ladder, err error) {
	c, err := casesdb.ByID(ctx, q, caseID)
	if err != nil {
		return nil, nil, err
	}
	all, err := ladders(ctx, q, []int64{c.VendorID})
	if err != nil {
		return nil, nil, err
	}
	history, err = d.history(ctx, q, caseID)
	return history, all[c.VendorID], err
}

// Derived is what follows from a case's record beside what stands on its row.
type Derived struct {
	Deadlines []casesdb.Deadline
	Dated     []casesdb.DatedItem
	Numbers   Numbers
}

// Fallen says whether a live clock or date is due at an instant, or soon will be.
func (d Derived) Fallen(now time.Time) bool {
	return slices.ContainsFunc(d.Deadlines, func(x casesdb.Deadline) bool {
		return x.Outcome == "live" && x.SoonAt != nil && !x.SoonAt.After(now)
	}) || slices.ContainsFunc(d.Dated, func(x casesdb.DatedItem) bool {
		return x.Outcome == "live" && !x.SoonAt.After(now)
	})
}

// Derive replays a case's record as of now, sets on the case everything that is a cache of it,
// and returns what is kept beside the row. Nothing of what it sets is read:
// a case that has only its ids and the facts of its draft becomes whole.
func (d *Record) Derive(ctx context.Context, q db.Querier, c *casesdb.Case, now time.Time) (out Derived, err error) {
	rows, err := casesdb.History(ctx, q, c.ID)
	if err != nil {
		return out, err
	}
	if c.LastEntry, err = casesdb.CountEntries(ctx, q, c.ID); err != nil {
		return out, err
	}
	if c.Unread, c.UnreadSince, err = casesdb.UnreadBeyond(ctx, q, c.ID, c.ReadEntry); err != nil {
		return out, err
	}
	ladders, err := ladders(ctx, q, []int64{c.VendorID})
	if err != nil {
		return out, err
	}
	return d.derive(ctx, q, c, rows, ladders[c.VendorID], now)
}

// derive is Derive but for what is counted: of a case whose history is known.
func (d *Record) derive(ctx context.Context, q db.Querier, c *casesdb.Case, rows []casesdb.EffectRow,
	ladder escalation.Ladder, now time.Time) (out Derived, err error) {
	history, err := d.events(ctx, q, rows)
	if err != nil {
		return out, err
	}
	const forever = 1 << 62
	out.Numbers = numbers(rows)
	r := casework.Replay(history, forever, out.Numbers.Vendor != "" || out.Numbers.None)
	state, m, items := r.State, r.Clocks, r.Items
	if err := m.Err(); err != nil {
		return out, err
	}
	c.State = state
	if m.Phase() != deadline.NotFiled {
		sev, level := m.Severity(), m.Level()
		c.Severity, c.LevelRank = &sev, &level
	} else {
		c.LevelRank = nil
	}
	c.Move, c.MoveSince = nil, nil
	if side, since := m.Move(); side != "" {
		c.Move, c.MoveSince = &side, new(db.Instant(since))
	}
	fold(c, rows)
	chased(c, rows)
	c.EndedAt, c.Reopenings = orNil(r.Ended), r.Raised.Reopened()
	c.Unnumbered = state.Live() && out.Numbers.Vendor == "" && !out.Numbers.None
	waitsOn(c, rows)
	c.Parked, c.ParkedAgreed = m.Parked()
	if until := m.ParkedUntil(); until != 0 {
		c.ParkedUntil = new(db.Instant(until))
	} else if !c.Parked {
		c.ParkedUntil = nil
	}
	c.WorkaroundOffered = m.WorkaroundOffered()
	c.FiledAt, c.LastVendorAt, c.LastWordAt = nil, nil, nil
	for _, e := range history {
		switch e.Kind {
		case deadline.Filed:
			if c.FiledAt == nil {
				c.FiledAt = new(db.Instant(e.At))
			}
		case deadline.VendorMessage:
			if !e.Automatic {
				c.LastVendorAt = new(db.Instant(e.At))
			}
		}
	}
	if t := m.LastWord(); t != 0 {
		c.LastWordAt = new(db.Instant(t))
	}
	out.Deadlines = deadlineRows(c.ID, m, now.Unix())
	out.Dated = itemRows(c.ID, items, rows)
	if err := d.nextDates(ctx, q, c, m, items, now.Unix()); err != nil {
		return out, err
	}
	advise(c, r, ladder, now.Unix())
	return out, nil
}

// waitsOn is on whom exactly a case waits: whom somebody named since the move turned, or the usual one of the side.
func waitsOn(c *casesdb.Case, rows []casesdb.EffectRow) {
	c.MoveOn, c.MoveOnName = "", ""
	if c.Move == nil {
		return
	}
	c.MoveOn = casework.Usually(*c.Move)
	for i := range rows {
		s := rows[i].Effect.V.Sets
		if s != nil && s.On != nil && s.On.Whom.Side() == *c.Move && !rows[i].HappenedAt.Before(*c.MoveSince) {
			c.MoveOn, c.MoveOnName = s.On.Whom, s.On.Name
		}
	}
}

// fold sets on a case what its entries set beside state and clocks, in the order in which they
// happened.
func fold(c *casesdb.Case, rows []casesdb.EffectRow) {
	c.TermsID, c.PolicyID, c.OwnerID, c.VendorClosedAt, c.VendorStatusAt, c.ParkedUntil = nil, nil, nil, nil, nil, nil
	c.VendorLevel, c.VendorStatus, c.VendorContact, c.Cause, c.Outcome = "", "", "", "", ""
	c.Origin, c.OriginBy = casework.ByUs, ""
	c.MakerStatus, c.MakerStatusAt, c.InsteadOf, c.RefiledAs = "", nil, nil, nil
	c.VendorContactAt, c.Summary, c.SummaryBy, c.SummaryAt = nil, "", "", nil
	c.Consents.V, c.Untold.V = []casework.Consent{}, map[string]int{}
	for i := range rows {
		e := rows[i].Effect.V
		if e.PolicyID != 0 {
			c.TermsID, c.PolicyID = some(e.TermsID), some(e.PolicyID)
		}
		s := e.Sets
		if e.Event == deadline.Filed && (s == nil || s.Told == 0) {
			clear(c.Untold.V) // all that there was
		}
		if s == nil {
			continue
		}
		foldTold(c, s, rows[i].Number)
		if s.InsteadOf != nil {
			c.InsteadOf = s.InsteadOf
		}
		if s.RefiledAs != nil {
			c.RefiledAs = s.RefiledAs
		}
		if s.MakerStatus != nil {
			c.MakerStatus, c.MakerStatusAt = *s.MakerStatus, &rows[i].HappenedAt
		}
		if s.Owner != nil {
			c.OwnerID = some(*s.Owner)
		}
		if s.VendorClosedAt != nil || s.VendorOpen {
			c.VendorClosedAt = s.VendorClosedAt
		}
		if s.VendorStatus != nil {
			c.VendorStatus, c.VendorStatusAt = *s.VendorStatus, s.VendorStatusAt
			if c.VendorStatusAt == nil {
				c.VendorStatusAt = &rows[i].HappenedAt
			}
		}
		if s.VendorContact != nil && *s.VendorContact != c.VendorContact {
			c.VendorContactAt = &rows[i].HappenedAt
		}
		if s.Summary != nil {
			c.Summary, c.SummaryBy, c.SummaryAt = *s.Summary, s.SummaryBy, &rows[i].HappenedAt
		}
		if s.ParkedUntil != nil {
			c.ParkedUntil = s.ParkedUntil
		}
		for _, x := range []struct{ from, to *string }{{s.VendorLevel, &c.VendorLevel}, {s.VendorContact, &c.VendorContact},
			{s.Cause, &c.Cause}, {s.Outcome, &c.Outcome}, {s.Title, &c.Title}, {s.Origin, (*string)(&c.Origin)},
			{s.OriginBy, &c.OriginBy}} {
			if x.from != nil {
				*x.to = *x.from
			}
		}
	}
}

// chased counts how often the vendor was asked for what it owes since its last word, and how often it refused to reopen
// the case.
func chased(c *casesdb.Case, rows []casesdb.EffectRow) {
	c.Chases, c.ChasedAt, c.ReopenRefused = 0, nil, 0
	for i := range rows {
		e := rows[i].Effect.V
		if e.Sets != nil && e.Sets.ReopenRefused {
			c.ReopenRefused++
		}
		switch {
		case e.Event == deadline.Filed, e.Event == deadline.Reopened, e.Event == deadline.VendorMessage && !e.Automatic:
			c.Chases, c.ChasedAt = 0, nil
		case e.Event == deadline.OurMessage && e.Chases:
			c.Chases, c.ChasedAt = c.Chases+1, &rows[i].HappenedAt
		}
	}
}

// foldTold sets what was completed after the filing, and of what the vendor has not been told yet.
func foldTold(c *casesdb.Case, s *casesdb.Sets, entry int) {
	changed := func(field string) { c.Untold.V[field] = entry }
	if len(s.Texts) > 0 {
		c.Texts.V.Set(s.Texts)
		for k := range s.Texts {
			changed("texts." + k)
		}
	}
	for k, v := range s.Answers {
		if c.Answers.V == nil {
			c.Answers.V = map[string]string{}
		}
		if c.Answers.V[k] = v; v == "" {
			delete(c.Answers.V, k)
		}
		changed("answers." + k)
	}
	if s.Consent != nil {
		c.Consents.V = casework.WithConsent(c.Consents.V, *s.Consent)
		changed(fmt.Sprintf("consents.%d", s.Consent.Number))
	}
	maps.DeleteFunc(c.Untold.V, func(_ string, at int) bool { return at <= s.Told })
}

// Numbers are those by which a case is known, as its record says; Ticket is nil while it is the
// draft's own.
type Numbers struct {
	Vendor string
	Ticket *string
	Others []casework.Reference
	None   bool // the vendor gives none
}

// numbers are those that a record gives a case.
func numbers(rows []casesdb.EffectRow) (n Numbers) {
	for _, r := range rows {
		if s := r.Effect.V.Sets; s != nil {
			if s.Reference != nil {
				n.Vendor = *s.Reference
			}
			if s.Ticket != nil {
				n.Ticket = s.Ticket
			}
			n.None = n.None || s.NoReference
			if s.Numbers != nil {
				n.Others = *s.Numbers
			}
		}
	}
	return n
}

func deadlineRows(caseID int64, m *deadline.Machine, now int64) []casesdb.Deadline {
	clocks := m.Clocks()
	rows := make([]casesdb.Deadline, len(clocks))
	for i := range clocks {
		c := &clocks[i]
		at := max(now, c.Start)
		if c.Outcome != deadline.Live {
			at = c.End
		}
		rows[i] = casesdb.Deadline{
			CaseID: caseID, Opened: i, Kind: c.Kind.String(), Rank: c.Rank, Target: c.Term.Target.String(),
			TargetSeconds: c.Seconds,
			CalendarID:    c.Term.Calendar.ID, StartedAt: db.Instant(c.Start), Outcome: outcomes[c.Outcome],
			Counting:       c.Counting(),
			CountedSeconds: c.Counted(at), CountedAt: db.Instant(at), StartEntry: c.StartEntry, EndEntry: c.EndEntry,
			Rules: rulesVersion,
		}
		if due, ok := c.Due(now); ok {
			rows[i].DueAt = new(db.Instant(due))
		}
		if soon, ok := c.SoonFrom(now); ok {
			rows[i].SoonAt = new(db.Instant(soon))
		}
		if c.Outcome != deadline.Live {
			rows[i].EndedAt = new(db.Instant(c.End))
		}
	}
	return rows
}

var outcomes = [...]string{"live", "met", "missed", "void", "replaced"}

// RulesVersion names the rules that explanations follow.
func RulesVersion() string { return fmt.Sprint(rulesVersion) }

// ZoneData names where the time zones come from: they are built into the program.
func ZoneData() string { return "built in with " + runtime.Version() }
