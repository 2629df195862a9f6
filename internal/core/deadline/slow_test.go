package deadline

import (
	"slices"

	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/calendar/walk"
)

// slowClock keeps, for every minute of its life, whether it counted.
type slowClock struct {
	kind           Kind
	rank           int
	hours          *walk.Calendar
	seconds, start int64
	counts         []bool
	end            int64
	outcome        string // empty while it lives
}

// slow is the second engine: it lives through a case minute by minute and asks
// the wall clock. It is written from the rules alone, for events on whole minutes.
type slow struct {
	terms           map[Kind]map[int]slowTerm
	how             Change
	runWhileOurs    bool
	state           string // "", live, ended, gone
	severity, level int
	move            Side
	parked, agreed  bool
	answered        bool
	fix, way        bool
	spoke           map[int64]bool
	all             []*slowClock
	live            map[Kind]*slowClock
	fixMet, wayMet  []*slowClock
	now             int64
}

type slowTerm struct {
	target calendar.Target
	hours  *walk.Calendar
}

func (s *slow) running(c *slowClock) bool {
	if c.kind.Ours() {
		return !s.parked
	}
	return !(s.parked && s.agreed) && (s.move == Theirs || s.runWhileOurs)
}

func (s *slow) open(k Kind, start int64, counts []bool) {
	rank := s.level
	if k.Ours() {
		rank = s.severity
	}
	term, ok := s.terms[k][rank]
	if !ok || term.target.None {
		return
	}
	c := &slowClock{kind: k, rank: rank, hours: term.hours, start: start, seconds: term.target.Seconds,
		counts: slices.Clone(counts)}
	if term.target.Business {
		c.seconds = term.hours.Span(start, term.hours.DueBusinessDays(start, term.target.Days))
	}
	s.all, s.live[k] = append(s.all, c), c
}

func (s *slow) close(k Kind, at int64, outcome string) *slowClock {
	c := s.live[k]
	if c == nil {
		return nil
	}
	delete(s.live, k)
	if n := max(0, int(at-c.start)/60); n < len(c.counts) {
		c.counts = c.counts[:n]
	}
	c.end, c.outcome = at, outcome
	if due, known := s.due(c); outcome != "met" && known && at > due {
		c.outcome = "missed"
	}
	return c
}

// due walks the counted minutes of the past, then on where counting goes on.
func (s *slow) due(c *slowClock) (int64, bool) {
	if c.seconds == 0 {
		return c.start, true
	}
	left := c.seconds
	for i, counted := range c.counts {
		if t := c.start + int64(i)*60; counted && c.hours.Covered(t) {
			if left -= 60; left == 0 {
				return t + 60, true
			}
		}
	}
	goesOn := c.outcome == "" && s.running(c)
	if c.outcome != "" {
		goesOn = len(c.counts) > 0 && c.counts[len(c.counts)-1]
	}
	if !goesOn {
		return 0, false
	}
	return c.hours.Due(c.start+int64(len(c.counts))*60, left), true
}

func (c *slowClock) counted() (sum int64) {
	for i, counted := range c.counts {
		if counted && c.hours.Covered(c.start+int64(i)*60) {
			sum += 60
		}
	}
	return sum
}

func (s *slow) turn(to Side) {
	if s.move == to {
		return
	}
	s.move = to
	if to == Theirs {
		s.close(OurAnswer, s.now, "met")
	} else if !s.fix {
		s.open(OurAnswer, s.now, nil)
	}
}

func (s *slow) offered(what Offer, said int64) {
	meet := func(k Kind) []*slowClock {
		c := s.live[k]
		if c == nil {
			return nil
		}
		at := s.now
		if c.start <= said {
			at = said
		}
		return []*slowClock{s.close(k, at, "met")}
	}
	if what == OfferWorkaround {
		s.way = true
		s.wayMet = append(s.wayMet, meet(Workaround)...)
		return
	}
	s.fix = true
	s.fixMet = append(meet(Workaround), meet(Resolution)...)
	s.close(OurAnswer, s.now, "met")
	s.open(Verification, s.now, nil)
}

