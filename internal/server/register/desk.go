// Package register answers what is asked of vendors, assets, contracts, accounts and products.
package register

import (
	"roundhouse.example/internal/desk/whole"
	"roundhouse.example/internal/server/web"
)

// Register are the operations of the subject. Use New.
type Register struct{ s *web.Server }

// New makes the operations for a server.
func New(s *web.Server) *Register { return &Register{s} }

func (h *Register) desk() *whole.Desk { return h.s.Desk }
