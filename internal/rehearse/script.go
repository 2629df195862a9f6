package rehearse

import (
	"context"
	"fmt"
	"slices"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/rehearsal"
	"roundhouse.example/internal/standin"
	casesdb "roundhouse.example/internal/store/cases"
	inboxdb "roundhouse.example/internal/store/inbox"
	outboxdb "roundhouse.example/internal/store/outbox"
)

// Act does what of the script has become due, and says whether the rehearsal is over: its time is up, or the case has
// ended and the script with it.
func (x *Stage) Act(ctx context.Context) (over bool, err error) {
	if !x.Clock.Now().Before(x.Scenario.Over()) {
		return true, nil
	}
	if !x.found(ctx) {
		return false, nil
	}
	for {
		at, known, err := x.due(ctx)
		if err != nil {
			return false, err
		}
		if !known || x.Clock.Now().Before(at) {
			break
		}
		if err := x.do(ctx, x.Scenario.Script[x.next]); err != nil {
			return false, err
		}
	}
	c, err := casesdb.ByID(ctx, x.db.DB, x.caseID)
	if err != nil {
		return false, err
	}
	waits := x.next < len(x.Scenario.Script) && x.Scenario.Script[x.next].When != rehearsal.Reopened
	return c.State == casework.Closed || c.State == casework.Withdrawn || c.State == casework.Resolved && !waits, nil
}

// due is when the next line comes; known is false while that depends on us, and after the last line.
func (x *Stage) due(ctx context.Context) (at time.Time, known bool, err error) {
	if x.next >= len(x.Scenario.Script) {
		return at, false, nil
	}
	l := x.Scenario.Script[x.next]
	if l.When == "" {
		return x.since.Add(of(l.After, "")), true, nil
	}
	deeds, err := x.deeds(ctx)
	if err != nil {
		return at, false, err
	}
	for _, d := range deeds {
		if d.At >= x.since.Unix() && d.Kind == l.When && d.Rung >= l.Rung {
			return time.Unix(d.At, 0).Add(of(l.After, "")), true, nil
		}
	}
	if l.OrAfter == "" {
		return at, false, nil
	}
	return x.since.Add(of(l.OrAfter, "")), true, nil
}

// do plays a line.
func (x *Stage) do(ctx context.Context, l Line) error {
	now := x.Clock.Now()
	if l.Note != "" {
		if _, err := x.desk.Cases.AddNote(ctx, x.helper, x.caseID, l.Note); err != nil {
			return err
		}
	} else {
		x.cast.Say(x.Scenario.Vendor, x.line(l))
		if err := x.collected(ctx); err != nil {
			return err
		}
	}
	x.next++
	x.since = now.Truncate(time.Second)
	x.done = append(x.done, happened{now, l})
	return nil
}

// collected fetches what the vendor has said, which may have to wait for the desk's own look to end.
func (x *Stage) collected(ctx context.Context) error {
	last := fmt.Sprint(len(x.cast.Feed(x.Scenario.Vendor)))
	return until(ctx, func() (bool, error) {
		if err := x.desk.Inbox.Collect(ctx, x.link, 0); err != nil {
			return false, err
		}
		l, err := inboxdb.ByID(ctx, x.db.DB, x.link)
		if err != nil {
			return false, err
		}
		waiting, err := inboxdb.Waiting(ctx, x.db.DB, x.link, 1)
		return l.Cursor == last && len(waiting) == 0, err
	})
}

// until waits for something that the desk does by itself, for some seconds of real time at most: it comes later then.
func until(ctx context.Context, is func() (bool, error)) error {
	for range 250 {
		if done, err := is(); done || err != nil {
			return err
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(20 * time.Millisecond):
		}
	}
	return nil
}

