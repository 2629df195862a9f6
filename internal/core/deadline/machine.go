package deadline

import (
	"slices"
)

// Phase is where in its life a case stands, as far as clocks care.
type Phase int

// The phases: not yet filed, live, ended and able to come back, gone for good.
const (
	NotFiled Phase = iota
	LivePhase
	Ended
	Gone
)

// Machine replays a history event by event. The zero value is not ready; use New.
type Machine struct {
	phase         Phase
	terms         *Terms
	severity      int
	level         int
	move          Side
	moveSince     int64
	parked        bool
	agreed        bool
	until         int64
	answered      bool // the vendor has said something since filed or reopened
	fix           bool // a fix is under verification
	workaround    bool // a workaround stands
	clocks        []Clock
	live          [kinds]int
	metByFix      []int
	metByWay      []int
	heard         []int64 // instants of the vendor's messages that were not automatic, in order
	spare         []Segment
	err           error
	lastVendor    int64
	lastEitherWay int64
}

// New is a case of which nothing is known yet.
func New() *Machine {
	m := &Machine{}
	for k := range m.live {
		m.live[k] = -1
	}
	return m
}

// Replay applies the events up to and at asOf, in the order given.
func Replay(history []Event, asOf int64) *Machine {
	m := New()
	m.clocks = make([]Clock, 0, len(history)+4)
	for i := range history {
		if history[i].At <= asOf {
			m.Apply(history[i])
		}
	}
	return m
}

// Err is the first target that no calendar can reach, or nil.
func (m *Machine) Err() error { return m.err }

// Phase, Severity, Level, Move, Parked and the like tell the state of the case
// after the last event applied.
func (m *Machine) Phase() Phase { return m.phase }

// Severity is ours, 1 to 4.
func (m *Machine) Severity() int { return m.severity }

// Level is the vendor's that we hold, from 1.
func (m *Machine) Level() int { return m.level }

// Move is whose move it is, and since when; empty once the case is not live.
func (m *Machine) Move() (Side, int64) { return m.move, m.moveSince }

// Parked says whether the case is set aside, and whether the vendor agreed.
func (m *Machine) Parked() (parked, agreed bool) { return m.parked, m.agreed }

// ParkedUntil is when the parking ends by itself; 0 where the case is not parked, or nobody said.
func (m *Machine) ParkedUntil() int64 {
	if !m.parked {
		return 0
	}
	return m.until
}

// FixOffered says whether a fix is under verification.
func (m *Machine) FixOffered() bool { return m.fix }

// WorkaroundOffered says whether a workaround stands that was not rejected.
func (m *Machine) WorkaroundOffered() bool { return m.workaround }

// Answered says whether the vendor has spoken since the case was filed or reopened.
func (m *Machine) Answered() bool { return m.answered }

// LastWord is the instant of the last message of either side that counted.
func (m *Machine) LastWord() int64 { return m.lastEitherWay }

// Clocks are all clocks so far, in the order they were opened.
func (m *Machine) Clocks() []Clock { return m.clocks }

// Apply takes the next event. One that the state makes meaningless changes nothing.
func (m *Machine) Apply(e Event) {
	if !m.meaningful(e) {
		return
	}
	switch e.Kind {
	case Filed:
		m.severity, m.level = e.Severity, e.Level
		m.begin(e)
	case Reopened:
		m.begin(e)
	case VendorMessage:
		m.vendorMessage(e)
	case Offered:
		m.markOffer(e)
	case OurMessage:
		m.lastEitherWay = e.At
		m.turn(ourMove(e.Move, m.fix), e)
	case Moved:
		m.turn(e.Move, e)
	case Park:
		m.parked, m.agreed, m.until = true, e.Agreed, e.Until
	case Unpark:
		m.parked, m.agreed = false, false
	case Severity:
		if e.To != m.severity {
			from := m.severity
			m.severity = e.To
			m.changeRank(e, from, OurAnswer, Verification)
		}
	case Level:
		if e.To != m.level {
			from := m.level
			m.level = e.To
			m.changeRank(e, from, FirstResponse, Resolution)
		}
	case FixRejected:
		m.rejectFix(e)
	case WorkaroundRejected:
		m.rejectWorkaround(e)
	case FixAccepted, Resolved, Closed, Withdrawn:
		m.finish(e)
	}
	if e.Told {
		m.lastEitherWay = e.At
	}
	m.sync(e.At)
}

