package today

import (
	"cmp"
	"context"
	"errors"
	"runtime"
	"slices"
	"sync"
	"time"

	"roundhouse.example/internal/access"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	outboxdb "roundhouse.example/internal/store/outbox"

	"roundhouse.example/internal/core/attention"
	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/dated"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/escalation"
	"roundhouse.example/internal/core/words"
	"roundhouse.example/internal/desk/hours"
)

// board is what Today is worked out from: every case that has a place on it, as its caches
// say, held in memory and brought up to date before each answer by asking only for what was
// written since. It decides nothing and keeps nothing that the database does not have, so
// that several services beside each other say the same.
type board struct {
	mu sync.Mutex
	// since is the oldest transaction that was running when the board was last brought up
	// to date; 0 before the first time. What that one or a later one wrote is asked for again.
	since uint64
	cases map[int64]*pressed
	// list are the same cases; it is replaced, never changed, so that it can be read while
	// the board goes on.
	list []*pressed
}

// pressed is one case of the board. It never changes once it is there.
type pressed struct {
	casesdb.Pressing
	severity    int
	live        bool
	clocks      []clockAsked
	items       []dateAsked
	deliveries  int
	undelivered string
	toSend      bool
}

// boardView is the board at one instant, with the calendars that its clocks count in.
type boardView struct {
	list      []*pressed
	calendars map[int64]*calendar.Lineage
}

// view brings the board up to date, and gives it.
func (d *Today) view(ctx context.Context) (v boardView, err error) {
	g, err := d.hours.Compiled(ctx, d.db.DB)
	if err != nil {
		return v, err
	}
	b := &d.board
	b.mu.Lock()
	err = d.db.Snapshot(ctx, func(q db.Querier) error { return b.sync(ctx, q) })
	v.list = b.list
	b.mu.Unlock()
	if err != nil {
		return v, err
	}
	v.calendars, err = calendarsOf(ctx, d.db.DB, g, v.list)
	return v, err
}

// calendarsOf are those in which the clocks of some cases count.
func calendarsOf(ctx context.Context, q db.Querier, g *hours.Compiled,
	list []*pressed) (out map[int64]*calendar.Lineage, err error) {
	out = map[int64]*calendar.Lineage{}
	for _, c := range list {
		for i := range c.clocks {
			id := c.clocks[i].calendar
			if out[id] != nil {
				continue
			}
			if out[id], err = g.Calendar(ctx, q, id); err != nil {
				return out, err
			}
		}
	}
	return out, nil
}

func (b *board) sync(ctx context.Context, q db.Querier) error {
	now, err := casesdb.OldestRunning(ctx, q)
	if err != nil {
		return err
	}
	var rows []casesdb.Pressing
	if b.since == 0 {
		rows, err = casesdb.AllPressing(ctx, q)
	} else {
		rows, err = casesdb.Touched(ctx, q, b.since)
	}
	if err != nil {
		return err
	}
	fresh, err := pressedOf(ctx, q, rows)
	if err != nil {
		return err
	}
	if b.cases == nil {
		b.cases = make(map[int64]*pressed, len(fresh))
	}
	for i, r := range rows {
		if r.Asks {
			b.cases[r.ID] = fresh[i]
		} else {
			delete(b.cases, r.ID)
		}
	}
	if len(rows) > 0 || b.since == 0 {
		b.list = make([]*pressed, 0, len(b.cases))
		for _, c := range b.cases {
			b.list = append(b.list, c)
		}
		// As they lie in memory, which is read from one end to the other for each answer.
		slices.SortFunc(b.list, func(x, y *pressed) int { return cmp.Compare(x.ID, y.ID) })
	}
	b.since = now
	return nil
}

// pressedOf completes cases with their live clocks and what of them is on its way.
func pressedOf(ctx context.Context, q db.Querier, rows []casesdb.Pressing) ([]*pressed, error) {
	if len(rows) == 0 {
		return nil, nil
	}
	out := make([]*pressed, len(rows))
	at := make(map[int64]*pressed, len(rows))
	ids := make([]int64, len(rows))
	for i, r := range rows {
		out[i] = &pressed{Pressing: r, live: r.State.Live(), severity: 4}
		if r.Severity != nil {
			out[i].severity = *r.Severity
		}
		at[r.ID], ids[i] = out[i], r.ID
	}
	clocks, err := casesdb.LiveDeadlines(ctx, q, ids)
	if err != nil {
		return nil, err
	}
	for _, k := range clocks {
		at[k.CaseID].clocks = append(at[k.CaseID].clocks, clockOf(&k))
	}
	items, err := casesdb.LiveDated(ctx, q, ids)
	if err != nil {
		return nil, err
	}
	for _, x := range items {
		at[x.CaseID].items = append(at[x.CaseID].items, dateOf(x))
	}
	open, err := outboxdb.Open(ctx, q, ids)
	for i := range open {
		at[open[i].CaseID].onItsWay(&open[i])
	}
	return out, err
}

