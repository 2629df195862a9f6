package today

import (
	"context"

	"roundhouse.example/internal/core/attention"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/core/words"
	registry "roundhouse.example/internal/desk/register"
	"roundhouse.example/internal/desk/today"
	"roundhouse.example/internal/server/apigen"
	webcases "roundhouse.example/internal/server/cases"
	"roundhouse.example/internal/server/web"
)

// GetToday is what needs doing next.
func (h *Today) GetToday(ctx context.Context, r apigen.GetTodayRequestObject) (apigen.GetTodayResponseObject, error) {
	f := today.Filter{Scope: scope(r.Params.Whose, r.Params.Person), Limit: 100}
	if r.Params.Limit != nil {
		f.Limit = *r.Params.Limit
	}
	if r.Params.Cursor != nil {
		var at todayCursor
		if err := web.ReadCursor(*r.Params.Cursor, &at); err != nil || at.At <= 0 {
			return nil, web.BadCursor("Use the cursor of the previous page.")
		}
		f.At, f.After = web.Unix(at.At),
			&attention.Line{Pressure: at.Pressure, Due: at.Due, HasDue: at.HasDue, Number: at.Number}
	}
	m, past := web.Moment(r.Params.At, r.Params.Known)
	if past {
		t, err := h.desk().Today.NextAt(ctx, web.Actor(ctx), f, m)
		return apigen.GetToday200JSONResponse(todayOf(t)), err
	}
	t, err := h.desk().Today.Next(ctx, web.Actor(ctx), f)
	if err != nil {
		return nil, err
	}
	out := todayOf(t)
	if t.More {
		last := t.Lines[len(t.Lines)-1]
		out.Next = web.Ptr(web.WriteCursor(todayCursor{t.AsOf.Unix(), last.Pressure, last.Due, last.HasDue,
			last.Line.Number}))
	}
	return apigen.GetToday200JSONResponse(out), nil
}

func scope(whose *apigen.OfWhom, person *string) today.Scope {
	return today.Scope{Whose: today.Whose(web.Val(whose)), Person: web.Val(person)}
}

// todayCursor is where a page of Today ended, and as of when.
type todayCursor struct {
	At       int64   `json:"a"`
	Pressure float64 `json:"p"`
	Due      int64   `json:"d"`
	HasDue   bool    `json:"h"`
	Number   int64   `json:"n"`
}

func todayOf(t today.View) apigen.Today {
	out := apigen.Today{Contracts: web.Each(t.Contracts, func(k registry.Thing[register.Contract]) apigen.ContractLine {
		return apigen.ContractLine{Id: k.ID, Number: k.Facts.Number, Vendor: k.VendorName,
			Within: apigen.ContractLineWithin(k.Within), Words: k.Warnings}
	}), AsOf: t.AsOf, Zone: t.Zone, Late: t.Late, DueSoon: t.DueSoon, Unread: t.Unread, OnTheWay: t.OnTheWay,
		Live: t.Live, Total: t.Sums.Lines, OnUs: t.OnUs, Stopped: t.Stopped, NoReference: t.NoReference,
		NotConfirmed: t.NotConfirmed, ToSort: web.Some(t.ToSort)}
	if g := t.RotaGap; g != nil {
		out.RotaGap = &apigen.RotaGap{From: g.From, Until: web.Some(g.Until), Cases: web.Each(g.Cases, casework.Name),
			Needing: g.Needing}
	}
	out.Drafts = web.Each(t.Drafts, func(r today.CaseLine) apigen.DraftLine {
		l := webcases.CaseLine(r)
		return apigen.DraftLine{Number: l.Number, Title: l.Title, Vendor: l.Vendor, Severity: l.Severity,
			SeverityWord: l.SeverityWord, ChangedAt: r.ChangedAt}
	})
	out.Lines = web.Each(t.Lines, func(l today.Line) apigen.TodayLine {
		x := apigen.TodayLine{Case: webcases.CaseLine(l.Case), Why: l.Why(), Step: apigen.NextStep(l.Step),
			Item: web.Some(l.Name), ItemKind: web.Some(apigen.DateKind(l.Item)),
			StepWords: words.NextSteps.Of(string(l.Step)),
			Pressure:  float32(l.Pressure), Standing: web.Some(apigen.Standing(l.Standing)),
			Advice: webcases.AdviceOut(l.Advice)}
		if l.HasDue {
			x.Due = web.Ptr(web.Unix(l.Due))
		}
		return x
	})
	return out
}
