// Package today answers what needs doing next.
package today

import (
	"roundhouse.example/internal/desk/whole"
	"roundhouse.example/internal/server/web"
)

// Today are the operations of the subject. Use New.
type Today struct{ s *web.Server }

// New makes the operations for a server.
func New(s *web.Server) *Today { return &Today{s} }

func (h *Today) desk() *whole.Desk { return h.s.Desk }
