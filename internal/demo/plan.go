package demo

import (
	"sort"
	"time"
)

// story is a case of the scenario from its opening on.
type story struct {
	matter     matter
	sev, owner int
	opened     time.Time
	acts       []act
	live, bare bool
	caseID     int64
	vendor     string
}

type beat struct {
	at    time.Time
	story *story
	act   *act // nil opens it
	turn  *turn
}

// plan is what happens when, from half a year ago to the present.
func (s *stage) plan(present time.Time) ([]beat, error) {
	matters, err := matters()
	if err != nil {
		return nil, err
	}
	var stories []*story
	var last time.Time
	for i := range 70 {
		opened := present.Add(-180*day + time.Duration(i)*57*hour + time.Duration(s.rnd.IntN(300))*minute)
		opened = opened.Truncate(day).Add(time.Duration(7*60+s.rnd.IntN(420)) * minute)
		for opened.Weekday() == time.Saturday || opened.Weekday() == time.Sunday {
			opened = opened.Add(-day)
		}
		// One after the other whatever day it is today, since help and guides name cases by number.
		if !opened.After(last) {
			opened = last.Add(20 * minute)
		}
		last = opened
		stories = append(stories,
			&story{matter: matters[(i*5+i/3)%len(matters)], sev: 2 + (i*7%5+1)/2, owner: i % 3, opened: opened,
				acts: ended[i%len(ended)]})
	}
	for _, g := range going {
		stories = append(stories,
			&story{matter: matters[g.matter], sev: g.sev, owner: g.owner, opened: present.Add(-g.ago).Truncate(time.Second),
				acts: g.acts, live: true, bare: g.ago == 70*minute})
	}
	var beats []beat
	for _, st := range stories {
		st.sev = min(st.sev, 4)
		beats = append(beats, beat{at: st.opened, story: st})
		for i := range st.acts {
			beats = append(beats, beat{at: st.opened.Add(st.acts[i].after), story: st, act: &st.acts[i]})
		}
		if !st.live {
			continue
		}
		turned, err := turns(st.matter.Title, present.Sub(st.opened))
		if err != nil {
			return nil, err
		}
		for _, t := range turned {
			beats = append(beats, beat{at: present.Add(-t.ago).Truncate(time.Second), story: st, turn: &t})
		}
	}
	sort.SliceStable(beats, func(i, j int) bool { return beats[i].at.Before(beats[j].at) })
	return beats, nil
}
