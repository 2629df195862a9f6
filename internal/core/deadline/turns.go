package deadline

import (
	"fmt"
)

// turn gives the move to a side.
func (m *Machine) turn(to Side, e Event) {
	if to == m.move {
		return
	}
	m.move, m.moveSince = to, e.At
	if to == Theirs {
		m.end(OurAnswer, e.At, Met, e)
	} else if !m.fix {
		m.start(OurAnswer, e.At, nil, e)
	}
}

func (m *Machine) rank(k Kind) int {
	if k.Ours() {
		return m.severity
	}
	return m.level
}

// start opens a clock at the present rank, where that promises it. A clock that
// goes on from another inherits its start and segments.
func (m *Machine) start(k Kind, at int64, from *Clock, e Event) {
	rank := m.rank(k)
	term, ok := m.terms.Term(k, rank)
	if !ok {
		return
	}
	c := Clock{Kind: k, Rank: rank, Term: term, Start: at, Follows: -1, StartEntry: e.Entry}
	if from == nil {
		c.Segments = m.room(2)
	} else {
		c.Start = from.Start
		c.Segments = append(m.room(len(from.Segments)+2), from.Segments...)
	}
	seconds, err := term.Calendar.At(e.At).Seconds(c.Start, term.Target)
	if err != nil {
		if m.err == nil {
			m.err = fmt.Errorf("%s at rank %d: %w", k, rank, err)
		}
		return
	}
	c.Seconds = seconds
	m.live[k] = len(m.clocks)
	m.clocks = append(m.clocks, c)
}

// room hands out empty segments from a common store: most clocks need few.
func (m *Machine) room(n int) []Segment {
	if cap(m.spare)-len(m.spare) < n {
		m.spare = make([]Segment, 0, max(64, n))
	}
	at := len(m.spare)
	m.spare = m.spare[:at+n]
	return m.spare[at : at : at+n]
}

// end stops a live clock at an instant; what was counted after it is taken back.
// Void and Replaced become Missed where the clock is late.
func (m *Machine) end(k Kind, at int64, how Outcome, e Event) {
	i := m.live[k]
	if i < 0 {
		return
	}
	m.live[k] = -1
	c := &m.clocks[i]
	c.cut(at)
	c.End, c.Outcome, c.EndEntry = at, how, e.Entry
	if how == Met {
		return
	}
	if r := c.row(at); r.late() {
		c.Outcome = Missed
	}
}

func (m *Machine) changeRank(e Event, from int, first, last Kind) {
	for k := first; k <= last; k++ {
		i := m.live[k]
		if i < 0 {
			if m.waiting(k) {
				m.start(k, e.At, nil, e)
			}
			continue
		}
		m.end(k, e.At, Replaced, e)
		var old *Clock
		if m.keeps(k, from) {
			copied := m.clocks[i]
			old = &copied
		}
		before := len(m.clocks)
		m.start(k, e.At, old, e)
		if len(m.clocks) > before {
			m.clocks[before].Follows = i
		}
	}
}

func (m *Machine) keeps(k Kind, from int) bool {
	how := m.terms.OnChange
	if k.Ours() {
		how = m.terms.OurOnChange
	}
	return how == Keep || how != Restart && m.rank(k) > from
}

// waiting says whether what the deadline promises is still waited for.
func (m *Machine) waiting(k Kind) bool {
	switch k {
	case FirstResponse:
		return !m.answered
	case Update:
		return m.answered
	case Workaround:
		return !m.workaround && !m.fix
	case Resolution:
		return !m.fix
	case OurAnswer:
		return m.move == Ours && !m.fix
	}
	return m.fix
}

// sync lets every live clock count or pause from at on, as the state now says.
func (m *Machine) sync(at int64) {
	for _, i := range m.live {
		if i >= 0 {
			counted, why := m.counting(m.clocks[i].Kind)
			m.clocks[i].carry(at, counted, why)
		}
	}
}

func (m *Machine) counting(k Kind) (bool, Reason) {
	switch {
	case k.Ours() && m.parked:
		return false, CaseParked
	case k == Verification:
		return true, UnderVerification
	case k == OurAnswer:
		return true, MoveOurs
	case m.parked && m.agreed:
		return false, ParkedByAgreement
	case m.move == Theirs:
		return true, MoveTheirs
	case m.terms.RunWhileOurs:
		return true, MoveOursRunsOn
	}
	return false, MoveOurs
}
