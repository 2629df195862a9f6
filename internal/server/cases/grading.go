package cases

import (
	"context"

	"roundhouse.example/internal/desk/filing"
	"roundhouse.example/internal/server/apigen"
	webregister "roundhouse.example/internal/server/register"
	"roundhouse.example/internal/server/web"
)

// Grade computes a severity without a case.
func (h *Cases) Grade(ctx context.Context, r apigen.GradeRequestObject) (apigen.GradeResponseObject, error) {
	g, err := h.desk().Filing.Grade(ctx, web.Actor(ctx), web.Val(r.Body.Vendor), string(web.Val(r.Body.Kind)),
		factsIn(&r.Body.Facts), r.Body.Severity)
	if err != nil {
		return nil, err
	}
	return apigen.Grade200JSONResponse(grading(g)), nil
}

func grading(g filing.Grading) apigen.Grade {
	out := apigen.Grade{Severity: int(g.Severity), Word: g.Severity.String(), Supported: int(g.Supported.Level),
		Reasons: g.Supported.Reasons, Warning: web.Some(g.Warning)}
	if g.Level != nil {
		out.Level = web.Ptr(webregister.Level(*g.Level))
	}
	if g.Targets != nil {
		out.Targets = web.Ptr(web.Each(g.Targets, targetNow))
	}
	return out
}

func targetNow(p filing.TargetNow) apigen.TargetNow {
	return apigen.TargetNow{Deadline: apigen.DeadlineKind(p.Deadline), Target: p.Target, Calendar: web.Some(p.Calendar),
		Due: p.Due, Contract: web.Some(p.Contract), Channel: web.Some(p.Channel),
		TookCases: web.Some(p.Took.Cases), TookHalfSeconds: web.Some(p.Took.Half),
		TookLongestSeconds: web.Some(p.Took.Longest)}
}
