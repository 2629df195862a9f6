// Package outages answers what is asked of vendors' outages.
package outages

import (
	"context"

	deskoutages "roundhouse.example/internal/desk/outages"
	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/server/web"
)

// Outages are the operations of the subject. Use New.
type Outages struct{ s *web.Server }

// New makes the operations for a server.
func New(s *web.Server) *Outages { return &Outages{s} }

func (h *Outages) desk() *deskoutages.Outages { return h.s.Desk.Outages }

// Out is an outage as the API has it.
func Out(o deskoutages.Outage) apigen.Outage {
	return apigen.Outage{Id: o.ID, Version: o.Version, Vendor: o.VendorKey, VendorName: o.Vendor, Title: o.Title,
		Effect: web.Some(o.Effect), Said: web.Some(o.Said), Page: web.Some(o.Page), Since: o.Since, UpdatedAt: o.UpdatedAt,
		EndedAt: o.EndedAt, NotedBy: o.Person, NotedAt: o.NotedAt, Cases: o.Cases}
}

// ListOutages lists them, ongoing ones first.
func (h *Outages) ListOutages(ctx context.Context,
	r apigen.ListOutagesRequestObject) (apigen.ListOutagesResponseObject, error) {
	list, err := h.desk().List(ctx, web.Actor(ctx), web.Val(r.Params.Vendor), web.Val(r.Params.Current))
	if err != nil {
		return nil, err
	}
	return apigen.ListOutages200JSONResponse{Items: web.Each(list, Out)}, nil
}

// AddOutage notes one.
func (h *Outages) AddOutage(ctx context.Context,
	r apigen.AddOutageRequestObject) (apigen.AddOutageResponseObject, error) {
	b := r.Body
	o, err := h.desk().Add(ctx, web.Actor(ctx), deskoutages.Facts{Vendor: b.Vendor, Title: b.Title,
		Effect: web.Val(b.Effect), Said: web.Val(b.Said), Page: web.Val(b.Page), Since: b.Since, UpdatedAt: b.UpdatedAt,
		EndedAt: b.EndedAt})
	if err != nil {
		return nil, err
	}
	return apigen.AddOutage201JSONResponse(Out(o)), nil
}

// ChangeOutage changes one.
func (h *Outages) ChangeOutage(ctx context.Context,
	r apigen.ChangeOutageRequestObject) (apigen.ChangeOutageResponseObject, error) {
	match, err := web.Matched(r.Params.IfMatch)
	if err != nil {
		return nil, err
	}
	b := r.Body
	o, err := h.desk().Change(ctx, web.Actor(ctx), r.Outage, match, deskoutages.Edit{Title: b.Title, Effect: b.Effect,
		Said: b.Said, Page: b.Page, Since: b.Since, UpdatedAt: b.UpdatedAt, EndedAt: b.EndedAt})
	if err != nil {
		return nil, err
	}
	return apigen.ChangeOutage200JSONResponse(Out(o)), nil
}
