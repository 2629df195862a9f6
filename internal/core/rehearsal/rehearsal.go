// Package rehearsal says what was done well in a rehearsal and what was missed, by docs/rules.md, section 10. It reads
// the record of the case alone, and what the script of the vendor did when.
//
//	for _, f := range rehearsal.Judge(played) {
//		fmt.Println(f.Well, f.Kind, f.At)
//	}
//
// Instants are whole seconds since 1970-01-01T00:00:00Z; 0 is never.
package rehearsal

import (
	"cmp"
	"slices"

	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/escalation"
)

// DeedKind is something that one of ours does.
type DeedKind string

// The deeds.
const (
	Said      DeedKind = "said"      // the vendor heard from us, whatever was said
	Escalated DeedKind = "escalated" // a rung was raised
	Accepted  DeedKind = "accepted"
	Rejected  DeedKind = "rejected"
	Disputed  DeedKind = "disputed" // the vendor was told that its closing is wrong
	Regraded  DeedKind = "regraded" // the vendor was told to take its level back
	Reopened  DeedKind = "reopened"
	Ended     DeedKind = "ended" // resolved, closed or withdrawn by us
	Briefed   DeedKind = "briefed"
)

// Deed is one of them; Rung is set where one was raised.
type Deed struct {
	At   int64
	Kind DeedKind
	Rung int
}

// Turn is what the script of the vendor did that asks for a particular deed.
type Turn struct {
	At   int64
	Kind Kind // WrongFix, GoodFix, Lowered, ClosedEarly
}

// Kind is what a finding is about.
type Kind string

// The kinds of findings, in the order in which they come where they come up at the same instant.
const (
	Filing      Kind = "filing"
	Grading     Kind = "grading"
	OurDeadline Kind = "our-deadline"
	VendorLate  Kind = "vendor-late"
	Advised     Kind = "advised"
	Lowered     Kind = "lowered"
	WrongFix    Kind = "wrong-fix"
	GoodFix     Kind = "good-fix"
	ClosedEarly Kind = "closed-early"
	Briefing    Kind = "briefing"
	Ending      Kind = "ending"
)

// Kinds are all of them.
var Kinds = []Kind{Filing, Grading, OurDeadline, VendorLate, Advised, Lowered, WrongFix, GoodFix, ClosedEarly, Briefing,
	Ending}

// Finding is one thing that was done well, or missed.
type Finding struct {
	Kind Kind
	Well bool
	// At is when it came up, Until when it was to be done at the latest, Done when it was done.
	At, Until, Done int64
	// Deadline is which one, of deadlines; Rung which was advised, of advice.
	Deadline deadline.Kind
	Rung     int
	// Severity is what the case was graded, and Expected what its facts ask for, of gradings.
	Severity, Expected int
}

// Played is a rehearsal that is over.
type Played struct {
	Began, Over int64
	// History is the record of the case, in order of time; empty where it was never filed.
	History []deadline.Event
	Deeds   []Deed // in order of time
	Turns   []Turn // in order of time
	Ladder  escalation.Ladder
	// Hours are our own, and Patience is how many seconds of them something may wait for us that has no deadline of its
	// own; at severity 1 it counts round the clock.
	Hours    *calendar.Calendar
	Patience int64
	// ToFile is within how many seconds from the beginning the case was to be filed; 0 where it was filed beforehand.
	ToFile int64
	// Severity is what it was to be graded; 0 where that is not looked at.
	Severity int
	// ToBrief is within how many seconds from the beginning our own people were to be told; 0 where they need not.
	ToBrief int64
}

// Judge is what was done well and what was missed, in the order in which it came up. What nobody had to do yet when the
// rehearsal ended is left out, as is what came right before anybody had to act.
func Judge(p Played) (out []Finding) {
	clocks := deadline.Replay(p.History, p.Over)
	out = append(out, p.begun(clocks)...)
	out = append(out, p.deadlines(clocks)...)
	out = append(out, p.advised()...)
	for _, t := range p.Turns {
		if f, ok := p.turned(t); ok {
			out = append(out, f)
		}
	}
	if p.ToBrief > 0 {
		f, ok := p.asked(Finding{Kind: Briefing, At: p.Began, Until: p.Began + p.ToBrief}, Briefed)
		if ok {
			out = append(out, f)
		}
	}
	out = append(out, p.ended())
	slices.SortStableFunc(out, func(a, b Finding) int {
		return cmp.Or(cmp.Compare(a.At, b.At), cmp.Compare(slices.Index(Kinds, a.Kind), slices.Index(Kinds, b.Kind)))
	})
	return out
}

