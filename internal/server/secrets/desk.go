// Package secrets answers what is asked of secrets and their keys.
package secrets

import (
	"roundhouse.example/internal/desk/whole"
	"roundhouse.example/internal/server/web"
)

// Secrets are the operations of the subject. Use New.
type Secrets struct{ s *web.Server }

// New makes the operations for a server.
func New(s *web.Server) *Secrets { return &Secrets{s} }

func (h *Secrets) desk() *whole.Desk { return h.s.Desk }
