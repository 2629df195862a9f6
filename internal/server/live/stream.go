package live

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"time"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/server/pace"
	"roundhouse.example/internal/server/web"
)

type stream struct {
	ctx    context.Context
	hub    *hub
	person int64
	may    func(context.Context) bool
}

// VisitStreamEventsResponse writes the stream until the reader goes or may no longer
// read, the service stops, or ten minutes have passed.
func (s stream) VisitStreamEventsResponse(w http.ResponseWriter) error {
	box := s.hub.join(s.person)
	defer s.hub.leave(box)
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	w.Header().Set("X-Accel-Buffering", "no")
	w.WriteHeader(http.StatusOK)
	rc := http.NewResponseController(w)
	// What one stream is told must leave in time: a reader that stalls ends by itself.
	say := func(format string, args ...any) error {
		_ = rc.SetWriteDeadline(time.Now().Add(pace.Stall))
		_, err := fmt.Fprintf(w, format, args...)
		return errors.Join(err, rc.Flush())
	}
	if say("retry: 2000\nevent: ready\ndata: {}\n\n") != nil {
		return nil
	}
	heartbeat := time.NewTicker(15 * time.Second)
	defer heartbeat.Stop()
	end := time.After(10 * time.Minute)
	for {
		select {
		case <-s.ctx.Done():
			return nil
		case <-s.hub.closed:
			return nil
		case <-end:
			return nil
		case <-heartbeat.C:
			if !s.may(s.ctx) || say(": still here\n\n") != nil {
				return nil
			}
		case <-box.bell:
			n := box.take()
			if n.access && !s.may(s.ctx) || n.told && say("event: notified\ndata: {}\n\n") != nil {
				return nil
			}
			for _, word := range n.words {
				if say("%s", event(word)) != nil {
					return nil
				}
			}
		}
	}
}

// event is a word as a stream writes it.
func event(word string) string {
	if word == everything {
		return "event: everything\ndata: {}\n\n"
	}
	name, entry, _ := strings.Cut(word, " ")
	return fmt.Sprintf("event: case\ndata: {\"case\":%q,\"entry\":%s}\n\n", name, entry)
}

// StreamEvents tells of changes as they happen.
func (h *Live) StreamEvents(ctx context.Context,
	_ apigen.StreamEventsRequestObject) (apigen.StreamEventsResponseObject, error) {
	if err := web.May(ctx, access.Read); err != nil {
		return nil, err
	}
	again, _ := ctx.Value(web.AgainKey).(func(context.Context) bool)
	return stream{ctx, h.hub, web.Actor(ctx).ID, again}, nil
}
