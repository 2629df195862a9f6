package server

import (
	"context"
	"fmt"
	"log/slog"
	"net/http"
	"strings"
	"sync"
	"time"

	"github.com/jackc/pgx/v5/pgxpool"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/server/apigen"
)

// hub hands the database's word that a case has changed to every open stream.
// A stream that lags loses words; it is then told to fetch everything again.
type hub struct {
	mu      sync.Mutex
	streams map[chan string]bool
	closed  chan struct{}
	once    sync.Once
}

func newHub() *hub { return &hub{streams: map[chan string]bool{}, closed: make(chan struct{})} }

func (h *hub) close() { h.once.Do(func() { close(h.closed) }) }

func (h *hub) join() chan string {
	ch := make(chan string, 64)
	h.mu.Lock()
	h.streams[ch] = true
	h.mu.Unlock()
	return ch
}

func (h *hub) leave(ch chan string) {
	h.mu.Lock()
	delete(h.streams, ch)
	h.mu.Unlock()
}

const everything = "*"

func (h *hub) say(word string) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for ch := range h.streams {
		select {
		case ch <- word:
		default:
			for len(ch) > 0 { // it lags: one word that stands for all
				<-ch
			}
			ch <- everything
		}
	}
}

// listen keeps one connection that waits for words, and comes back after every loss.
func (h *hub) listen(ctx context.Context, pool *pgxpool.Pool, log *slog.Logger) {
	for ctx.Err() == nil {
		err := h.listenOnce(ctx, pool)
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

func (h *hub) listenOnce(ctx context.Context, pool *pgxpool.Pool) error {
	pooled, err := pool.Acquire(ctx)
	if err != nil {
		return err
	}
	conn := pooled.Hijack() // a listening connection does not go back to the pool
	defer conn.Close(context.WithoutCancel(ctx))
	if _, err := conn.Exec(ctx, "listen "+desk.Told); err != nil {
		return err
	}
	h.say(everything) // what was said while nobody listened is lost
	for {
		n, err := conn.WaitForNotification(ctx)
		if err != nil {
			return err
		}
		h.say(n.Payload)
	}
}

type stream struct {
	ctx context.Context
	hub *hub
}

// VisitStreamEventsResponse writes the stream until the reader goes, the service
// stops, or ten minutes have passed, so that rights are looked at again.
func (s stream) VisitStreamEventsResponse(w http.ResponseWriter) error {
	ch := s.hub.join()
	defer s.hub.leave(ch)
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	w.Header().Set("X-Accel-Buffering", "no")
	w.WriteHeader(http.StatusOK)
	rc := http.NewResponseController(w)
	_ = rc.SetWriteDeadline(time.Time{})
	if _, err := fmt.Fprint(w, "retry: 2000\nevent: ready\ndata: {}\n\n"); err != nil {
		return nil
	}
	heartbeat := time.NewTicker(15 * time.Second)
	defer heartbeat.Stop()
	end := time.After(10 * time.Minute)
	for {
		if err := rc.Flush(); err != nil {
			return nil
		}
		var err error
		select {
		case <-s.ctx.Done():
			return nil
		case <-s.hub.closed:
			return nil
		case <-end:
			return nil
		case <-heartbeat.C:
			_, err = fmt.Fprint(w, ": still here\n\n")
		case word := <-ch:
			name, entry, _ := strings.Cut(word, " ")
			if word == everything {
				_, err = fmt.Fprint(w, "event: everything\ndata: {}\n\n")
			} else {
				_, err = fmt.Fprintf(w, "event: case\ndata: {\"case\":%q,\"entry\":%s}\n\n", name, entry)
			}
		}
		if err != nil {
			return nil
		}
	}
}

func (h *handlers) StreamEvents(ctx context.Context, _ apigen.StreamEventsRequestObject) (apigen.StreamEventsResponseObject, error) {
	if err := may(ctx, access.Read); err != nil {
		return nil, err
	}
	return stream{ctx, h.s.hub}, nil
}
