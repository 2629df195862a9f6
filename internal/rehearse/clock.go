package rehearse

import (
	"sync"
	"time"
)

// Clock is the rehearsal's own: it stands at an instant until it is started, runs faster than real time then, and jumps
// forward when told. Use NewClock.
type Clock struct {
	// Speed is how many times faster than real time it runs.
	Speed float64

	mu   sync.Mutex
	at   time.Time
	real time.Time // when it was at that; zero while it stands
}

// NewClock stands at an instant.
func NewClock(at time.Time, speed float64) *Clock { return &Clock{Speed: speed, at: at} }

// Now is the time of the rehearsal.
func (c *Clock) Now() time.Time {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.now()
}

func (c *Clock) now() time.Time {
	if c.real.IsZero() {
		return c.at
	}
	return c.at.Add(time.Duration(float64(time.Since(c.real)) * c.Speed))
}

// Start lets it run.
func (c *Clock) Start() {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.at, c.real = c.now(), time.Now()
}

// Jump puts it forward to an instant. One that has passed changes nothing.
func (c *Clock) Jump(to time.Time) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if !to.After(c.now()) {
		return
	}
	if c.at = to; !c.real.IsZero() {
		c.real = time.Now()
	}
}
