// Package files answers what is asked about texts and files that are to leave.
package files

import (
	"context"

	"roundhouse.example/internal/core/disclosure"
	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/server/web"
)

// Files are the operations of the subject. Use New.
type Files struct{ s *web.Server }

// New makes the operations for a server.
func New(s *web.Server) *Files { return &Files{s} }

// ScanText looks at a text while somebody writes it.
func (h *Files) ScanText(_ context.Context, r apigen.ScanTextRequestObject) (apigen.ScanTextResponseObject, error) {
	found := h.s.Desk.Leaving.Scan(r.Body.Text)
	return apigen.ScanText200JSONResponse{Masked: found.Masked, Findings: web.Each(found.Findings, finding)}, nil
}

func finding(f disclosure.Finding) apigen.Finding {
	return apigen.Finding{Line: f.Line, Level: apigen.FindingLevel(f.Kind.Level()), Kind: apigen.FindingKind(f.Kind),
		Excerpt: f.Excerpt}
}
