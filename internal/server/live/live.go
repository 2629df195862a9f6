// Package live tells those who watch that something has changed, as it happens.
package live

import (
	"context"

	"roundhouse.example/internal/server/web"
)

// Live are the operations of the subject. Use New.
type Live struct {
	s   *web.Server
	hub *hub
}

// New makes the operations for a server. Run must be called for anybody to be told anything.
func New(s *web.Server) *Live { return &Live{s, newHub()} }

// Run feeds what services tell each other to the streams until ctx ends.
func (h *Live) Run(ctx context.Context) { h.hub.listen(ctx, h.s.Desk.Listen, h.s.Log) }

// Close ends the streams, which would otherwise hold a shutdown up.
func (h *Live) Close() { h.hub.close() }
