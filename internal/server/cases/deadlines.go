package cases

import (
	"context"

	"roundhouse.example/internal/desk/record"

	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/server/web"
)

// ListDeadlines explains every deadline at an instant.
func (h *Cases) ListDeadlines(ctx context.Context,
	r apigen.ListDeadlinesRequestObject) (apigen.ListDeadlinesResponseObject, error) {
	id, err := h.desk().Pages.Find(ctx, web.Actor(ctx), r.Case)
	if err != nil {
		return nil, err
	}
	asOf := h.desk().Now()
	if r.Params.AsOf != nil {
		asOf = r.Params.AsOf.UTC()
	}
	m := record.Moment{At: asOf, Known: web.Val(r.Params.Known)}
	list, err := h.desk().Record.Deadlines(ctx, web.Actor(ctx), id, m)
	if err != nil {
		return nil, err
	}
	return apigen.ListDeadlines200JSONResponse{Items: web.Each(list, deadlineOut), AsOf: asOf,
		Rules: record.RulesVersion(), Zones: record.ZoneData()}, nil
}

func deadlineOut(v record.DeadlineView) apigen.Deadline {
	c := v.Clock
	out := apigen.Deadline{
		Deadline: apigen.DeadlineKind(c.Kind.String()), Side: c.Kind.Owed(), Rank: c.Rank, Label: web.Some(v.Label),
		Started:  web.Unix(c.Start),
		Standing: apigen.Standing(v.Standing), Target: c.Term.Target.String(), TargetSeconds: c.Seconds,
		CountedSeconds: v.Counted,
		Calendar:       v.Calendar, LateSeconds: web.Some(v.Late), Words: web.Some(v.Words),
	}
	if v.DueKnown {
		out.Due = web.Ptr(web.Unix(v.Due))
	}
	if c.Outcome != deadline.Live {
		out.Ended = web.Ptr(web.Unix(c.End))
	}
	out.Segments = web.Each(v.Segments, func(s record.SegmentView) apigen.Segment {
		return apigen.Segment{From: web.Unix(s.From), To: web.Unix(s.To), Counted: s.Counted, Why: s.Why.String(),
			CoveredSeconds: s.Covered}
	})
	return out
}
