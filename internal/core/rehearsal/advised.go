package rehearsal

import (
	"roundhouse.example/internal/core/dated"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/escalation"
)

// advised judges each stretch in which the rules advised a rung.
func (p *Played) advised() (out []Finding) {
	for _, s := range p.stretches() {
		f := Finding{Kind: Advised, At: s.from, Until: p.until(s.from), Rung: s.rung}
		for _, d := range p.Deeds {
			if d.Kind == Escalated && d.Rung >= s.rung && d.At >= s.from && d.At <= p.Over {
				f.Done = d.At
				break
			}
		}
		switch {
		case f.Done != 0 && f.Done <= max(s.to, f.Until):
			f.Well = f.Done <= f.Until
		case s.to <= f.Until: // it came right before anybody had to
			continue
		default:
			f.Done = 0
		}
		out = append(out, f)
	}
	return out
}

// stretch is a time in which a rung was advised.
type stretch struct {
	from, to int64
	rung     int
}

// stretches finds them: the advice changes with an event, or at an instant that is known beforehand.
func (p *Played) stretches() (out []stretch) {
	clocks, items, raised := deadline.New(), new(dated.Machine), new(escalation.Machine)
	rung := 0
	look := func(at int64) {
		now := raised.Advice(p.Ladder, clocks, items, at).Rung
		if now == rung {
			return
		}
		if rung != 0 {
			out[len(out)-1].to = at
		}
		if rung = now; now != 0 {
			out = append(out, stretch{from: at, to: p.Over, rung: now})
		}
	}
	wait := func(at, until int64) {
		for {
			wake, ok := raised.Wake(p.Ladder, clocks, items, at)
			if !ok || wake >= until {
				return
			}
			look(wake)
			at = wake
		}
	}
	at := p.Began
	for _, e := range p.History {
		if e.At > p.Over {
			break
		}
		wait(at, e.At)
		raised.Apply(clocks, items, e)
		look(e.At)
		at = e.At
	}
	wait(at, p.Over)
	return out
}
