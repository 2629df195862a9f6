// Package hours answers what is asked of calendars and of our own policy.
package hours

import (
	"roundhouse.example/internal/desk/whole"
	"roundhouse.example/internal/server/web"
)

// Hours are the operations of the subject. Use New.
type Hours struct{ s *web.Server }

// New makes the operations for a server.
func New(s *web.Server) *Hours { return &Hours{s} }

func (h *Hours) desk() *whole.Desk { return h.s.Desk }