// onItsWay notes something that has not arrived at the vendor, and whether it asks for a person.
func (c *pressed) onItsWay(o *outboxdb.Delivery) {
	c.deliveries++
	switch {
	case o.State == casework.SendingToSend:
		c.undelivered, c.toSend = "To be sent by you, "+words.By(string(o.Channel)), true
	case o.State == casework.SendingRefused || o.NeedsPerson:
		c.undelivered = "Could not be delivered: " + o.Problem
	case o.State == casework.SendingUnsure:
		c.undelivered = "It may not have arrived; it is being looked up"
	case o.Attempts > 1:
		c.undelivered = o.Problem
	}
}

// ask is what presses in a case at an instant, in the core's terms; room is memory to use again.
func (c *pressed) ask(now int64, calendars map[int64]*calendar.Lineage, ours *calendar.Calendar,
	room *attention.Case) (first deadline.Standing) {
	*room = attention.Case{Number: c.Number, Severity: c.severity, Undelivered: c.undelivered, ToSend: c.toSend,
		Unread: c.Unread > 0, UnreadSince: db.Unix(c.UnreadSince),
		VendorClosed: c.live && c.VendorClosedAt != nil, Unnumbered: c.Unnumbered, Parked: c.Parked, Now: now,
		Raised: c.Raised,
		Clocks: room.Clocks[:0],
		Items:  room.Items[:0]}
	if c.live && c.Advice != nil {
		room.Advice = escalation.Advice{Rung: *c.Advice, Because: c.AdviceBecause}
	}
	known := false
	for i := range c.clocks {
		k := c.clocks[i].at(now, calendars[c.clocks[i].calendar])
		if first == "" || standingRank[k.Standing] < standingRank[first] {
			first = k.Standing
		}
		known = known || k.Standing != deadline.Paused
		room.Clocks = append(room.Clocks, k)
	}
	for i := range c.items {
		room.Items = append(room.Items, c.items[i].at(now, ours))
	}
	if !c.live {
		return first
	}
	item := func(what string, step attention.Step, due int64) {
		i := attention.Item{What: what, Step: step, Due: due, Day: coveredDay}
		if due <= now {
			i.Over = ours.Span(due, now)
		}
		room.Items = append(room.Items, i)
	}
	switch {
	case c.ParkedUntil != nil:
		item("Parked until its date", attention.Resume, c.ParkedUntil.Unix())
	case !known && len(c.items) == 0 && c.NextAt != nil: // then what is next is the end of the quiet limit
		item("No date set: check in", attention.LookAt, c.NextAt.Unix())
	}
	return first
}

// of leaves out the cases that a person does not see.
func (v boardView) of(g access.Grant) boardView {
	if g.Vendors != nil {
		v.list = slices.DeleteFunc(slices.Clone(v.list), func(c *pressed) bool { return !g.SeesVendor(c.VendorID) })
	}
	return v
}

// Sums are how a desk, or one person's part of it, stands: counts of cases.
type Sums struct {
	Late, DueSoon, Unread, OnTheWay, Live, Lines int
	// OnUs are live cases that wait on us, Stopped those of severity 1, NoReference those without the vendor's number,
	// NotConfirmed those of which something has left that the vendor has not confirmed in time.
	OnUs, Stopped, NoReference, NotConfirmed int
}

// place is where a line of Today is in its order.
type place struct {
	attention.Line
	id int64
}

// partSize is how many cases of a board are worth a processor of their own.
const partSize = 2000

