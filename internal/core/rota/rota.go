// Package rota says who can be reached round the clock: in which period whom, where nobody is, and how a vendor reads
// it.
//
//	on := rota.On(periods, now)                            // nil where nobody is
//	gaps := rota.Gaps(periods, now, now.AddDate(0, 0, 28)) // to be filled
package rota

import (
	"regexp"
	"slices"
	"strings"
	"time"
)

// Period is a stretch in which one person can be reached: from the handover at its start up to that at its end, which
// is the next person's.
type Period struct {
	From, Until time.Time
	Name, Phone string
}

// Gap is a stretch in which nobody can be reached.
type Gap struct{ From, Until time.Time }

// On is the period that holds an instant; nil where there is none. Of several it is the one that began last.
func On(periods []Period, at time.Time) *Period {
	var on *Period
	for i, p := range periods {
		if !p.From.After(at) && p.Until.After(at) && (on == nil || p.From.After(on.From)) {
			on = &periods[i]
		}
	}
	return on
}

// Gaps are the stretches from one instant to another in which nobody can be reached, in order of time.
func Gaps(periods []Period, from, until time.Time) (gaps []Gap) {
	sorted := slices.SortedFunc(slices.Values(periods), func(a, b Period) int { return a.From.Compare(b.From) })
	for _, p := range sorted {
		if !p.Until.After(from) || !p.From.Before(until) {
			continue
		}
		if p.From.After(from) {
			gaps = append(gaps, Gap{from, p.From})
		}
		from = p.Until
	}
	if from.Before(until) {
		gaps = append(gaps, Gap{from, until})
	}
	return gaps
}

// Contact is how a vendor reads who can be reached, from an instant on and for some time ahead, with the handovers in
// UTC; empty where nobody can at that instant.
func Contact(periods []Period, at time.Time, ahead time.Duration) string {
	var shifts []string
	for on := On(periods, at); on != nil && len(shifts) < 4; on = On(periods, on.Until) {
		shift := on.Name + ", " + on.Phone
		if !on.Until.Before(at.Add(ahead)) {
			return strings.Join(append(shifts, shift), ", then ")
		}
		shifts = append(shifts, shift+" (until "+on.Until.UTC().Format("Mon 2 Jan 15:04 MST")+")")
	}
	return strings.Join(shifts, ", then ")
}

// Shifts are periods of some days each, one after the other, beginning at an instant; handovers are at the same time of
// day in the zone of that instant, also over a change of clocks.
func Shifts(from time.Time, days, shifts int) []Gap {
	out := make([]Gap, shifts)
	for i := range out {
		out[i] = Gap{from.AddDate(0, 0, i*days), from.AddDate(0, 0, (i+1)*days)}
	}
	return out
}

var number = regexp.MustCompile(`\+?\(?[0-9][0-9 ()./-]*[0-9]`)

// Callable says whether a text has a phone number in it that one can call: six to fifteen digits, an extension apart.
func Callable(s string) bool {
	for _, n := range number.FindAllString(s, -1) {
		digits := 0
		for _, r := range n {
			if r >= '0' && r <= '9' {
				digits++
			}
		}
		if digits >= 6 && digits <= 15 {
			return true
		}
	}
	return false
}
