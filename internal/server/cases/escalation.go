package cases

import (
	"context"

	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/briefings"
	"roundhouse.example/internal/desk/escalations"
	"roundhouse.example/internal/desk/filing"
	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/server/web"
)

// ReadLadder is the ladder of a case's vendor, with what was raised of it.
func (h *Cases) ReadLadder(ctx context.Context,
	r apigen.ReadLadderRequestObject) (apigen.ReadLadderResponseObject, error) {
	id, err := h.desk().Pages.Find(ctx, web.Actor(ctx), r.Case)
	if err != nil {
		return nil, err
	}
	l, err := h.desk().Escalations.Ladder(ctx, web.Actor(ctx), id, web.Val(r.Params.Rung))
	if err != nil {
		return nil, err
	}
	out := apigen.Ladder{Rungs: web.Each(l.Rungs, rungOut), Advice: AdviceOut(l.Advice), MayNot: web.Some(l.MayNot),
		Open: l.Open, Until: l.Until, Zone: l.Zone}
	if x := l.Draft; x != nil {
		out.Draft = &apigen.EscalationDraft{Rung: x.Rung, Text: x.Text, By: x.By, Because: web.Some(x.Because)}
	}
	return apigen.ReadLadder200JSONResponse(out), nil
}

func rungOut(r escalations.Rung) apigen.LadderRung {
	return apigen.LadderRung{Rung: r.Number, Role: r.Role, Name: web.Some(r.Name), How: r.How, Told: web.Some(r.Told),
		Reply: web.Some(r.Reply), When: append([]string{}, r.When...), Raised: web.Each(r.Raised, raisedOut)}
}

func raisedOut(x escalations.Raised) apigen.RaisedRung {
	out := apigen.RaisedRung{Entry: x.Entry, Said: x.Said, At: x.HappenedAt, By: web.Some(x.By), Who: x.As.V.Called(),
		Text: x.Text, BeforeReopening: web.Some(x.Earlier)}
	if i := x.Answer; i != nil {
		out.Item, out.Due, out.EndedAt = web.Ptr(i.Name), web.Ptr(i.DueAt), i.EndedAt
		out.Standing = web.Ptr(apigen.Standing(i.Standing))
	}
	return out
}

// RaiseRung escalates a case.
func (h *Cases) RaiseRung(ctx context.Context,
	r apigen.RaiseRungRequestObject) (apigen.RaiseRungResponseObject, error) {
	b := r.Body
	raising := escalations.Raising{Rung: b.Rung, Why: web.Val(b.Reason), Text: b.Text,
		By: filing.Wanted{Channel: web.Val(b.Channel), Link: web.Val(b.Link)}, Move: web.Val(b.Move), Seen: b.Seen,
		Disclose: web.Val(b.DiscloseReason)}
	if t := b.Told; t != nil {
		raising.Told = &escalations.Told{Who: web.Val(t.Who), At: h.desk().Now(), By: route.Kind(web.Val(t.By)),
			Answer: web.Val(t.Answer), Dates: web.Each(web.Val(t.Dates), setting)}
		if t.At != nil {
			raising.Told.At = *t.At
		}
	}
	e, err := h.Written(ctx, r.Case, func(id int64) (desk.Ref, error) {
		return h.desk().Escalations.Raise(ctx, web.Actor(ctx), id, raising)
	})
	return apigen.RaiseRung201JSONResponse(e), err
}

// DraftChase drafts a message that asks the vendor for what it owes.
func (h *Cases) DraftChase(ctx context.Context,
	r apigen.DraftChaseRequestObject) (apigen.DraftChaseResponseObject, error) {
	id, err := h.desk().Pages.Find(ctx, web.Actor(ctx), r.Case)
	if err != nil {
		return nil, err
	}
	c, err := h.desk().Escalations.Chase(ctx, web.Actor(ctx), id)
	return apigen.DraftChase200JSONResponse{Text: c.Text, Ask: c.Ask, By: c.By, Chases: c.Chases, Last: c.Last}, err
}

// DraftBriefing drafts a short status of a case.
func (h *Cases) DraftBriefing(ctx context.Context,
	r apigen.DraftBriefingRequestObject) (apigen.DraftBriefingResponseObject, error) {
	id, err := h.desk().Pages.Find(ctx, web.Actor(ctx), r.Case)
	if err != nil {
		return nil, err
	}
	text, err := h.desk().Briefings.Draft(ctx, web.Actor(ctx), id)
	return apigen.DraftBriefing200JSONResponse{Text: text}, err
}

// TellBriefing tells management and users where a case stands.
func (h *Cases) TellBriefing(ctx context.Context,
	r apigen.TellBriefingRequestObject) (apigen.TellBriefingResponseObject, error) {
	b := r.Body
	e, err := h.Written(ctx, r.Case, func(id int64) (desk.Ref, error) {
		return h.desk().Briefings.Tell(ctx, web.Actor(ctx), id, briefings.Briefing{Text: b.Text, To: b.To,
			Copied: web.Val(b.Copied), Disclose: web.Val(b.DiscloseReason)})
	})
	return apigen.TellBriefing201JSONResponse(e), err
}
