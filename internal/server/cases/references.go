package cases

import (
	"context"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/desk/references"
	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/server/web"
)

// SetReference adds, corrects or removes a number that somebody gave a case.
func (h *Cases) SetReference(ctx context.Context,
	r apigen.SetReferenceRequestObject) (apigen.SetReferenceResponseObject, error) {
	id, err := h.desk().Pages.Find(ctx, web.Actor(ctx), r.Case)
	if err != nil {
		return nil, err
	}
	b := r.Body
	n := references.Numbering{Keep: web.Val(b.Keep), Remove: web.Val(b.Remove), Reference: casework.Reference{
		Owner: casework.Owner(web.Val(b.Whose)), Role: casework.RefRole(web.Val(b.Role)), Of: web.Val(b.Of), Value: b.Value}}
	if _, err := h.desk().References.SetNumber(ctx, web.Actor(ctx), id, n); err != nil {
		return nil, err
	}
	v, err := h.desk().Pages.Case(ctx, web.Actor(ctx), id)
	if err != nil {
		return nil, err
	}
	return apigen.SetReference200JSONResponse{Body: caseOut(v),
		Headers: apigen.SetReference200ResponseHeaders{ETag: web.Ptr(etag(v))}}, nil
}

// TieOutage says which outage of the vendor a case comes from.
func (h *Cases) TieOutage(ctx context.Context,
	r apigen.TieOutageRequestObject) (apigen.TieOutageResponseObject, error) {
	id, err := h.desk().Pages.Find(ctx, web.Actor(ctx), r.Case)
	if err != nil {
		return nil, err
	}
	if _, err := h.desk().Outages.Tie(ctx, web.Actor(ctx), id, r.Body.Outage); err != nil {
		return nil, err
	}
	v, err := h.desk().Pages.Case(ctx, web.Actor(ctx), id)
	if err != nil {
		return nil, err
	}
	return apigen.TieOutage200JSONResponse{Body: caseOut(v),
		Headers: apigen.TieOutage200ResponseHeaders{ETag: web.Ptr(etag(v))}}, nil
}
