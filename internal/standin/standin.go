// Package standin plays vendors: a small program with an HTTP API of its own
// shape, whose engineers answer, ask, repair, close too early or stay silent,
// always the same way for the same job. It ships with Roundhouse for the demo,
// for tests, and for people who want to practise.
package standin

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"sync"
	"time"
)

// House is one vendor that is played.
type House struct {
	Key    string   // its place in paths
	Prefix string   // of its job numbers
	First  int      // the first number
	Grades []string // its own scale, most severe first
	People []string // its engineers
}

// Houses are the vendors of the demo.
var Houses = []House{
	{"corvane", "CV-", 20417, []string{"Alarm", "Urgent", "Regular", "Query", "Wish"},
		[]string{"Imke Vandersloot", "Teo Brannigan"}},
	{"ninefathom", "NF/", 771204, []string{"Circuit down", "Circuit poor", "Advice"},
		[]string{"Asha Menonkar", "Devraj Pillay"}},
	{"tallow", "TW/88-", 20650, []string{"Grade I", "Grade II", "Grade III", "Grade IV"},
		[]string{"Ilaria Marchetti", "Kofi Obuya"}},
}

// Happening is one line of a house's feed.
type Happening struct {
	Seq   int64     `json:"seq"`
	Job   string    `json:"job"`
	What  string    `json:"what"` // logged, remark, stage, grade, end, again
	By    By        `json:"by"`
	At    time.Time `json:"at"`
	Words string    `json:"words"`
	Stage string    `json:"stage"`
	Grade string    `json:"grade,omitempty"`
	Fix   string    `json:"fix,omitempty"` // detour, repair
}

// By is who did it.
type By struct {
	Side    string `json:"side"` // house, caller
	Name    string `json:"name"`
	Machine bool   `json:"machine"`
}

// Job is a house's ticket.
type Job struct {
	No      string    `json:"no"`
	Subject string    `json:"subject"`
	Story   string    `json:"story"`
	Grade   string    `json:"grade"`
	Stage   string    `json:"stage"`
	Logged  time.Time `json:"logged"`
	Manner  string    `json:"manner"`
	Step    int       `json:"step"`  // of the manner's script, the next line
	Since   time.Time `json:"since"` // when that line began to wait
	Shut    bool      `json:"shut"`
	Papers  []Paper   `json:"papers,omitempty"`
}

type houseState struct {
	Jobs       []*Job      `json:"jobs"`
	Happenings []Happening `json:"happenings"`
	Next       int         `json:"next"`
	Ways       []string    `json:"ways"` // how the next writes misbehave
}

// Standin is a set of houses at work. Use New.
type Standin struct {
	mu     sync.Mutex
	houses map[string]*houseState
	haste  float64
	file   string
	manner string
	now    func() time.Time
}

// Options of a stand-in.
type Options struct {
	// Haste divides every delay of the engineers; 0 is 1.
	Haste float64
	// File keeps the jobs across starts; empty keeps them in memory.
	File string
	// Now is the clock; nil is the machine's.
	Now func() time.Time
	// Manner is how all jobs are dealt with; empty lets their subject and number decide.
	Manner string
}

// New loads what the file holds, or begins empty.
func New(o Options) (*Standin, error) {
	s := &Standin{houses: map[string]*houseState{}, haste: o.Haste, file: o.File, manner: o.Manner,
		now: o.Now}
	if s.haste <= 0 {
		s.haste = 1
	}
	if s.now == nil {
		s.now = time.Now
	}
	if s.file != "" {
		b, err := os.ReadFile(s.file)
		if err == nil {
			err = json.Unmarshal(b, &s.houses)
		}
		if err != nil && !errors.Is(err, fs.ErrNotExist) {
			return nil, fmt.Errorf("the stand-in's file %s: %w", s.file, err)
		}
	}
	for _, h := range Houses {
		if s.houses[h.Key] == nil {
			s.houses[h.Key] = &houseState{Next: h.First}
		}
	}
	return s, nil
}

func house(key string) (House, bool) {
	for _, h := range Houses {
		if h.Key == key {
			return h, true
		}
	}
	return House{}, false
}

// Run lets the engineers work until ctx ends.
func (s *Standin) Run(ctx context.Context) {
	every := time.Duration(float64(2*time.Second) / s.haste)
	t := time.NewTicker(min(max(every, 20*time.Millisecond), time.Second))
	defer t.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-t.C:
			s.Tick()
		}
	}
}

// Seed puts a job in as if it had been logged long ago, for the demo's data.
func (s *Standin) Seed(key string, j Job) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	st := s.houses[key]
	if st == nil {
		return fmt.Errorf("no house %q", key)
	}
	st.Jobs = append(st.Jobs, &j)
	st.Next++
	return s.save()
}

// NextNumber is the number that a house would give its next job.
func (s *Standin) NextNumber(key string) string {
	s.mu.Lock()
	defer s.mu.Unlock()
	h, _ := house(key)
	return fmt.Sprintf("%s%d", h.Prefix, s.houses[key].Next)
}

// Jobs are a house's, in the order they were logged.
func (s *Standin) Jobs(key string) []Job {
	s.mu.Lock()
	defer s.mu.Unlock()
	var out []Job
	for _, j := range s.houses[key].Jobs {
		out = append(out, *j)
	}
	return out
}

// Feed is all that has happened at a house.
func (s *Standin) Feed(key string) []Happening {
	s.mu.Lock()
	defer s.mu.Unlock()
	return append([]Happening(nil), s.houses[key].Happenings...)
}

// Misbehave makes the next writes at a house go wrong, in this order of ways:
// cut, late, lag, short, garbage, down, or well for one that goes right.
func (s *Standin) Misbehave(key string, ways ...string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.houses[key].Ways = append(s.houses[key].Ways, ways...)
}

// save writes the whole beside its place and moves it there.
func (s *Standin) save() error {
	if s.file == "" {
		return nil
	}
	b, err := json.Marshal(s.houses)
	if err != nil {
		return err
	}
	tmp := filepath.Join(filepath.Dir(s.file), ".standin.tmp")
	if err := os.WriteFile(tmp, b, 0o600); err != nil {
		return err
	}
	return os.Rename(tmp, s.file)
}

func (s *Standin) happen(key string, h Happening) {
	st := s.houses[key]
	h.Seq = int64(len(st.Happenings) + 1)
	h.At = s.now().UTC().Truncate(time.Millisecond)
	st.Happenings = append(st.Happenings, h)
	_ = s.save()
}

func (s *Standin) job(key, no string) *Job {
	for _, j := range s.houses[key].Jobs {
		if j.No == no {
			return j
		}
	}
	return nil
}

// Say writes something into a house's feed as if an engineer had done it, for
// tests and rehearsals that lead the engineers by hand.
func (s *Standin) Say(key string, h Happening) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if j := s.job(key, h.Job); j != nil && h.Stage != "" {
		j.Stage, j.Shut = h.Stage, h.What == "end" || j.Shut
	}
	s.happen(key, h)
}
