// Package people answers what is asked of our people, their sign-in and their tokens.
package people

import (
	"roundhouse.example/internal/desk/whole"
	"roundhouse.example/internal/server/web"
)

// People are the operations of the subject. Use New.
type People struct{ s *web.Server }

// New makes the operations for a server.
func New(s *web.Server) *People { return &People{s} }

func (h *People) desk() *whole.Desk { return h.s.Desk }
