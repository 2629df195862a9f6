package cases

import (
	"context"

	"roundhouse.example/internal/desk/filing"
	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/server/web"
)

// Whom says which vendors a matter may belong to.
func (h *Cases) Whom(ctx context.Context, r apigen.WhomRequestObject) (apigen.WhomResponseObject, error) {
	list, err := h.desk().Filing.Whom(ctx, web.Actor(ctx), r.Params.Words)
	return apigen.Whom200JSONResponse{Items: web.Each(list, func(c filing.Candidate) apigen.Candidate {
		out := apigen.Candidate{Vendor: c.Vendor.Key, Name: c.Vendor.Name, Why: c.Why}
		if c.First != nil {
			out.First = &apigen.GoFirst{Vendor: c.First.Key, Name: c.First.Name, Direct: c.Direct}
		}
		return out
	})}, err
}

// SetMakerStatus records the status of a case at the maker behind its reseller.
func (h *Cases) SetMakerStatus(ctx context.Context,
	r apigen.SetMakerStatusRequestObject) (apigen.SetMakerStatusResponseObject, error) {
	id, err := h.desk().Pages.Find(ctx, web.Actor(ctx), r.Case)
	if err != nil {
		return nil, err
	}
	at := h.desk().Now()
	if r.Body.At != nil {
		at = *r.Body.At
	}
	if _, err := h.desk().Drafts.SetMakerStatus(ctx, web.Actor(ctx), id, r.Body.Status, at); err != nil {
		return nil, err
	}
	v, err := h.desk().Pages.Case(ctx, web.Actor(ctx), id)
	if err != nil {
		return nil, err
	}
	return apigen.SetMakerStatus200JSONResponse{Body: caseOut(v),
		Headers: apigen.SetMakerStatus200ResponseHeaders{ETag: web.Ptr(etag(v))}}, nil
}
