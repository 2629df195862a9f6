package desk

import (
	"context"
	"fmt"
	"runtime"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/store"
)

// rulesVersion marks rows of the deadline cache; another number means that the
// rules have changed since and the cache is to be rebuilt.
const rulesVersion = 1

func unix(t *time.Time) int64 {
	if t == nil {
		return 0
	}
	return t.Unix()
}

func instant(s int64) time.Time { return time.Unix(s, 0).UTC() }

func instantPtr(s int64) *time.Time { t := instant(s); return &t }

// history turns a case's effects into the events of the rules.
func (d *Desk) history(ctx context.Context, q store.Querier, caseID int64) ([]deadline.Event, error) {
	rows, err := store.History(ctx, q, caseID)
	if err != nil {
		return nil, err
	}
	events := make([]deadline.Event, len(rows))
	for i, r := range rows {
		if events[i], err = d.event(ctx, q, r.Effect.V, r.HappenedAt, r.Number); err != nil {
			return nil, err
		}
	}
	return events, nil
}

func (d *Desk) event(ctx context.Context, q store.Querier, e *store.Effect, at time.Time, entry int) (deadline.Event, error) {
	ev := deadline.Event{
		At: at.Unix(), Kind: deadline.EventKind(e.Event), Severity: e.Severity, Level: e.Level, To: e.To,
		Move: deadline.Side(e.Move), Automatic: e.Automatic, Offers: deadline.Offer(e.Offers), Of: unix(e.Of), Agreed: e.Agreed, Entry: entry,
	}
	if e.PolicyID != 0 {
		terms, err := d.compiled.termsFor(ctx, q, e.TermsID, e.PolicyID)
		if err != nil {
			return ev, err
		}
		ev.Terms = terms
	}
	return ev, nil
}

// recompute replays the case and rewrites every cache of it.
func (w *work) recompute(ctx context.Context) error {
	refs, err := store.References(ctx, w.tx, []int64{w.c.ID})
	if err != nil {
		return err
	}
	referenced := false
	for _, r := range refs {
		referenced = referenced || r.Whose == "vendor"
	}
	history, err := w.d.history(ctx, w.tx, w.c.ID)
	if err != nil {
		return err
	}
	const forever = 1 << 62
	state, m := casework.Replay(history, forever, referenced)
	if err := m.Err(); err != nil {
		return err
	}
	c := w.c
	c.State = string(state)
	if m.Phase() != deadline.NotFiled {
		sev, level := m.Severity(), m.Level()
		c.Severity, c.LevelRank = &sev, &level
	}
	c.Move, c.MoveSince = nil, nil
	if side, since := m.Move(); side != "" {
		s := string(side)
		c.Move, c.MoveSince = &s, instantPtr(since)
	}
	if c.Parked, c.ParkedAgreed = m.Parked(); !c.Parked {
		c.ParkedUntil = nil
	}
	c.WorkaroundOffered = m.WorkaroundOffered()
	for _, e := range history {
		switch e.Kind {
		case deadline.Filed:
			if c.FiledAt == nil {
				c.FiledAt = instantPtr(e.At)
			}
		case deadline.VendorMessage:
			if !e.Automatic {
				c.LastVendorAt = instantPtr(e.At)
			}
		}
	}
	if t := m.LastWord(); t != 0 {
		c.LastWordAt = instantPtr(t)
	}
	if c.Unread, c.UnreadSince, err = store.UnreadBeyond(ctx, w.tx, c.ID, c.ReadEntry); err != nil {
		return err
	}
	if err := w.cacheDeadlines(ctx, m); err != nil {
		return err
	}
	return w.nextDates(ctx, m)
}

func (w *work) cacheDeadlines(ctx context.Context, m *deadline.Machine) error {
	now := w.now.Unix()
	clocks := m.Clocks()
	rows := make([]store.Deadline, len(clocks))
	for i := range clocks {
		c := &clocks[i]
		at := max(now, c.Start)
		if c.Outcome != deadline.Live {
			at = c.End
		}
		cal := w.d.compiled.calendarOf(c.Term.Calendar)
		rows[i] = store.Deadline{
			CaseID: w.c.ID, Opened: i, Kind: c.Kind.String(), Rank: c.Rank, Target: c.Term.Target.String(), TargetSeconds: c.Seconds,
			CalendarID: cal.id, StartedAt: instant(c.Start), Outcome: outcomes[c.Outcome], Counting: c.Counting(),
			CountedSeconds: c.Counted(at), CountedAt: instant(at), StartEntry: c.StartEntry, EndEntry: c.EndEntry, Rules: rulesVersion,
		}
		if due, ok := c.Due(); ok {
			rows[i].DueAt = instantPtr(due)
		}
		if soon, ok := c.SoonFrom(); ok {
			rows[i].SoonAt = instantPtr(soon)
		}
		if c.Outcome != deadline.Live {
			rows[i].EndedAt = instantPtr(c.End)
		}
	}
	return w.tx.ReplaceDeadlines(ctx, w.c.ID, rows)
}

var outcomes = [...]string{"live", "met", "missed", "void", "replaced"}

// nextDates sets when the case asks for attention next, which a live case always
// does, and when the sweep must look at it.
func (w *work) nextDates(ctx context.Context, m *deadline.Machine) error {
	c, now := w.c, w.now.Unix()
	c.NextAt, c.WakeAt = nil, nil
	if m.Phase() != deadline.LivePhase {
		return nil
	}
	earliest := func(slot **time.Time, at int64) {
		if *slot == nil || at < (*slot).Unix() {
			*slot = instantPtr(at)
		}
	}
	for i := range m.Clocks() {
		k := &m.Clocks()[i]
		if k.Outcome != deadline.Live {
			continue
		}
		if due, ok := k.Due(); ok {
			earliest(&c.NextAt, due)
			if due >= now {
				earliest(&c.WakeAt, due+1)
			}
		}
		if soon, ok := k.SoonFrom(); ok && soon > now {
			earliest(&c.WakeAt, soon)
		}
	}
	if c.ParkedUntil != nil {
		earliest(&c.NextAt, c.ParkedUntil.Unix())
		earliest(&c.WakeAt, c.ParkedUntil.Unix())
	}
	if c.NextAt == nil {
		quiet, err := w.d.quietUntil(ctx, w.tx, c)
		if err != nil {
			return err
		}
		c.NextAt = instantPtr(quiet)
	}
	return nil
}

// quietUntil is when a case that nothing else dates asks for attention.
func (d *Desk) quietUntil(ctx context.Context, q store.Querier, c *store.Case) (int64, error) {
	var id int64
	if c.PolicyID != nil {
		id = *c.PolicyID
	}
	p, err := d.compiled.policy(ctx, q, id)
	if err != nil {
		return 0, err
	}
	since := c.ChangedAt
	if c.LastWordAt != nil {
		since = *c.LastWordAt
	}
	return p.hours.DueTarget(since.Unix(), p.quiet[*c.Severity])
}

// RulesVersion names the rules that explanations follow.
func RulesVersion() string { return fmt.Sprint(rulesVersion) }

// ZoneData names where the time zones come from: they are built into the program.
func ZoneData() string { return "built in with " + runtime.Version() }
