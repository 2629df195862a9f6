// Package dated keeps what should happen on one case, and by when: promises, asks, callbacks, parts, visits and the
// like, by docs/rules.md, section 4, "Dated items". It is replayed from the same history as the clocks of package
// deadline, and asks those only whether the case is live, and whose move it is.
//
//	clocks, items := deadline.New(), new(dated.Machine)
//	for _, e := range history {
//		items.Apply(clocks, e)
//	}
//
// Instants are whole seconds since 1970-01-01T00:00:00Z.
package dated

import (
	"fmt"
	"slices"

	"roundhouse.example/internal/core/deadline"
)

// The kinds of docs/rules.md, section 4. Either side may owe each of them.
const (
	Promise       deadline.ItemKind = "promise"
	Ask           deadline.ItemKind = "ask"
	Callback      deadline.ItemKind = "callback"
	FollowUp      deadline.ItemKind = "follow-up"
	CheckIn       deadline.ItemKind = "check-in"
	Part          deadline.ItemKind = "part"
	PartReturn    deadline.ItemKind = "part-return"
	Visit         deadline.ItemKind = "visit"
	RemoteSession deadline.ItemKind = "remote-session"
	Consent       deadline.ItemKind = "consent"
	Receipt       deadline.ItemKind = "receipt"
	Escalation    deadline.ItemKind = "escalation"
	NeededBy      deadline.ItemKind = "needed-by"
	// Closing is the vendor's own closing of a case that waits on us. It follows by itself; no event sets it.
	Closing deadline.ItemKind = "closing"
)

// Kinds are all that an event can set, in the order of the rules' table.
var Kinds = []deadline.ItemKind{Promise, Ask, Callback, FollowUp, CheckIn, Part, PartReturn, Visit, RemoteSession,
	Consent, Receipt, Escalation, NeededBy}

// GoesOn says whether an item of a kind outlives its case: it goes on until it is kept or dropped.
func GoesOn(k deadline.ItemKind) bool { return k == FollowUp || k == PartReturn }

// Rung is the name of the item that waits for the answer to a raised rung of the ladder, from 1.
func Rung(n int) string { return fmt.Sprintf("rung-%d", n) }

// Item is one thing that is to happen by an instant.
type Item struct {
	Name     string
	Kind     deadline.ItemKind
	Owed     deadline.Side
	Set, Due int64
	End      int64 // once Outcome is not Live
	Outcome  deadline.Outcome
	// Follows is the index of the item that was moved to this one, or -1: a chain counts once in any figure, late if
	// any of it was late.
	Follows              int
	StartEntry, EndEntry int
}

// Standing is how an item stands at an instant not before its last event. Exactly at its due it is in time.
func (i *Item) Standing(at int64) deadline.Standing {
	switch i.Outcome {
	case deadline.Met:
		if i.End > i.Due {
			return deadline.StandsMetLate
		}
		return deadline.StandsMet
	case deadline.Missed:
		return deadline.StandsMissed
	case deadline.Void:
		return deadline.StandsVoid
	case deadline.Replaced:
		return deadline.StandsReplaced
	}
	switch {
	case at > i.Due:
		return deadline.Late
	case at >= i.SoonFrom():
		return deadline.DueSoon
	}
	return deadline.Running
}

// SoonFrom is the instant from which a quarter of the time or less is left.
func (i *Item) SoonFrom() int64 { return i.Due - max(0, i.Due-i.Set)/4 }

// Machine replays a history event by event. The zero value is a case of which nothing is dated.
type Machine struct {
	items []Item
	live  map[string]int // by name
	// closesAfter is after how many seconds the vendor closes a case that waits on us; 0 where it does not.
	closesAfter int64
}

// Replay applies the events up to and at asOf, in the order given, to the clocks and to the dated items.
func Replay(history []deadline.Event, asOf int64) (*deadline.Machine, *Machine) {
	clocks, items := deadline.New(), new(Machine)
	for _, e := range history {
		if e.At <= asOf {
			items.Apply(clocks, e)
		}
	}
	return clocks, items
}

// Items are all items so far, in the order they were opened.
func (m *Machine) Items() []Item { return m.items }

// Live is the live item of a name; nil where none is.
func (m *Machine) Live(name string) *Item {
	if n, ok := m.live[name]; ok {
		return &m.items[n]
	}
	return nil
}

// Apply takes the next event, for the clocks and for the items. One that the state makes meaningless changes nothing.
func (m *Machine) Apply(clocks *deadline.Machine, e deadline.Event) {
	before := clocks.Phase()
	moved, _ := clocks.Move()
	clocks.Apply(e)
	after := clocks.Phase()
	m.own(e, after == deadline.LivePhase)
	switch {
	case before != deadline.LivePhase && after == deadline.LivePhase:
		m.closesAfter = e.ClosesAfter
	case before == deadline.LivePhase && after != deadline.LivePhase:
		m.finish(e)
	}
	to, _ := clocks.Move()
	m.closing(e, moved, to)
}

