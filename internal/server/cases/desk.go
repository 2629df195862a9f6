// Package cases answers what is asked of cases: lists, pages, drafts, steps, the record, deadlines.
package cases

import (
	"roundhouse.example/internal/desk/whole"
	"roundhouse.example/internal/server/web"
)

// Cases are the operations of the subject. Use New.
type Cases struct{ s *web.Server }

// New makes the operations for a server.
func New(s *web.Server) *Cases { return &Cases{s} }

func (h *Cases) desk() *whole.Desk { return h.s.Desk }
