// Package ready answers what is not ready.
package ready

import (
	"context"

	"roundhouse.example/internal/desk/ready"
	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/server/web"
)

// Ready are the operations of the subject. Use New.
type Ready struct{ s *web.Server }

// New makes the operations for a server.
func New(s *web.Server) *Ready { return &Ready{s} }

// ListGaps is what is missing.
func (h *Ready) ListGaps(ctx context.Context, _ apigen.ListGapsRequestObject) (apigen.ListGapsResponseObject, error) {
	list, err := h.s.Desk.Readiness.List(ctx, web.Actor(ctx))
	return apigen.ListGaps200JSONResponse{Gaps: web.Each(list, func(g ready.Gap) apigen.ReadinessGap {
		return apigen.ReadinessGap{Kind: apigen.ReadinessGapKind(g.Kind), Text: g.Text, Remedy: g.Remedy, Command: g.Command,
			Vendor: web.Some(g.Vendor), Contract: web.Some(g.Contract)}
	})}, err
}