// begun judges the filing and the grading.
func (p *Played) begun(clocks *deadline.Machine) (out []Finding) {
	filed := p.filed()
	if p.ToFile > 0 {
		f := Finding{Kind: Filing, At: p.Began, Until: p.Began + p.ToFile, Done: filed}
		if f.Well = filed != 0 && filed <= f.Until; f.Well || p.Over > f.Until {
			out = append(out, f)
		}
	}
	if p.Severity > 0 && filed != 0 {
		out = append(out, Finding{Kind: Grading, At: filed, Done: filed, Severity: clocks.Severity(), Expected: p.Severity,
			Well: clocks.Severity() == p.Severity})
	}
	return out
}

func (p *Played) filed() int64 {
	for _, e := range p.History {
		if e.Kind == deadline.Filed {
			return e.At
		}
	}
	return 0
}

// deadlines judges ours by whether they were met, and the vendor's that were late by whether it heard of that from us.
func (p *Played) deadlines(clocks *deadline.Machine) (out []Finding) {
	for i := range clocks.Clocks() {
		c := &clocks.Clocks()[i]
		due, known := c.Due(p.Over)
		end := p.Over
		if c.Outcome != deadline.Live {
			end = c.End
		}
		switch {
		case !known:
		case c.Kind.Ours():
			f := Finding{Kind: OurDeadline, At: c.Start, Until: due, Deadline: c.Kind}
			// The vendor may have gone on without us: that is no answer of ours.
			if d, ok := p.first(c.Start, Said, Accepted, Rejected, Ended); ok && c.Outcome != deadline.Live && d.At <= end {
				f.Done = d.At
			}
			if f.Well = f.Done != 0 && f.Done <= due; f.Well || f.Done != 0 || end > due {
				out = append(out, f)
			}
		case end > due:
			late := Finding{Kind: VendorLate, At: due, Until: p.until(due), Deadline: c.Kind}
			f, ok := p.answered(late, due+1, end, Said)
			if ok {
				out = append(out, f)
			}
		}
	}
	return out
}

// answered is a finding of something that was so from an instant until another, and asked for a deed as long as it was.
func (p *Played) answered(f Finding, from, to int64, by ...DeedKind) (Finding, bool) {
	d, ok := p.first(from, by...)
	if ok && (d.At <= to || d.At <= f.Until) {
		f.Done = d.At
		f.Well = d.At <= f.Until
		return f, true
	}
	return f, to > f.Until
}

// asked is answered, of what goes on until the end.
func (p *Played) asked(f Finding, by ...DeedKind) (Finding, bool) {
	return p.answered(f, f.At, p.Over, by...)
}

// first is the first deed of some kinds at an instant or later.
func (p *Played) first(at int64, by ...DeedKind) (Deed, bool) {
	for _, d := range p.Deeds {
		if d.At >= at && d.At <= p.Over && slices.Contains(by, d.Kind) {
			return d, true
		}
	}
	return Deed{}, false
}

// until is when something that came up at an instant must have been seen to.
func (p *Played) until(at int64) int64 {
	if deadline.Replay(p.History, at).Severity() != 1 && p.Hours != nil {
		if due, err := p.Hours.Due(at, p.Patience); err == nil {
			return due
		}
	}
	return at + p.Patience
}

// turned judges what we did about a turn of the script.
func (p *Played) turned(t Turn) (f Finding, ok bool) {
	f = Finding{Kind: t.Kind, At: t.At}
	switch t.Kind {
	case Lowered:
		f.Until = p.until(t.At)
		return p.asked(f, Regraded)
	case ClosedEarly:
		f.Until = p.until(t.At)
		if d, done := p.first(t.At, Disputed, Reopened, Ended); done && d.Kind == Ended {
			f.Done = d.At
			return f, true
		}
		return p.asked(f, Disputed, Reopened)
	}
	d, done := p.first(t.At, Accepted, Rejected, Ended)
	f.Done, f.Well = d.At, (d.Kind == Rejected) == (t.Kind == WrongFix)
	return f, done
}

// ended judges how the case stood at the end: it is to have ended by us, and not before a fix that works was there.
func (p *Played) ended() Finding {
	f := Finding{Kind: Ending, At: p.Over}
	works := slices.IndexFunc(p.Turns, func(t Turn) bool { return t.Kind == GoodFix })
	r := casework.Replay(p.History, p.Over, true)
	if r.State == casework.Resolved || r.State == casework.Closed {
		f.Done = r.Ended
		f.Well = works >= 0 && p.Turns[works].At <= r.Ended
	}
	return f
}
