package cases

import (
	"context"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/desk/drafts"
	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/server/web"
)

// TakeOverCase adds a case that the vendor has already.
func (h *Cases) TakeOverCase(ctx context.Context,
	r apigen.TakeOverCaseRequestObject) (apigen.TakeOverCaseResponseObject, error) {
	b := r.Body
	ref, err := h.desk().Drafts.TakeOver(ctx, web.Actor(ctx), drafts.Existing{Vendor: b.Vendor, Title: b.Title,
		Kind: string(web.Val(b.Kind)), Reference: web.Val(b.Reference), Ticket: web.Val(b.Ticket), FiledAt: b.FiledAt,
		LastReply: b.LastReply, Level: web.Val(b.Level), Severity: web.Val(b.Severity), Owner: web.Val(b.Owner),
		Origin: casework.Origin(web.Val(b.Origin)), By: web.Val(b.OpenedBy), Asset: web.Val(b.Asset),
		Maker:   web.Val(b.Maker),
		Account: web.Val(b.Account), Contract: web.Val(b.Contract), VendorStatus: web.Val(b.VendorStatus),
		Move: web.Val(b.Move), Story: web.Val(b.Story)})
	if err != nil {
		return nil, err
	}
	v, err := h.desk().Pages.Case(ctx, web.Actor(ctx), ref.ID)
	if err != nil {
		return nil, err
	}
	return apigen.TakeOverCase201JSONResponse{Body: caseOut(v),
		Headers: apigen.TakeOverCase201ResponseHeaders{ETag: web.Ptr(etag(v))}}, nil
}
