package cases

import (
	"context"
	"time"

	openapi_types "github.com/oapi-codegen/runtime/types"

	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/dates"
	"roundhouse.example/internal/desk/pages"
	"roundhouse.example/internal/desk/record"
	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/server/web"
)

// SetDate records what is to happen by a date.
func (h *Cases) SetDate(ctx context.Context, r apigen.SetDateRequestObject) (apigen.SetDateResponseObject, error) {
	b := r.Body
	e, err := h.written(ctx, r.Case, func(id int64) (desk.Ref, error) {
		return h.desk().Dates.Set(ctx, web.Actor(ctx), id, dates.Setting{Kind: deadline.ItemKind(b.Kind),
			Owed: deadline.Side(web.Val(b.Owed)), Words: web.Val(b.Text), Due: due(b.Due, b.Day), For: web.Val(b.For)})
	})
	return apigen.SetDate201JSONResponse(e), err
}

// EndDate records what became of a date.
func (h *Cases) EndDate(ctx context.Context, r apigen.EndDateRequestObject) (apigen.EndDateResponseObject, error) {
	b := r.Body
	e, err := h.written(ctx, r.Case, func(id int64) (desk.Ref, error) {
		return h.desk().Dates.End(ctx, web.Actor(ctx), id, r.Item, dates.Ending{How: dates.How(b.How),
			Text: web.Val(b.Text), Due: due(b.Due, b.Day)})
	})
	return apigen.EndDate201JSONResponse(e), err
}

func due(at *time.Time, day *openapi_types.Date) dates.Due {
	d := dates.Due{At: at}
	if day != nil {
		d.Day = day.Format(time.DateOnly)
	}
	return d
}

func datesOut(v pages.View, out *apigen.Case) {
	if len(v.Dates) == 0 {
		return
	}
	out.Dates = web.Ptr(web.Each(v.Dates, func(x record.ItemView) apigen.DatedItem {
		return apigen.DatedItem{Item: x.Name, Kind: apigen.DateKind(x.Kind), Owed: apigen.Side(x.Owed), Text: x.Words,
			For: web.Some(x.For), SetAt: x.SetAt, DueAt: x.DueAt, EndedAt: x.EndedAt, Standing: apigen.Standing(x.Standing),
			Moved: web.Some(x.Follows != nil), Entry: x.StartEntry}
	}))
}
