package today

import (
	"context"

	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/desk/today"
	"roundhouse.example/internal/desk/watch"
	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/server/web"
)

// GetLanes is what is due with each vendor.
func (h *Today) GetLanes(ctx context.Context, r apigen.GetLanesRequestObject) (apigen.GetLanesResponseObject, error) {
	p, now := r.Params, h.desk().Now()
	span := today.Span{Scope: scope(p.Whose, p.Person), From: now.AddDate(0, 0, -2), To: now.AddDate(0, 0, 5),
		Vendor: web.Val(p.Vendor)}
	if p.From != nil {
		span.From = *p.From
	}
	if p.To != nil {
		span.To = *p.To
	}
	lanes, err := h.desk().Today.Lanes(ctx, web.Actor(ctx), span)
	if err != nil {
		return nil, err
	}
	return apigen.GetLanes200JSONResponse{AsOf: lanes.AsOf, From: lanes.From, To: lanes.To, Zone: lanes.Zone,
		Idle: lanes.Idle, Lanes: web.Each(lanes.Lanes, laneOut)}, nil
}

func laneOut(l today.Lane) apigen.Lane {
	return apigen.Lane{Vendor: l.Vendor, Key: l.Key, Zone: l.Zone, Open: l.Open, Until: l.Until, LeftOut: l.Left,
		Closed: web.Each(l.Closed, func(w calendar.Window) apigen.TimeSpan {
			return apigen.TimeSpan{From: web.Unix(w.Open), To: web.Unix(w.Close)}
		}),
		Marks: web.Each(l.Marks, markOut)}
}

// ListWatches is what the person who asks watches.
func (h *Today) ListWatches(ctx context.Context,
	_ apigen.ListWatchesRequestObject) (apigen.ListWatchesResponseObject, error) {
	list, err := h.desk().Watches.List(ctx, web.Actor(ctx))
	return apigen.ListWatches200JSONResponse{Items: web.Each(list, watchOut)}, err
}

// StartWatching watches something.
func (h *Today) StartWatching(ctx context.Context,
	r apigen.StartWatchingRequestObject) (apigen.StartWatchingResponseObject, error) {
	b := r.Body
	list, err := h.desk().Watches.Start(ctx, web.Actor(ctx), watch.What{Case: web.Val(b.Case), Vendor: web.Val(b.Vendor),
		Severity: web.Val(b.Severity)}, h.desk().Pages.Find)
	return apigen.StartWatching200JSONResponse{Items: web.Each(list, watchOut)}, err
}

// StopWatching ends a watch.
func (h *Today) StopWatching(ctx context.Context,
	r apigen.StopWatchingRequestObject) (apigen.StopWatchingResponseObject, error) {
	return apigen.StopWatching204Response{}, h.desk().Watches.Stop(ctx, web.Actor(ctx), r.Watch)
}

func watchOut(w watch.Watched) apigen.Watch {
	out := apigen.Watch{Id: w.ID, Title: w.Title, Vendor: w.Key, VendorName: w.Vendor, Severity: w.Severity}
	if w.Number != nil {
		out.Case = web.Ptr(casework.Name(*w.Number))
	}
	return out
}