// foremost are the first lines of a board after a place, in order, with the sums of all of
// it; only what a part of the desk has, if there is one. A large board is looked through by several processors at once.
func (v boardView) foremost(now int64, ours *calendar.Calendar, only keeps, after *attention.Line,
	most int) (lines []place, sums Sums) {
	n := min(runtime.GOMAXPROCS(0), 8, len(v.list)/partSize)
	if n < 2 {
		return v.foremostOf(now, ours, only, after, most)
	}
	type part struct {
		lines []place
		sums  Sums
	}
	parts := make([]part, n)
	var all sync.WaitGroup
	for i := range parts {
		some := v
		some.list = v.list[i*len(v.list)/n : (i+1)*len(v.list)/n]
		all.Go(func() { parts[i].lines, parts[i].sums = some.foremostOf(now, ours, only, after, most) })
	}
	all.Wait()
	for _, p := range parts {
		lines = append(lines, p.lines...)
		sums.add(p.sums)
	}
	slices.SortFunc(lines, func(a, b place) int { return attention.Compare(a.Line, b.Line) })
	return lines[:min(most, len(lines))], sums
}

func (s *Sums) add(o Sums) {
	s.Late += o.Late
	s.DueSoon += o.DueSoon
	s.Unread += o.Unread
	s.OnTheWay += o.OnTheWay
	s.Live += o.Live
	s.Lines += o.Lines
	s.OnUs += o.OnUs
	s.Stopped += o.Stopped
	s.NoReference += o.NoReference
	s.NotConfirmed += o.NotConfirmed
}

func (v boardView) foremostOf(now int64, ours *calendar.Calendar, only keeps, after *attention.Line,
	most int) (lines []place, sums Sums) {
	var room attention.Case
	for _, c := range v.list {
		if only != nil && !only(c) {
			continue
		}
		standing := c.ask(now, v.calendars, ours, &room)
		sums.count(c, standing, &room)
		l, ok := attention.Of(room)
		if !ok {
			continue
		}
		sums.Lines++
		if after != nil && attention.Compare(l, *after) <= 0 {
			continue
		}
		if len(lines) == most {
			if attention.Compare(l, lines[most-1].Line) >= 0 {
				continue
			}
			lines = lines[:most-1]
		}
		i, _ := slices.BinarySearchFunc(lines, l, func(p place, l attention.Line) int { return attention.Compare(p.Line, l) })
		lines = slices.Insert(lines, i, place{l, c.ID})
	}
	return lines, sums
}

func (s *Sums) count(c *pressed, standing deadline.Standing, room *attention.Case) {
	late, soon := standing == deadline.Late, standing == deadline.DueSoon
	for i := range room.Items {
		x := &room.Items[i]
		late, soon = late || x.Standing == deadline.Late, soon || x.Standing == deadline.DueSoon
		if x.Kind == dated.Receipt && x.Standing == deadline.Late {
			s.NotConfirmed++
			break
		}
	}
	one := func(n *int, is bool) {
		if is {
			*n++
		}
	}
	one(&s.Late, late)
	one(&s.DueSoon, soon && !late)
	one(&s.Live, c.live)
	one(&s.Unread, c.Unread > 0)
	one(&s.OnTheWay, c.deliveries > 0)
	one(&s.NoReference, c.Unnumbered)
	one(&s.Stopped, c.live && c.Severity != nil && *c.Severity == 1)
	one(&s.OnUs, c.live && c.Move != nil && *c.Move == deadline.Ours)
}

// Warm reads the board before anybody asks for it.
func (d *Today) Warm(ctx context.Context) error {
	_, err := d.view(ctx)
	if errors.Is(err, context.Canceled) {
		return nil
	}
	return err
}

// LineAt is the line of one case at an instant.
func (d *Today) LineAt(ctx context.Context, q db.Querier, g *hours.Compiled, p casesdb.Pressing,
	ours *calendar.Calendar, now time.Time) (*attention.Line, error) {
	list, err := pressedOf(ctx, q, []casesdb.Pressing{p})
	if err != nil {
		return nil, err
	}
	return line(ctx, q, g, list[0], ours, now)
}

// line is the line of one case; nil for none.
func line(ctx context.Context, q db.Querier, g *hours.Compiled, c *pressed, ours *calendar.Calendar,
	now time.Time) (*attention.Line, error) {
	calendars, err := calendarsOf(ctx, q, g, []*pressed{c})
	if err != nil {
		return nil, err
	}
	var room attention.Case
	c.ask(now.Unix(), calendars, ours, &room)
	if l, ok := attention.Of(room); ok {
		return &l, nil
	}
	return nil, nil
}