// own takes what an event says of an item itself.
func (m *Machine) own(e deadline.Event, live bool) {
	if e.Kind == deadline.VendorMessage { // any word of theirs, automatic too
		m.endEach(deadline.Met, e, func(i *Item) bool { return i.Kind == Receipt })
	}
	if e.Item == nil {
		return
	}
	switch e.Kind {
	case deadline.ItemDated:
		if live {
			m.open(Item{Name: e.Item.Name, Kind: e.Item.Kind, Owed: e.Item.Owed, Due: e.Item.Due}, -1, e)
		}
	case deadline.Raised:
		if live && e.Item.Awaits {
			m.open(Item{Name: Rung(e.Item.Rung), Kind: Escalation, Owed: deadline.Theirs, Due: e.Item.Due}, -1, e)
		}
	case deadline.ItemKept:
		m.end(e.Item.Name, deadline.Met, e)
	case deadline.ItemDropped:
		m.end(e.Item.Name, deadline.Void, e)
	case deadline.ItemMoved:
		if i, ok := m.live[e.Item.Name]; ok {
			m.end(e.Item.Name, deadline.Replaced, e)
			old := m.items[i]
			m.open(Item{Name: old.Name, Kind: old.Kind, Owed: old.Owed, Due: e.Item.Due}, i, e)
		}
	}
}

func (m *Machine) open(i Item, follows int, e deadline.Event) {
	if _, there := m.live[i.Name]; there {
		return
	}
	if m.live == nil {
		m.live = map[string]int{}
	}
	i.Set, i.Follows, i.StartEntry = e.At, follows, e.Entry
	m.live[i.Name] = len(m.items)
	m.items = append(m.items, i)
}

// end ends an item that is live. Void and Replaced become Missed where it is late.
func (m *Machine) end(name string, how deadline.Outcome, e deadline.Event) {
	n, ok := m.live[name]
	if ok && how != deadline.Met && e.At > m.items[n].Due {
		how = deadline.Missed
	}
	m.endAs(name, how, e)
}

// endAs ends an item that is live as it is told, late or not.
func (m *Machine) endAs(name string, how deadline.Outcome, e deadline.Event) {
	if n, ok := m.live[name]; ok {
		delete(m.live, name)
		i := &m.items[n]
		i.Outcome, i.End, i.EndEntry = how, e.At, e.Entry
	}
}

func (m *Machine) endEach(how deadline.Outcome, e deadline.Event, which func(*Item) bool) {
	for n := range m.items {
		if i := &m.items[n]; i.Outcome == deadline.Live && which(i) {
			m.end(i.Name, how, e)
		}
	}
}

// finish ends what ends with its case.
func (m *Machine) finish(e deadline.Event) {
	if e.Kind == deadline.FixAccepted || e.Kind == deadline.Resolved {
		m.endEach(deadline.Met, e, func(i *Item) bool { return i.Kind == NeededBy })
	}
	m.endEach(deadline.Void, e, func(i *Item) bool { return !GoesOn(i.Kind) })
}

// closing is the date on which the vendor closes a case that waits on us: a message of ours keeps it, and where the
// move stays ours another begins with that message; it is void once the move turns otherwise.
func (m *Machine) closing(e deadline.Event, moved, to deadline.Side) {
	const name = string(Closing)
	ours := to != "" && (e.Kind == deadline.OurMessage || e.Told)
	switch {
	case ours:
		m.end(name, deadline.Met, e)
	case to != deadline.Ours:
		m.endAs(name, deadline.Void, e)
	}
	if m.closesAfter > 0 && to == deadline.Ours && (moved != deadline.Ours || ours) {
		m.open(Item{Name: name, Kind: Closing, Owed: deadline.Ours, Due: e.At + m.closesAfter}, -1, e)
	}
}

// Next is the earliest due of the live items; ok is false where there is none.
func (m *Machine) Next() (at int64, ok bool) {
	for _, n := range m.live {
		if due := m.items[n].Due; !ok || due < at {
			at, ok = due, true
		}
	}
	return at, ok
}

// Wake is the next instant after now at which the standing of an item changes by the mere passing of time; ok is false
// where there is none.
func (m *Machine) Wake(now int64) (at int64, ok bool) {
	for _, n := range m.live {
		i := &m.items[n]
		for _, x := range [...]int64{i.SoonFrom(), i.Due + 1} {
			if x > now && (!ok || x < at) {
				at, ok = x, true
			}
		}
	}
	return at, ok
}

// ParseKind reads the kind of an item that an event may set.
func ParseKind(s string) (deadline.ItemKind, error) {
	if k := deadline.ItemKind(s); slices.Contains(Kinds, k) {
		return k, nil
	}
	return "", fmt.Errorf("%.40q is not a kind of dated item; use promise, ask, callback, follow-up, check-in, part, "+
		"part-return, visit, remote-session, consent, receipt, escalation, needed-by", s)
}
