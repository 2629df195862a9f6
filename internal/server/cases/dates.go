package cases

import (
	"context"
	"time"

	openapi_types "github.com/oapi-codegen/runtime/types"

	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/desk"
	desks "roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/dates"
	"roundhouse.example/internal/desk/pages"
	"roundhouse.example/internal/desk/record"
	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/server/web"
)

// SetDate records what is to happen by a date.
func (h *Cases) SetDate(ctx context.Context, r apigen.SetDateRequestObject) (apigen.SetDateResponseObject, error) {
	b := r.Body
	e, err := h.Written(ctx, r.Case, func(id int64) (desk.Ref, error) {
		return h.desk().Dates.Set(ctx, web.Actor(ctx), id, setting(*b))
	})
	return apigen.SetDate201JSONResponse(e), err
}

// EndDate records what became of a date.
func (h *Cases) EndDate(ctx context.Context, r apigen.EndDateRequestObject) (apigen.EndDateResponseObject, error) {
	b := r.Body
	var then *dates.Setting
	if b.Then != nil {
		then = new(setting(*b.Then))
	}
	e, err := h.Written(ctx, r.Case, func(id int64) (desk.Ref, error) {
		return h.desk().Dates.End(ctx, web.Actor(ctx), id, r.Item, dates.Ending{How: dates.How(b.How),
			Text: web.Val(b.Text), Due: due(b.Due, b.Day), Entry: web.Val(b.Entry), Then: then, Details: details(b.Details)})
	})
	return apigen.EndDate201JSONResponse(e), err
}

// DetailDate adds to what is known about a date.
func (h *Cases) DetailDate(ctx context.Context,
	r apigen.DetailDateRequestObject) (apigen.DetailDateResponseObject, error) {
	e, err := h.Written(ctx, r.Case, func(id int64) (desk.Ref, error) {
		return h.desk().Dates.Detail(ctx, web.Actor(ctx), id, r.Item, details(r.Body))
	})
	return apigen.DetailDate201JSONResponse(e), err
}

func setting(b apigen.NewDate) dates.Setting {
	return dates.Setting{Kind: deadline.ItemKind(b.Kind), Owed: deadline.Side(web.Val(b.Owed)), Words: web.Val(b.Text),
		Due: due(b.Due, b.Day), For: web.Val(b.For), Entry: web.Val(b.Entry), Details: details(b.Details)}
}

// along is what a message, a call or a parking dates and keeps.
func (h *Cases) along(set *[]apigen.NewDate, keeps *[]string) desks.Dating {
	return h.desk().Dates.Along(web.Each(web.Val(set), setting), web.Val(keeps))
}

func details(b *apigen.DateDetails) dates.Details {
	if b == nil {
		return dates.Details{}
	}
	return dates.Details{From: b.From, Who: web.Val(b.Who), Where: web.Val(b.Place), Number: web.Val(b.Number),
		LetsIn: web.Val(b.LetsIn), SentAt: b.SentAt}
}

func detailsOut(x dates.Details) *apigen.DateDetails {
	if x == (dates.Details{}) {
		return nil
	}
	return &apigen.DateDetails{From: x.From, Who: web.Some(x.Who), Place: web.Some(x.Where), Number: web.Some(x.Number),
		LetsIn: web.Some(x.LetsIn), SentAt: x.SentAt}
}

func due(at *time.Time, day *openapi_types.Date) dates.Due {
	d := dates.Due{At: at}
	if day != nil {
		d.Day = day.Format(time.DateOnly)
	}
	return d
}

// readOut is who has had the case at the vendor, who wrote where it stands, and how far it was read.
func readOut(v pages.View, out *apigen.Case) {
	l := v.Line
	if len(v.Contacts) > 0 {
		out.Contacts = web.Ptr(web.Each(v.Contacts, func(c pages.Contact) apigen.CaseContact {
			return apigen.CaseContact{Name: c.Name, Since: c.At}
		}))
	}
	if l.Summary != "" {
		out.SummaryBy, out.SummaryAt = web.Some(l.SummaryBy), l.SummaryAt
	}
	if v.Read.Entry > 0 {
		out.ReadEntry, out.ReadAt = &v.Read.Entry, &v.Read.At
	}
}

func datesOut(v pages.View, out *apigen.Case) {
	if len(v.Dates) == 0 {
		return
	}
	out.Dates = web.Ptr(web.Each(v.Dates, func(x record.ItemView) apigen.DatedItem {
		return apigen.DatedItem{Item: x.Name, Kind: apigen.DateKind(x.Kind), Owed: apigen.Side(x.Owed), Text: x.Words,
			For: web.Some(x.For), SetAt: x.SetAt, DueAt: x.DueAt, EndedAt: x.EndedAt, Standing: apigen.Standing(x.Standing),
			Moved: web.Some(x.Follows != nil), Entry: x.StartEntry, ProposedEntry: x.Proposed, LateSeconds: web.Some(x.Late),
			Details: detailsOut(x.Details.V)}
	}))
}
