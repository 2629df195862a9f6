package server

import (
	"sync"
	"time"

	"golang.org/x/time/rate"
)

// throttle slows sign-ins down, by person and by address. It forgets whoever
// has been quiet for an hour.
type throttle struct {
	mu    sync.Mutex
	seen  map[string]*tries
	every rate.Limit
	burst int
	swept time.Time
}

type tries struct {
	limit *rate.Limiter
	last  time.Time
}

func newThrottle(every time.Duration, burst int) *throttle {
	return &throttle{seen: map[string]*tries{}, every: rate.Every(every), burst: burst}
}

// take says whether who may try now.
func (t *throttle) take(who string, now time.Time) bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	if now.Sub(t.swept) > time.Minute {
		for k, v := range t.seen {
			if now.Sub(v.last) > time.Hour {
				delete(t.seen, k)
			}
		}
		t.swept = now
	}
	x := t.seen[who]
	if x == nil {
		x = &tries{limit: rate.NewLimiter(t.every, t.burst)}
		t.seen[who] = x
	}
	x.last = now
	return x.limit.AllowN(now, 1)
}

// forgive forgets who has shown to be the one they say.
func (t *throttle) forgive(who string) {
	t.mu.Lock()
	defer t.mu.Unlock()
	delete(t.seen, who)
}
