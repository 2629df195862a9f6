package live

import (
	"context"
	"log/slog"
	"strconv"
	"sync"
	"time"

	"roundhouse.example/internal/desk"
)

// hub hands the database's word that a case has changed to every open stream, and that a
// person's access may have ended to that person's. It never waits for a stream.
type hub struct {
	mu      sync.Mutex
	streams map[*mailbox]bool
	closed  chan struct{}
	once    sync.Once
}

func newHub() *hub { return &hub{streams: map[*mailbox]bool{}, closed: make(chan struct{})} }

func (h *hub) close() { h.once.Do(func() { close(h.closed) }) }

// mailbox is what waits for one stream. One that lags loses words; it then says that
// everything is to be fetched again.
type mailbox struct {
	person int64
	bell   chan struct{} // holds one when there is something

	mu     sync.Mutex
	words  []string
	all    bool
	access bool
	told   bool
}

// mostWords is how many words wait for a stream.
const mostWords = 64

// put never blocks.
func (m *mailbox) put(word string) {
	m.mu.Lock()
	switch {
	case m.all:
	case word == everything || len(m.words) == mostWords:
		m.all, m.words = true, nil
	default:
		m.words = append(m.words, word)
	}
	m.mu.Unlock()
	m.wake()
}

func (m *mailbox) putAccess() {
	m.mu.Lock()
	m.access = true
	m.mu.Unlock()
	m.wake()
}

func (m *mailbox) wake() {
	select {
	case m.bell <- struct{}{}:
	default:
	}
}

func (m *mailbox) putTold() {
	m.mu.Lock()
	m.told = true
	m.mu.Unlock()
	m.wake()
}

// news is what waits for a reader.
type news struct {
	words  []string
	access bool // the reader's access is to be looked at again
	told   bool // the reader has other notifications than before
}

// take gives what waits.
func (m *mailbox) take() news {
	m.mu.Lock()
	defer m.mu.Unlock()
	out := news{m.words, m.access, m.told}
	if m.all {
		out.words = []string{everything}
	}
	m.words, m.all, m.access, m.told = nil, false, false, false
	return out
}

func (h *hub) join(person int64) *mailbox {
	m := &mailbox{person: person, bell: make(chan struct{}, 1)}
	h.mu.Lock()
	h.streams[m] = true
	h.mu.Unlock()
	return m
}

func (h *hub) leave(m *mailbox) {
	h.mu.Lock()
	delete(h.streams, m)
	h.mu.Unlock()
}

const everything = "*"

func (h *hub) say(word string) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for m := range h.streams {
		m.put(word)
	}
}

// access tells the streams of one person, or of all (0), to look again at who reads them.
func (h *hub) access(person int64) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for m := range h.streams {
		if person == 0 || m.person == person {
			m.putAccess()
		}
	}
}

// told tells the streams of one person that there are notifications.
func (h *hub) told(person int64) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for m := range h.streams {
		if m.person == person {
			m.putTold()
		}
	}
}

// listen hears what services tell each other, and comes back after every loss.
func (h *hub) listen(ctx context.Context, hear func(context.Context, func(), func(channel, word string)) error,
	log *slog.Logger) {
	for ctx.Err() == nil {
		err := hear(ctx, func() {
			h.say(everything) // what was said while nobody listened is lost
			h.access(0)
		}, func(channel, word string) {
			person, _ := strconv.ParseInt(word, 10, 64)
			switch channel {
			case desk.AccessTold:
				h.access(person)
			case desk.PersonTold:
				h.told(person)
			default:
				h.say(word)
			}
		})
		if ctx.Err() != nil {
			return
		}
		log.Warn("live events are down", "error", err)
		select {
		case <-ctx.Done():
		case <-time.After(time.Second):
		}
	}
}
