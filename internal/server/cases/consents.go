package cases

import (
	"context"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/consents"
	"roundhouse.example/internal/desk/pages"
	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/server/web"
)

// GiveConsent records a consent that somebody gave.
func (h *Cases) GiveConsent(ctx context.Context,
	r apigen.GiveConsentRequestObject) (apigen.GiveConsentResponseObject, error) {
	b := r.Body
	e, err := h.Written(ctx, r.Case, func(id int64) (desk.Ref, error) {
		return h.desk().Consents.Give(ctx, web.Actor(ctx), id, consents.Consenting{Kind: casework.ConsentKind(b.Kind),
			For: web.Val(b.For), By: web.Val(b.By), Until: b.Until})
	})
	return apigen.GiveConsent201JSONResponse(e), err
}

// WithdrawConsent records that a consent holds no more.
func (h *Cases) WithdrawConsent(ctx context.Context,
	r apigen.WithdrawConsentRequestObject) (apigen.WithdrawConsentResponseObject, error) {
	e, err := h.Written(ctx, r.Case, func(id int64) (desk.Ref, error) {
		return h.desk().Consents.Withdraw(ctx, web.Actor(ctx), id, r.Consent, web.Val(r.Body.Reason))
	})
	return apigen.WithdrawConsent201JSONResponse(e), err
}

// ListConsents are the consents of all cases.
func (h *Cases) ListConsents(ctx context.Context,
	r apigen.ListConsentsRequestObject) (apigen.ListConsentsResponseObject, error) {
	limit := 200
	if r.Params.Limit != nil {
		limit = *r.Params.Limit
	}
	list, err := h.desk().Consents.List(ctx, web.Actor(ctx), web.Val(r.Params.Holds), limit)
	return apigen.ListConsents200JSONResponse{Items: web.Each(list, func(x consents.CaseConsent) apigen.CaseConsent {
		return apigen.CaseConsent{Case: x.Case, Title: x.Title, Vendor: x.Vendor, Consent: consentOut(x.Consent, x.Holds)}
	})}, err
}

func consentOut(c casework.Consent, holds bool) apigen.Consent {
	return apigen.Consent{Number: c.Number, Kind: apigen.ConsentKind(c.Kind), For: web.Some(c.For), By: c.By,
		Given: c.Given,
		Until: c.Until, Withdrawn: c.Withdrawn, WithdrawnBy: web.Some(c.WithdrawnBy), Reason: web.Some(c.Why),
		Holds: holds}
}

// toldOut is what was consented to, and what the vendor has not been told.
func toldOut(v pages.View, out *apigen.Case) {
	if list := v.Line.Consents.V; len(list) > 0 {
		out.Consents = web.Ptr(web.Each(list, func(c casework.Consent) apigen.Consent {
			return consentOut(c, !c.Ended(v.Now))
		}))
	}
	if len(v.Untold) > 0 {
		out.Untold = web.Ptr(web.Each(v.Untold, func(u pages.Untold) apigen.Untold {
			return apigen.Untold{Field: u.Field, Label: u.Label, Entry: u.Entry}
		}))
	}
}
