// Package exchange imports and exports packs and tables over HTTP.
package exchange

import (
	"roundhouse.example/internal/desk/whole"
	"roundhouse.example/internal/server/web"
)

// Exchange are the operations of the subject. Use New.
type Exchange struct {
	s      *web.Server
	tables chan struct{} // places for tables on their way in
}

// New makes the operations for a server.
func New(s *web.Server) *Exchange { return &Exchange{s, make(chan struct{}, 3)} }

func (h *Exchange) desk() *whole.Desk { return h.s.Desk }
