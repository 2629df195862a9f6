package cases

import (
	"context"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/enclosing"
	"roundhouse.example/internal/desk/filing"
	"roundhouse.example/internal/desk/outbox"
	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/server/web"
)

// TakeStep does one step.
func (h *Cases) TakeStep(ctx context.Context, r apigen.TakeStepRequestObject) (apigen.TakeStepResponseObject, error) {
	id, match, err := h.meant(ctx, r.Case, r.Params.IfMatch)
	if err != nil {
		return nil, err
	}
	b := r.Body
	_, err = h.desk().Cases.Step(ctx, web.Actor(ctx), id, match, cases.StepRequest{
		Step: casework.Step(b.Step), Reason: web.Val(b.Reason), To: web.Val(b.To), Until: b.Until, Agreed: web.Val(b.Agreed),
		Dates:   h.along(b.Dates, nil),
		Offers:  deadline.Offer(web.Val(b.Offers)),
		On:      casework.On{Whom: casework.Whom(web.Val(b.WaitsOn)), Name: web.Val(b.WaitsOnName)},
		Summary: web.Val(b.Summary),
		Entry:   web.Val(b.Entry), Move: web.Val(b.Move), Person: web.Val(b.Person), Criterion: web.Val(b.Criterion),
		Cause: web.Val(b.Cause), Anyway: web.Val(b.Anyway),
		Route:     filing.Wanted{Channel: web.Val(b.Channel), Link: web.Val(b.Link)},
		Confirmed: web.Val(b.Confirmed), Contact: web.Val(b.Contact), Disclose: web.Val(b.DiscloseReason),
		With: enclosing.Wanted{Files: web.Val(b.Files), Intended: web.Val(b.ConfirmFiles)},
	})
	if err != nil {
		return nil, err
	}
	v, err := h.desk().Pages.Case(ctx, web.Actor(ctx), id)
	if err != nil {
		return nil, err
	}
	return apigen.TakeStep200JSONResponse{Body: caseOut(v),
		Headers: apigen.TakeStep200ResponseHeaders{ETag: web.Ptr(etag(v))}}, nil
}

// DecideDelivery carries out a person's word on a sending.
func (h *Cases) DecideDelivery(ctx context.Context,
	r apigen.DecideDeliveryRequestObject) (apigen.DecideDeliveryResponseObject, error) {
	id, err := h.desk().Pages.Find(ctx, web.Actor(ctx), r.Case)
	if err != nil {
		return nil, err
	}
	if _, err := h.desk().Outbox.Decide(ctx, web.Actor(ctx), id, r.Delivery,
		outbox.Decision{What: outbox.What(r.Body.Decision), Reference: web.Val(r.Body.Reference), At: r.Body.At,
			Channel: route.Kind(web.Val(r.Body.Channel)), Reason: web.Val(r.Body.Reason)}); err != nil {
		return nil, err
	}
	v, err := h.desk().Pages.Case(ctx, web.Actor(ctx), id)
	if err != nil {
		return nil, err
	}
	return apigen.DecideDelivery200JSONResponse{Body: caseOut(v),
		Headers: apigen.DecideDelivery200ResponseHeaders{ETag: web.Ptr(etag(v))}}, nil
}