func (s *slow) goOn(list []*slowClock) {
	for _, c := range list {
		for int64(len(c.counts))*60 < s.now-c.start {
			c.counts = append(c.counts, false)
		}
		c.end, c.outcome, s.live[c.kind] = 0, "", c
	}
}

func (s *slow) ranks(kinds []Kind, milder bool) {
	open := map[Kind]bool{FirstResponse: !s.answered, Update: s.answered, Workaround: !s.way && !s.fix, Resolution: !s.fix,
		OurAnswer: s.move == Ours && !s.fix, Verification: s.fix}
	for _, k := range kinds {
		old := s.close(k, s.now, "replaced")
		switch {
		case old != nil && (s.how == Keep || s.how == RestartIfRaised && milder):
			s.open(k, old.start, old.counts)
		case old != nil || open[k]:
			s.open(k, s.now, nil)
		}
	}
}

func (s *slow) begin() {
	s.state, s.move = "live", ""
	s.parked, s.agreed, s.answered, s.fix, s.way = false, false, false, false, false
	s.fixMet, s.wayMet = nil, nil
	s.turn(Theirs)
	for _, k := range []Kind{FirstResponse, Workaround, Resolution} {
		s.open(k, s.now, nil)
	}
}

func (s *slow) event(e Event) {
	if s.state == "" && e.Kind == Filed {
		s.severity, s.level = e.Severity, e.Level
		s.begin()
		return
	}
	if s.state == "ended" && e.Kind == Reopened {
		s.begin()
		return
	}
	if s.state != "live" {
		return
	}
	switch e.Kind {
	case VendorMessage:
		if e.Automatic {
			return
		}
		s.spoke[e.At] = true
		s.parked, s.agreed = false, false
		s.close(FirstResponse, s.now, "met")
		s.close(Update, s.now, "met")
		s.answered = true
		s.open(Update, s.now, nil)
		to := Ours
		if e.Move != "" {
			to = e.Move
		}
		if e.Offers != "" && !s.fix {
			if s.offered(e.Offers, s.now); e.Offers == OfferFix {
				to = Ours
			}
		}
		s.turn(to)
	case Offered:
		if s.spoke[e.Of] && !s.fix {
			if s.offered(e.Offers, e.Of); e.Offers == OfferFix {
				s.turn(Ours)
			}
		}
	case OurMessage:
		switch {
		case e.Move != "":
			s.turn(e.Move)
		case s.fix:
			s.turn(Ours)
		default:
			s.turn(Theirs)
		}
	case Moved:
		s.turn(e.Move)
	case Park:
		s.parked, s.agreed = true, e.Agreed
	case Unpark:
		s.parked, s.agreed = false, false
	case Severity:
		if was := s.severity; was != e.To {
			s.severity = e.To
			s.ranks([]Kind{OurAnswer, Verification}, e.To > was)
		}
	case Level:
		if was := s.level; was != e.To {
			s.level = e.To
			s.ranks([]Kind{FirstResponse, Update, Workaround, Resolution}, e.To > was)
		}
	case FixRejected:
		if s.fix {
			s.close(Verification, s.now, "met")
			s.fix = false
			s.goOn(s.fixMet)
			s.fixMet = nil
			s.turn(Theirs)
		}
	case WorkaroundRejected:
		if !s.way {
			return
		}
		s.way = false
		if s.fix {
			s.fixMet = append(s.fixMet, s.wayMet...)
		} else {
			s.goOn(s.wayMet)
			s.turn(Theirs)
		}
		s.wayMet = nil
	case FixAccepted, Resolved, Closed, Withdrawn:
		if e.Kind == FixAccepted {
			if !s.fix {
				return
			}
			s.close(Verification, s.now, "met")
		}
		for k := range kinds {
			s.close(k, s.now, "void")
		}
		s.state, s.move = "ended", ""
		if e.Kind == Withdrawn {
			s.state = "gone"
		}
	}
}
