package cases

import (
	"context"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/desk/drafts"
	"roundhouse.example/internal/desk/filing"
	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/server/web"
)

// Refile withdraws a case and files it again under what it belongs to.
func (h *Cases) Refile(ctx context.Context, r apigen.RefileRequestObject) (apigen.RefileResponseObject, error) {
	id, match, err := h.meant(ctx, r.Case, r.Params.IfMatch)
	if err != nil {
		return nil, err
	}
	b := r.Body
	ref, err := h.desk().Drafts.Refile(ctx, web.Actor(ctx), id, match, drafts.Refiling{Vendor: web.Val(b.Vendor),
		Maker: web.Val(b.Maker), Asset: b.Asset, Account: b.Account, Contract: b.Contract, Reason: b.Reason,
		By: filing.Wanted{Channel: web.Val(b.Channel), Link: web.Val(b.Link)}, Disclose: web.Val(b.DiscloseReason)})
	if err != nil {
		return nil, err
	}
	v, err := h.desk().Pages.Case(ctx, web.Actor(ctx), ref.ID)
	if err != nil {
		return nil, err
	}
	return apigen.Refile201JSONResponse{Body: caseOut(v), Headers: apigen.Refile201ResponseHeaders{
		ETag: web.Ptr(etag(v)), Location: web.Ptr("/api/v1/cases/" + casework.Name(ref.Number))}}, nil
}
