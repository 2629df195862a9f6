// Package agenda answers what is coming, for the page and for calendar programs.
package agenda

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"strings"
	"time"

	"roundhouse.example/internal/core/agenda"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/rota"
	"roundhouse.example/internal/desk"
	deskagenda "roundhouse.example/internal/desk/agenda"
	"roundhouse.example/internal/desk/whole"
	"roundhouse.example/internal/ical"
	"roundhouse.example/internal/server/apigen"
	webcases "roundhouse.example/internal/server/cases"
	"roundhouse.example/internal/server/web"
)

// Agenda are the operations of the subject. Use New.
type Agenda struct{ s *web.Server }

// New makes the operations for a server.
func New(s *web.Server) *Agenda { return &Agenda{s} }

func (h *Agenda) desk() *whole.Desk { return h.s.Desk }

// ReadAgenda is the calendar of some days.
func (h *Agenda) ReadAgenda(ctx context.Context,
	r apigen.ReadAgendaRequestObject) (apigen.ReadAgendaResponseObject, error) {
	p := r.Params
	v, err := h.desk().Agenda.Show(ctx, web.Actor(ctx), deskagenda.Span{From: p.From, To: p.To, Mine: web.Val(p.Mine),
		Person: web.Val(p.Person),
		Vendor: web.Val(p.Vendor)})
	if err != nil {
		return nil, err
	}
	return apigen.ReadAgenda200JSONResponse{AsOf: v.AsOf, Zone: v.Zone, More: v.More, Events: web.Each(v.Events, event),
		Gaps: web.Each(v.Gaps, func(g rota.Gap) apigen.Gap {
			return apigen.Gap{From: g.From, Until: web.Some(g.Until)}
		})}, nil
}

func event(e agenda.Event) apigen.AgendaEvent {
	out := apigen.AgendaEvent{Uid: e.UID, Kind: apigen.EventKind(e.Kind), Title: e.Title, Start: e.Start, End: e.End,
		AllDay: e.AllDay, Where: web.Some(e.Where), Item: web.Some(e.Item), Vendor: web.Some(e.Vendor),
		Severity: web.Some(e.Severity), Standing: web.Some(apigen.Standing(e.Standing)), Owed: web.Some(e.Owed),
		Cancelled: web.Some(e.Cancelled), Done: web.Some(e.Done)}
	if len(e.Details) > 0 {
		out.Details = &e.Details
	}
	if e.Case != 0 {
		out.Case = web.Ptr(casework.Name(e.Case))
	}
	return out
}

// ListFeeds are the person's own.
func (h *Agenda) ListFeeds(ctx context.Context,
	_ apigen.ListFeedsRequestObject) (apigen.ListFeedsResponseObject, error) {
	list, err := h.desk().Agenda.Feeds(ctx, web.Actor(ctx))
	return apigen.ListFeeds200JSONResponse{Items: web.Each(list, feed)}, err
}

func feed(f deskagenda.Feed) apigen.Feed {
	return apigen.Feed{Id: f.ID, Name: f.Name, Whose: apigen.FeedPart(f.Whose), MadeAt: f.MadeAt, ReadAt: f.ReadAt,
		Of: cmp.Or(f.Person, f.Vendor)}
}

// AddFeed makes a secret address.
func (h *Agenda) AddFeed(ctx context.Context, r apigen.AddFeedRequestObject) (apigen.AddFeedResponseObject, error) {
	b := r.Body
	f, secret, err := h.desk().Agenda.Subscribe(ctx, web.Actor(ctx), deskagenda.Subscription{Name: b.Name,
		Mine: web.Val(b.Mine), Person: web.Val(b.Person), Vendor: web.Val(b.Vendor)})
	out := feed(f)
	out.Path = web.Ptr("/api/v1/feeds/" + secret + ".ics")
	return apigen.AddFeed201JSONResponse(out), err
}

// EndFeed ends one.
func (h *Agenda) EndFeed(ctx context.Context, r apigen.EndFeedRequestObject) (apigen.EndFeedResponseObject, error) {
	return apigen.EndFeed204Response{}, h.desk().Agenda.Unsubscribe(ctx, web.Actor(ctx), r.Feed)
}

// refresh is how often a program is asked to look again.
const refresh = 15 * time.Minute

// FollowFeed is what a calendar program gets under a secret address.
func (h *Agenda) FollowFeed(ctx context.Context,
	r apigen.FollowFeedRequestObject) (apigen.FollowFeedResponseObject, error) {
	d := h.desk().Agenda
	tag := strings.Trim(strings.TrimPrefix(web.Val(r.Params.IfNoneMatch), "W/"), `"`)
	f, err := d.Follow(ctx, strings.TrimSuffix(r.Address, ".ics"), tag)
	switch {
	case errors.Is(err, desk.ErrNotFound):
		return nil, web.NewProblem(404, "not-found", "Not found", "No calendar has this address: it may have been ended.")
	case err != nil:
		return nil, err
	case f.Same:
		return apigen.FollowFeed304Response{}, nil
	}
	if f.Body == nil {
		f.Body = ical.Write(f.Events, ical.Options{Name: f.Name, Desk: f.Desk, Refresh: refresh, Console: d.Console,
			Now: f.Now})
		d.Keep(f, f.Body)
	}
	out := apigen.FollowFeed200TextcalendarResponse{Body: bytes.NewReader(f.Body), ContentLength: int64(len(f.Body))}
	if f.Tag != "" {
		out.Headers.ETag = web.Ptr(`"` + f.Tag + `"`)
	}
	return out, nil
}

// SaveEvents is what is to happen on a case, as a file.
func (h *Agenda) SaveEvents(ctx context.Context,
	r apigen.SaveEventsRequestObject) (apigen.SaveEventsResponseObject, error) {
	id, err := h.desk().Pages.Find(ctx, web.Actor(ctx), r.Case)
	if err != nil {
		return nil, err
	}
	f, err := h.desk().Agenda.OfCase(ctx, web.Actor(ctx), id, web.Val(r.Params.Item))
	if err != nil {
		return nil, err
	}
	body := ical.Write(f.Events, ical.Options{Desk: f.Desk, Console: h.desk().Agenda.Console,
		Now: f.Now})
	return apigen.SaveEvents200TextcalendarResponse{Body: bytes.NewReader(body), ContentLength: int64(len(body))}, nil
}

// InviteTo invites people to what is to happen.
func (h *Agenda) InviteTo(ctx context.Context, r apigen.InviteToRequestObject) (apigen.InviteToResponseObject, error) {
	e, err := webcases.New(h.s).Written(ctx, r.Case, func(id int64) (desk.Ref, error) {
		return h.desk().Agenda.Invite(ctx, web.Actor(ctx), id, r.Item, r.Body.To)
	})
	return apigen.InviteTo201JSONResponse(e), err
}
