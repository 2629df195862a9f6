// Package rota answers what is asked of the rota.
package rota

import (
	"context"
	"fmt"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/rota"
	deskrota "roundhouse.example/internal/desk/rota"
	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/server/web"
)

// Rota are the operations of the subject. Use New.
type Rota struct{ s *web.Server }

// New makes the operations for a server.
func New(s *web.Server) *Rota { return &Rota{s} }

func (h *Rota) desk() *deskrota.Rota { return h.s.Desk.Rota }

func shift(p deskrota.Period) apigen.Shift {
	return apigen.Shift{Id: p.ID, Version: p.Version, From: p.StartsAt, Until: p.EndsAt, Person: p.Name, Email: p.Email,
		Phone: p.Phone, Note: web.Some(p.Note), Left: web.Some(!p.Active)}
}

func gap(g rota.Gap) apigen.Gap { return apigen.Gap{From: g.From, Until: web.Some(g.Until)} }

func (h *Rota) whole(ctx context.Context, days int) (apigen.Rota, error) {
	v, err := h.desk().Show(ctx, web.Actor(ctx), days)
	if err != nil {
		return apigen.Rota{}, err
	}
	return apigen.Rota{AsOf: v.From, Until: v.Until, Zone: v.Zone, Now: web.Some(v.Now),
		Shifts: web.Each(v.Periods, shift), Cases: web.Each(v.Cases, casework.Name), Needing: v.Needing,
		Gaps: web.Each(v.Gaps, gap)}, nil
}

// ShowRota is who can be reached, and when nobody can.
func (h *Rota) ShowRota(ctx context.Context, r apigen.ShowRotaRequestObject) (apigen.ShowRotaResponseObject, error) {
	days := 28
	if r.Params.Days != nil {
		days = *r.Params.Days
	}
	v, err := h.whole(ctx, days)
	if err != nil {
		return nil, err
	}
	return apigen.ShowRota200JSONResponse(v), nil
}

// AddShift adds one.
func (h *Rota) AddShift(ctx context.Context, r apigen.AddShiftRequestObject) (apigen.AddShiftResponseObject, error) {
	b := r.Body
	p, err := h.desk().Add(ctx, web.Actor(ctx), deskrota.Shift{From: b.From, Until: b.Until, Person: b.Person,
		Phone: web.Val(b.Phone), Note: web.Val(b.Note)})
	if err != nil {
		return nil, err
	}
	return apigen.AddShift201JSONResponse(shift(p)), nil
}

// PlanRota adds several, one after the other.
func (h *Rota) PlanRota(ctx context.Context, r apigen.PlanRotaRequestObject) (apigen.PlanRotaResponseObject, error) {
	b := r.Body
	if _, err := h.desk().Share(ctx, web.Actor(ctx), deskrota.Plan{From: b.From, Days: b.Days, Shifts: b.Shifts,
		People: b.People}); err != nil {
		return nil, err
	}
	v, err := h.whole(ctx, 366)
	if err != nil {
		return nil, fmt.Errorf("the shifts were added, but the rota could not be read: %w", err)
	}
	return apigen.PlanRota201JSONResponse(v), nil
}

// ChangeShift changes one.
func (h *Rota) ChangeShift(ctx context.Context,
	r apigen.ChangeShiftRequestObject) (apigen.ChangeShiftResponseObject, error) {
	match, err := web.Matched(r.Params.IfMatch)
	if err != nil {
		return nil, err
	}
	b := r.Body
	p, err := h.desk().Change(ctx, web.Actor(ctx), r.Shift, match, deskrota.Edit{From: b.From, Until: b.Until,
		Person: b.Person, Phone: b.Phone, Note: b.Note})
	if err != nil {
		return nil, err
	}
	return apigen.ChangeShift200JSONResponse(shift(p)), nil
}

// RemoveShift takes one out.
func (h *Rota) RemoveShift(ctx context.Context,
	r apigen.RemoveShiftRequestObject) (apigen.RemoveShiftResponseObject, error) {
	match, err := web.Matched(r.Params.IfMatch)
	if err != nil {
		return nil, err
	}
	if err := h.desk().Remove(ctx, web.Actor(ctx), r.Shift, match); err != nil {
		return nil, err
	}
	return apigen.RemoveShift204Response{}, nil
}
