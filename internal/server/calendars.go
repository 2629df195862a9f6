package server

import (
	"context"
	"time"

	hoursdb "roundhouse.example/internal/store/hours"

	"roundhouse.example/internal/desk/hours"

	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/server/apigen"
)

func calendarOut(c hours.CalendarView) apigen.Calendar {
	return apigen.Calendar{Id: c.ID, Name: c.Name, Vendor: c.Vendor, Vendors: c.Vendors, Terms: c.Terms, RunningClocks: c.Clocks,
		Versions: each(c.Versions, func(v hoursdb.CalendarVersion) apigen.CalendarVersion {
			return apigen.CalendarVersion{CountsFrom: v.CountsFrom.Format(time.DateOnly), KnownAt: &v.KnownAt, Definition: definitionOut(v.Definition.V)}
		})}
}

func definitionOut(d calendar.Definition) apigen.HoursDefinition {
	out := apigen.HoursDefinition{Zone: some(d.Zone), Always: some(d.Always)}
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
	return calendar.Definition{Zone: val(d.Zone), Always: val(d.Always), Week: val(d.Week), Closed: val(d.Closed), Extra: val(d.Extra)}
}

// ListCalendars lists all of them.
func (h *handlers) ListCalendars(ctx context.Context, _ apigen.ListCalendarsRequestObject) (apigen.ListCalendarsResponseObject, error) {
	list, err := h.desk().Hours.Calendars(ctx, actor(ctx))
	return apigen.ListCalendars200JSONResponse{Items: each(list, calendarOut)}, err
}

// AddCalendar adds one.
func (h *handlers) AddCalendar(ctx context.Context, r apigen.AddCalendarRequestObject) (apigen.AddCalendarResponseObject, error) {
	id, err := h.desk().Hours.AddCalendar(ctx, actor(ctx), r.Body.Name, val(r.Body.Vendor), definitionIn(r.Body.Definition))
	if err != nil {
		return nil, err
	}
	c, err := h.desk().Hours.Calendar(ctx, actor(ctx), id)
	return apigen.AddCalendar201JSONResponse(calendarOut(c)), err
}

// GetCalendar is one.
func (h *handlers) GetCalendar(ctx context.Context, r apigen.GetCalendarRequestObject) (apigen.GetCalendarResponseObject, error) {
	c, err := h.desk().Hours.Calendar(ctx, actor(ctx), r.Id)
	return apigen.GetCalendar200JSONResponse(calendarOut(c)), err
}

// RemoveCalendar takes one out in which nothing counts.
func (h *handlers) RemoveCalendar(ctx context.Context, r apigen.RemoveCalendarRequestObject) (apigen.RemoveCalendarResponseObject, error) {
	return apigen.RemoveCalendar204Response{}, h.desk().Hours.RemoveCalendar(ctx, actor(ctx), r.Id)
}

// AddCalendarVersion lets one be another from a date on.
func (h *handlers) AddCalendarVersion(ctx context.Context, r apigen.AddCalendarVersionRequestObject) (apigen.AddCalendarVersionResponseObject, error) {
	moved, err := h.desk().Hours.AddCalendarVersion(ctx, actor(ctx), r.Id, val(r.Body.From), definitionIn(r.Body.Definition))
	if err != nil {
		return nil, err
	}
	c, err := h.desk().Hours.Calendar(ctx, actor(ctx), r.Id)
	out := calendarOut(c)
	out.ReckonedAnew = &moved
	return apigen.AddCalendarVersion201JSONResponse(out), err
}

// PreviewHours says when a target would fall due.
func (h *handlers) PreviewHours(ctx context.Context, r apigen.PreviewHoursRequestObject) (apigen.PreviewHoursResponseObject, error) {
	p, err := h.desk().Hours.Preview(ctx, actor(ctx), definitionIn(r.Body.Definition), val(r.Body.Target), r.Body.From)
	if err != nil {
		return nil, err
	}
	return apigen.PreviewHours200JSONResponse{Zone: p.Zone, From: p.From, Due: p.Due, Problem: some(p.Problem), Warning: some(p.Warning), Open: p.OpenNow, Until: p.OpenTill,
		Windows: each(p.Windows, func(w calendar.Window) apigen.Window { return apigen.Window{Open: unix(w.Open), Close: unix(w.Close)} })}, nil
}

// GetPolicy is what we owe ourselves.
func (h *handlers) GetPolicy(ctx context.Context, _ apigen.GetPolicyRequestObject) (apigen.GetPolicyResponseObject, error) {
	p, tag, err := h.policy(ctx)
	return apigen.GetPolicy200JSONResponse{Body: p, Headers: apigen.GetPolicy200ResponseHeaders{ETag: tag}}, err
}

func (h *handlers) policy(ctx context.Context) (out apigen.Policy, tag *string, err error) {
	f, version, err := h.desk().Hours.Policy(ctx, actor(ctx))
	if err != nil {
		return out, nil, err
	}
	facts, err := recast[apigen.PolicyFacts](f)
	return apigen.Policy{Version: version, Facts: facts}, versionTag(int64(version)), err
}

// ChangePolicy makes a new version of it.
func (h *handlers) ChangePolicy(ctx context.Context, r apigen.ChangePolicyRequestObject) (apigen.ChangePolicyResponseObject, error) {
	version, err := matched(r.Params.IfMatch)
	if err != nil {
		return nil, err
	}
	patch, _ := ctx.Value(bodyKey).([]byte)
	if err := h.desk().Hours.ChangePolicy(ctx, actor(ctx), int(version), patch); err != nil {
		return nil, err
	}
	p, tag, err := h.policy(ctx)
	return apigen.ChangePolicy200JSONResponse{Body: p, Headers: apigen.ChangePolicy200ResponseHeaders{ETag: tag}}, err
}
