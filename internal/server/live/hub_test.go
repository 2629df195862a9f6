package live

import (
	"sync"
	"testing"
	"time"
)

// Readers that lag, leave and join hold up neither those who tell nor each other, and one
// that was told too much is told to fetch everything.
func TestTellingLaggingReaders(t *testing.T) {
	t.Parallel()
	h := newHub()
	lagging := h.join(1)
	done := make(chan struct{})
	go func() {
		defer close(done)
		var all sync.WaitGroup
		for range 8 {
			all.Go(func() {
				for range 2000 {
					h.say("C-1001 1")
				}
			})
			all.Go(func() {
				for range 500 {
					m := h.join(2)
					h.access(0)
					m.take()
					h.leave(m)
				}
			})
			all.Go(func() {
				m := h.join(3)
				for range 500 {
					select {
					case <-m.bell:
						m.take()
					default:
					}
				}
				h.leave(m)
			})
		}
		all.Wait()
	}()
	select {
	case <-done:
	case <-time.After(3 * time.Minute):
		t.Fatal("telling stands still")
	}
	if n := lagging.take(); len(n.words) != 1 || n.words[0] != everything || !n.access || n.told {
		t.Errorf("the one that lagged is told %+v", n)
	}
}
