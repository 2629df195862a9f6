// Package links answers what is asked of the ways to vendors that work by themselves.
package links

import (
	"context"
	"encoding/json"

	"roundhouse.example/internal/desk"
	desklinks "roundhouse.example/internal/desk/links"
	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/server/web"
)

// Links are the operations of the subject. Use New.
type Links struct{ s *web.Server }

// New makes the operations for a server.
func New(s *web.Server) *Links { return &Links{s} }

func (h *Links) desk() *desklinks.Links { return h.s.Desk.Links }

func link(v desklinks.View) (apigen.DeskLink, error) {
	out := apigen.DeskLink{Id: v.ID, Version: v.Version, Name: v.Name, Kind: v.Kind, Address: v.Address,
		Vendors: v.Vendors, FailingSince: v.FailingSince, Problem: web.Some(v.Problem)}
	if out.Vendors == nil {
		out.Vendors = []string{}
	}
	return out, json.Unmarshal(v.Description.V, &out.Settings)
}

// ListLinks lists them by name.
func (h *Links) ListLinks(ctx context.Context,
	_ apigen.ListLinksRequestObject) (apigen.ListLinksResponseObject, error) {
	rows, err := h.desk().List(ctx, web.Actor(ctx))
	if err != nil {
		return nil, err
	}
	out := apigen.ListLinks200JSONResponse{Items: []apigen.DeskLink{}}
	for _, r := range rows {
		l, err := link(r)
		if err != nil {
			return nil, err
		}
		out.Items = append(out.Items, l)
	}
	return out, nil
}

// AddLink adds one.
func (h *Links) AddLink(ctx context.Context, r apigen.AddLinkRequestObject) (apigen.AddLinkResponseObject, error) {
	settings, err := json.Marshal(r.Body.Settings)
	if err != nil {
		return nil, desk.Fault("settings", "%s", err)
	}
	v, err := h.desk().Add(ctx, web.Actor(ctx), desklinks.Facts{Name: r.Body.Name, Kind: r.Body.Kind,
		Address: r.Body.Address, Settings: settings, Vendors: web.Val(r.Body.Vendors)})
	if err != nil {
		return nil, err
	}
	out, err := link(v)
	return apigen.AddLink201JSONResponse(out), err
}

// ChangeLink changes one.
func (h *Links) ChangeLink(ctx context.Context,
	r apigen.ChangeLinkRequestObject) (apigen.ChangeLinkResponseObject, error) {
	match, err := web.Matched(r.Params.IfMatch)
	if err != nil {
		return nil, err
	}
	ch := desklinks.Edit{Name: r.Body.Name, Address: r.Body.Address, Vendors: r.Body.Vendors}
	if r.Body.Settings != nil {
		if ch.Settings, err = json.Marshal(r.Body.Settings); err != nil {
			return nil, desk.Fault("settings", "%s", err)
		}
	}
	v, err := h.desk().Change(ctx, web.Actor(ctx), r.Link, match, ch)
	if err != nil {
		return nil, err
	}
	out, err := link(v)
	return apigen.ChangeLink200JSONResponse(out), err
}

// RemoveLink removes one.
func (h *Links) RemoveLink(ctx context.Context,
	r apigen.RemoveLinkRequestObject) (apigen.RemoveLinkResponseObject, error) {
	match, err := web.Matched(r.Params.IfMatch)
	if err != nil {
		return nil, err
	}
	if err := h.desk().Remove(ctx, web.Actor(ctx), r.Link, match); err != nil {
		return nil, err
	}
	return apigen.RemoveLink204Response{}, nil
}

// TryLink signs in at one's server.
func (h *Links) TryLink(ctx context.Context, r apigen.TryLinkRequestObject) (apigen.TryLinkResponseObject, error) {
	problem, err := h.desk().Try(ctx, web.Actor(ctx), r.Link)
	if err != nil {
		return nil, err
	}
	return apigen.TryLink200JSONResponse{Works: problem == "", Problem: web.Some(problem)}, nil
}