func (m *Machine) meaningful(e Event) bool {
	switch m.phase {
	case NotFiled:
		return e.Kind == Filed
	case Ended:
		return e.Kind == Reopened
	case Gone:
		return false
	}
	switch e.Kind {
	case Filed, Reopened, ItemDated, ItemKept, ItemMoved, ItemDropped, Raised:
		return false
	case VendorMessage:
		return !e.Automatic
	case Offered:
		return !m.fix && m.heardAt(e.Of)
	case FixAccepted, FixRejected:
		return m.fix
	case WorkaroundRejected:
		return m.workaround
	case Unpark:
		return m.parked
	}
	return true
}

func (m *Machine) heardAt(at int64) bool {
	_, there := slices.BinarySearch(m.heard, at)
	return there
}

func ourMove(said Side, fix bool) Side {
	switch {
	case said != "":
		return said
	case fix:
		return Ours
	}
	return Theirs
}

// begin is filing and reopening: nothing counts as offered or answered.
func (m *Machine) begin(e Event) {
	if e.Terms != nil {
		m.terms = e.Terms
	}
	m.phase = LivePhase
	m.answered, m.fix, m.workaround, m.parked, m.agreed = false, false, false, false, false
	m.metByFix, m.metByWay = nil, nil
	m.lastEitherWay = e.At
	m.turn(Theirs, e)
	for _, k := range [...]Kind{FirstResponse, Workaround, Resolution} {
		m.start(k, e.At, nil, e)
	}
}

func (m *Machine) vendorMessage(e Event) {
	m.heard = append(m.heard, e.At)
	m.lastVendor, m.lastEitherWay = e.At, e.At
	m.parked, m.agreed = false, false
	m.end(FirstResponse, e.At, Met, e)
	m.end(Update, e.At, Met, e)
	m.answered = true
	m.start(Update, e.At, nil, e)
	move := e.Move
	if move == "" {
		move = Ours
	}
	if e.Offers != "" && !m.fix {
		m.offer(e, e.At)
		if e.Offers == OfferFix {
			move = Ours
		}
	}
	m.turn(move, e)
}

// markOffer is an offer that a person sees later in a message of m: the vendor's
// clocks end as of m where they had begun by then, ours at the marking.
func (m *Machine) markOffer(e Event) {
	m.offer(e, e.Of)
	if e.Offers == OfferFix {
		m.turn(Ours, e)
	}
}

func (m *Machine) offer(e Event, said int64) {
	met := func(k Kind) []int {
		i := m.live[k]
		if i < 0 {
			return nil
		}
		at := e.At
		if m.clocks[i].Start <= said {
			at = said
		}
		m.end(k, at, Met, e)
		return []int{i}
	}
	if e.Offers == OfferWorkaround {
		m.workaround = true
		m.metByWay = append(m.metByWay, met(Workaround)...)
		return
	}
	m.fix = true
	m.metByFix = append(met(Workaround), met(Resolution)...)
	m.end(OurAnswer, e.At, Met, e)
	m.start(Verification, e.At, nil, e)
}

func (m *Machine) rejectFix(e Event) {
	m.end(Verification, e.At, Met, e)
	m.fix = false
	m.resume(m.metByFix, e.At)
	m.metByFix = nil
	m.turn(Theirs, e)
}

func (m *Machine) rejectWorkaround(e Event) {
	m.workaround = false
	if m.fix {
		m.metByFix = append(m.metByFix, m.metByWay...)
	} else {
		m.resume(m.metByWay, e.At)
		m.turn(Theirs, e)
	}
	m.metByWay = nil
}

// resume lets clocks go on as if they had never stopped, the time between not counted.
func (m *Machine) resume(list []int, at int64) {
	for _, i := range list {
		c := &m.clocks[i]
		c.pause(c.End, at, Rejected)
		c.Outcome, c.End, c.EndEntry, c.final = Live, 0, 0, measured{}
		m.live[c.Kind] = i
	}
}

func (m *Machine) finish(e Event) {
	if e.Kind == FixAccepted {
		m.end(Verification, e.At, Met, e)
	}
	for k := range m.live {
		m.end(Kind(k), e.At, Void, e)
	}
	m.phase = Ended
	if e.Kind == Withdrawn {
		m.phase = Gone
	}
	m.parked, m.agreed, m.fix = false, false, false
	m.metByFix, m.metByWay = nil, nil
	m.move, m.moveSince = "", e.At
}
