package cases

import (
	"context"

	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/desk/enclosing"
	"roundhouse.example/internal/desk/filing"
	"roundhouse.example/internal/desk/pages"

	"roundhouse.example/internal/core/disclosure"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/server/web"
)

// ListEntries is a part of the record.
func (h *Cases) ListEntries(ctx context.Context,
	r apigen.ListEntriesRequestObject) (apigen.ListEntriesResponseObject, error) {
	id, err := h.desk().Pages.Find(ctx, web.Actor(ctx), r.Case)
	if err != nil {
		return nil, err
	}
	limit := 200
	if r.Params.Limit != nil {
		limit = *r.Params.Limit
	}
	after := web.Val(r.Params.After)
	var list []pages.EntryView
	var more bool
	if m, past := web.Moment(r.Params.At, r.Params.Known); past {
		list, more, err = h.desk().Pages.EntriesAt(ctx, web.Actor(ctx), id, after, limit, m)
	} else {
		list, more, err = h.desk().Pages.Entries(ctx, web.Actor(ctx), id, after, limit)
	}
	if err != nil {
		return nil, err
	}
	return apigen.ListEntries200JSONResponse{Items: web.Each(list, entry), More: more}, nil
}

// SendMessage puts words on their way to the vendor.
func (h *Cases) SendMessage(ctx context.Context,
	r apigen.SendMessageRequestObject) (apigen.SendMessageResponseObject, error) {
	e, err := h.Written(ctx, r.Case, func(id int64) (desk.Ref, error) {
		return h.desk().Cases.Send(ctx, web.Actor(ctx), id, cases.Written{Text: web.Val(r.Body.Text),
			Move: web.Val(r.Body.Move), By: filing.Wanted{Channel: web.Val(r.Body.Channel), Link: web.Val(r.Body.Link)},
			Seen: r.Body.Seen, Untold: web.Val(r.Body.Untold), Disclose: web.Val(r.Body.DiscloseReason),
			Chases: web.Val(r.Body.Chases), Dates: h.along(r.Body.Dates, r.Body.Keeps),
			With: enclosing.Wanted{Files: web.Val(r.Body.Files), Intended: web.Val(r.Body.ConfirmFiles)}})
	})
	return apigen.SendMessage201JSONResponse(e), err
}

// AddNote writes a note.
func (h *Cases) AddNote(ctx context.Context, r apigen.AddNoteRequestObject) (apigen.AddNoteResponseObject, error) {
	e, err := h.Written(ctx, r.Case, func(id int64) (desk.Ref, error) {
		return h.desk().Cases.AddNote(ctx, web.Actor(ctx), id, r.Body.Text)
	})
	return apigen.AddNote201JSONResponse(e), err
}

// AddCall writes down what was heard: a call or chat, an email, words on a portal.
func (h *Cases) AddCall(ctx context.Context, r apigen.AddCallRequestObject) (apigen.AddCallResponseObject, error) {
	e, err := h.Written(ctx, r.Case, func(id int64) (desk.Ref, error) {
		b, at := r.Body, h.desk().Now()
		if b.At != nil {
			at = *b.At
		}
		return h.desk().Cases.AddCall(ctx, web.Actor(ctx), id,
			cases.Heard{With: b.With, At: at, By: route.Kind(web.Val(b.By)), Text: b.Text, Move: web.Val(b.Move),
				Status: web.Val(b.Status), Dates: h.along(b.Dates, b.Keeps)})
	})
	return apigen.AddCall201JSONResponse(e), err
}

func (h *Cases) Written(ctx context.Context, name string,
	write func(id int64) (desk.Ref, error)) (apigen.Entry, error) {
	id, err := h.desk().Pages.Find(ctx, web.Actor(ctx), name)
	if err != nil {
		return apigen.Entry{}, err
	}
	ref, err := write(id)
	if err != nil {
		return apigen.Entry{}, err
	}
	e, err := h.desk().Pages.Entry(ctx, web.Actor(ctx), ref.ID, ref.Entry)
	out := entry(e)
	out.Warning = web.Some(ref.Warning)
	return out, err
}

// SetSummary writes down where a case stands.
func (h *Cases) SetSummary(ctx context.Context,
	r apigen.SetSummaryRequestObject) (apigen.SetSummaryResponseObject, error) {
	e, err := h.Written(ctx, r.Case, func(id int64) (desk.Ref, error) {
		return h.desk().Drafts.Summarize(ctx, web.Actor(ctx), id, r.Body.Text)
	})
	return apigen.SetSummary200JSONResponse(e), err
}

// MarkRead says that the record has been read by the person who asks.
func (h *Cases) MarkRead(ctx context.Context, r apigen.MarkReadRequestObject) (apigen.MarkReadResponseObject, error) {
	id, err := h.desk().Pages.Find(ctx, web.Actor(ctx), r.Case)
	if err != nil {
		return nil, err
	}
	return apigen.MarkRead204Response{}, h.desk().Seen.Mark(ctx, web.Actor(ctx), id, r.Body.Entry)
}

func entry(e pages.EntryView) apigen.Entry {
	out := apigen.Entry{
		Number: e.Number, Kind: apigen.EntryKind(e.Kind), Direction: (*apigen.EntryDirection)(e.Direction),
		Author: web.Some(e.AuthorName), Mine: web.Some(e.Mine),
		Channel: web.Some(string(e.Channel)), StatedAt: e.StatedAt, HappenedAt: e.HappenedAt, RecordedAt: e.RecordedAt,
		Text:      e.Body,
		Automatic: web.Some(e.Automatic), RefersTo: e.RefersTo, File: e.File,
	}
	if x := e.Effect.V; x != nil && x.Event != "" {
		out.Effect = &apigen.Effect{Event: string(x.Event), Move: web.Some(x.Move), Offers: web.Some(string(x.Offers)),
			To:       web.Some(x.To),
			Severity: web.Some(x.Severity), Level: web.Some(x.Level), Automatic: web.Some(x.Automatic),
			Agreed: web.Some(x.Agreed)}
	}
	if x := e.Effect.V; x != nil && x.Sets != nil && x.Sets.Briefed != nil {
		b := x.Sets.Briefed
		out.Briefed = &apigen.Briefed{To: b.To, Copied: b.Copied}
		if s := e.Emails; s != nil {
			out.Briefed.Sent, out.Briefed.Lost, out.Briefed.Problem = &s.Sent, web.Some(s.Lost), web.Some(s.Problem)
		}
	}
	if len(e.Holds) > 0 {
		out.Holds = web.Ptr(web.Each(e.Holds, func(k disclosure.Kind) apigen.FindingKind { return apigen.FindingKind(k) }))
	}
	if len(e.Enclosed) > 0 {
		out.Enclosed = web.Ptr(web.Each(e.Enclosed, enclosedOut))
	}
	if e.Delivery != nil {
		out.Delivery = web.Ptr(delivery(*e.Delivery))
	}
	return out
}