// line is what the vendor does, as its system says it.
func (x *Stage) line(l Line) standin.Happening {
	h := standin.Houses[slices.IndexFunc(standin.Houses, func(h standin.House) bool { return h.Key == x.Scenario.Vendor })]
	out := standin.Happening{Job: x.reference, What: "remark", Words: l.Says, Stage: "in hand",
		By: standin.By{Side: "house", Name: h.People[0]}}
	switch {
	case l.Closes:
		out.What, out.Stage = "end", "shut"
	case l.Level != "":
		out.What, out.Grade = "grade", l.Level
	case l.Automatic:
		out.Stage = "logged"
	case l.Offers == "fix":
		out.Stage, out.Fix = "fix out", "repair"
	case l.Offers == "workaround":
		out.Fix = "detour"
	}
	if l.Asks {
		out.Stage = "waiting on you"
	}
	if l.Automatic {
		out.By = standin.By{Side: "house", Name: "Service desk", Machine: true}
	}
	return out
}

// deeds are what ours have done on the case, in order of time.
func (x *Stage) deeds(ctx context.Context) (out []rehearsal.Deed, err error) {
	rows, err := casesdb.History(ctx, x.db.DB, x.caseID)
	for _, r := range rows {
		at := r.HappenedAt.Unix()
		for _, k := range deedsOf(r.Effect.V) {
			d := rehearsal.Deed{At: at, Kind: k}
			if k == rehearsal.Escalated && r.Effect.V.Item != nil {
				d.Rung = r.Effect.V.Item.Rung
			}
			out = append(out, d)
		}
	}
	return out, err
}

// deedsOf are the deeds of an effect.
func deedsOf(e *casesdb.Effect) (out []rehearsal.DeedKind) {
	if e.Event == deadline.OurMessage || e.Told || e.Event == deadline.Raised {
		out = append(out, rehearsal.Said)
	}
	switch e.Event {
	case deadline.Raised:
		out = append(out, rehearsal.Escalated)
	case deadline.FixAccepted:
		out = append(out, rehearsal.Accepted)
	case deadline.FixRejected:
		out = append(out, rehearsal.Rejected)
	case deadline.Reopened:
		out = append(out, rehearsal.Reopened)
	case deadline.Resolved, deadline.Closed, deadline.Withdrawn:
		out = append(out, rehearsal.Ended)
	}
	if s := e.Sets; s != nil {
		if s.VendorOpen {
			out = append(out, rehearsal.Disputed)
		}
		if s.VendorLevel != nil && *s.VendorLevel == "" {
			out = append(out, rehearsal.Regraded)
		}
		if s.Briefed != nil {
			out = append(out, rehearsal.Briefed)
		}
	}
	return out
}

// Skip puts the clock forward to when something happens next: the script, or the mere passing of time on the desk. What
// is on its way to the vendor arrives first. It says what Act says, of that instant.
func (x *Stage) Skip(ctx context.Context) (over bool, err error) {
	if err := x.arrived(ctx); err != nil {
		return false, err
	}
	before := x.next
	if over, err = x.Act(ctx); over || err != nil {
		return over, err
	}
	if x.next == before { // nothing has become due since
		to, err := x.coming(ctx)
		if err != nil {
			return false, err
		}
		x.Clock.Jump(to)
		if over, err = x.Act(ctx); over || err != nil {
			return over, err
		}
	}
	_, err = x.desk.Waking.Due(ctx) // the desk's own sweep would do it a little later
	return false, err
}

// arrived waits for what is on its way, for some seconds at most.
func (x *Stage) arrived(ctx context.Context) error {
	return until(ctx, func() (bool, error) {
		busy, err := outboxdb.UnderWay(ctx, x.db.DB)
		return !busy, err
	})
}

// coming is when something happens next, the end at the latest.
func (x *Stage) coming(ctx context.Context) (time.Time, error) {
	to := x.Scenario.Over()
	sooner := func(at time.Time) {
		if at.After(x.Clock.Now()) && at.Before(to) {
			to = at
		}
	}
	if x.caseID != 0 {
		at, known, err := x.due(ctx)
		if err != nil {
			return to, err
		}
		if known {
			sooner(at)
		}
	}
	wakes, err := casesdb.NextWake(ctx, x.db.DB, x.Clock.Now())
	if err != nil {
		return to, err
	}
	if wakes != nil {
		sooner(*wakes)
	}
	return to, nil
}

// Unread is how many messages of the vendor's nobody has read.
func (x *Stage) Unread(ctx context.Context) int {
	c, err := casesdb.ByID(ctx, x.db.DB, x.caseID)
	if err != nil { // there is no case yet
		return 0
	}
	return c.Unread
}
