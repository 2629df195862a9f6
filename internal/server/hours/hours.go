package hours

import (
	"context"
	"time"

	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/desk/hours"
	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/server/web"
)

func calendarOut(c hours.CalendarView) apigen.Calendar {
	return apigen.Calendar{Id: c.ID, Name: c.Name, Vendor: c.Vendor, Vendors: c.Vendors, Terms: c.Terms,
		RunningClocks: c.Clocks, Recalculating: web.Some(c.Recalculating),
		Versions: web.Each(c.Versions, func(v hours.CalendarVersion) apigen.CalendarVersion {
			return apigen.CalendarVersion{CountsFrom: v.CountsFrom.Format(time.DateOnly), KnownAt: &v.KnownAt,
				Definition: definitionOut(v.Definition.V)}
		})}
}

func definitionOut(d calendar.Definition) apigen.HoursDefinition {
	out := apigen.HoursDefinition{Zone: web.Some(d.Zone), Always: web.Some(d.Always)}
	if d.Week != nil {
		out.Week = &d.Week
	}
	if d.Closed != nil {
		out.Closed = &d.Closed
	}
	if d.Extra != nil {
		out.Extra = &d.Extra
	}
	return out
}

func definitionIn(d apigen.HoursDefinition) calendar.Definition {
	return calendar.Definition{Zone: web.Val(d.Zone), Always: web.Val(d.Always), Week: web.Val(d.Week),
		Closed: web.Val(d.Closed), Extra: web.Val(d.Extra)}
}

// ListCalendars lists all of them.
func (h *Hours) ListCalendars(ctx context.Context,
	_ apigen.ListCalendarsRequestObject) (apigen.ListCalendarsResponseObject, error) {
	list, err := h.desk().Hours.Calendars(ctx, web.Actor(ctx))
	return apigen.ListCalendars200JSONResponse{Items: web.Each(list, calendarOut)}, err
}

// AddCalendar adds one.
func (h *Hours) AddCalendar(ctx context.Context,
	r apigen.AddCalendarRequestObject) (apigen.AddCalendarResponseObject, error) {
	id, err := h.desk().Hours.AddCalendar(ctx, web.Actor(ctx), r.Body.Name, web.Val(r.Body.Vendor),
		definitionIn(r.Body.Definition))
	if err != nil {
		return nil, err
	}
	c, err := h.desk().Hours.Calendar(ctx, web.Actor(ctx), id)
	return apigen.AddCalendar201JSONResponse(calendarOut(c)), err
}

// GetCalendar is one.
func (h *Hours) GetCalendar(ctx context.Context,
	r apigen.GetCalendarRequestObject) (apigen.GetCalendarResponseObject, error) {
	c, err := h.desk().Hours.Calendar(ctx, web.Actor(ctx), r.Id)
	return apigen.GetCalendar200JSONResponse(calendarOut(c)), err
}

// RemoveCalendar takes one out in which nothing counts.
func (h *Hours) RemoveCalendar(ctx context.Context,
	r apigen.RemoveCalendarRequestObject) (apigen.RemoveCalendarResponseObject, error) {
	return apigen.RemoveCalendar204Response{}, h.desk().Hours.RemoveCalendar(ctx, web.Actor(ctx), r.Id)
}

// AddCalendarVersion lets one be another from a date on.
func (h *Hours) AddCalendarVersion(ctx context.Context,
	r apigen.AddCalendarVersionRequestObject) (apigen.AddCalendarVersionResponseObject, error) {
	moved, err := h.desk().Hours.AddCalendarVersion(ctx, web.Actor(ctx), r.Id, web.Val(r.Body.From),
		definitionIn(r.Body.Definition))
	if err != nil {
		return nil, err
	}
	c, err := h.desk().Hours.Calendar(ctx, web.Actor(ctx), r.Id)
	out := calendarOut(c)
	out.Recalculated = &moved
	return apigen.AddCalendarVersion201JSONResponse(out), err
}

// PreviewHours says when a target would fall due.
func (h *Hours) PreviewHours(ctx context.Context,
	r apigen.PreviewHoursRequestObject) (apigen.PreviewHoursResponseObject, error) {
	p, err := h.desk().Hours.Preview(ctx, web.Actor(ctx), definitionIn(r.Body.Definition), web.Val(r.Body.Target),
		r.Body.From)
	if err != nil {
		return nil, err
	}
	return apigen.PreviewHours200JSONResponse{Zone: p.Zone, From: p.From, Due: p.Due, Problem: web.Some(p.Problem),
		Warning: web.Some(p.Warning), Open: p.OpenNow, Until: p.OpenTill,
		Windows: web.Each(p.Windows, func(w calendar.Window) apigen.Window {
			return apigen.Window{Open: web.Unix(w.Open), Close: web.Unix(w.Close)}
		})}, nil
}

// GetPolicy is what we owe ourselves.
func (h *Hours) GetPolicy(ctx context.Context,
	_ apigen.GetPolicyRequestObject) (apigen.GetPolicyResponseObject, error) {
	p, tag, err := h.policy(ctx)
	return apigen.GetPolicy200JSONResponse{Body: p, Headers: apigen.GetPolicy200ResponseHeaders{ETag: tag}}, err
}

func (h *Hours) policy(ctx context.Context) (out apigen.Policy, tag *string, err error) {
	f, version, err := h.desk().Hours.Policy(ctx, web.Actor(ctx))
	if err != nil {
		return out, nil, err
	}
	return apigen.Policy{Version: version, Facts: f}, web.VersionTag(int64(version)), nil
}

// ChangePolicy makes a new version of it.
func (h *Hours) ChangePolicy(ctx context.Context,
	r apigen.ChangePolicyRequestObject) (apigen.ChangePolicyResponseObject, error) {
	version, err := web.Matched(r.Params.IfMatch)
	if err != nil {
		return nil, err
	}
	patch, _ := ctx.Value(web.BodyKey).([]byte)
	if err := h.desk().Hours.ChangePolicy(ctx, web.Actor(ctx), int(version), patch); err != nil {
		return nil, err
	}
	p, tag, err := h.policy(ctx)
	return apigen.ChangePolicy200JSONResponse{Body: p, Headers: apigen.ChangePolicy200ResponseHeaders{ETag: tag}}, err
}
