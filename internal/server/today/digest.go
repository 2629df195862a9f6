package today

import (
	"context"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/desk/digest"
	"roundhouse.example/internal/desk/today"
	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/server/web"
)

// GetDigest is what who comes on needs to know.
func (h *Today) GetDigest(ctx context.Context,
	r apigen.GetDigestRequestObject) (apigen.GetDigestResponseObject, error) {
	var since time.Time
	if r.Params.Since != nil {
		since = *r.Params.Since
	}
	d, err := h.desk().Digests.Of(ctx, web.Actor(ctx), since)
	if err != nil {
		return nil, err
	}
	return apigen.GetDigest200JSONResponse{AsOf: d.AsOf, Since: d.Since, Until: d.Until, Zone: d.Zone,
		More: d.MoreHappened, Happened: web.Each(d.Happened, newsOut), Late: web.Each(d.Late, dueOut),
		Due: web.Each(d.Due, dueOut),
		Held: web.Each(d.Held, func(x digest.Held) apigen.Held {
			return apigen.Held{Name: x.Name, Live: x.Live, OnUs: x.OnUs, Severe: x.Severe, Late: x.Late}
		})}, nil
}

func dueOut(x today.Coming) apigen.DueMark {
	return apigen.DueMark{Vendor: x.Vendor, Mark: markOut(x.Mark)}
}

func markOut(m today.Mark) apigen.Mark {
	return apigen.Mark{Case: casework.Name(m.Case), Title: m.Title, Severity: m.Severity, At: m.At, What: m.What,
		Owed: m.Owed, Standing: apigen.Standing(m.Standing)}
}

// newsOut says what has happened on a case, in words.
func newsOut(x digest.Happened) apigen.CaseNews {
	out := apigen.CaseNews{Case: casework.Name(x.Number), Title: x.Title, Vendor: x.Vendor, Severity: x.Severity,
		State: casework.State(x.State), What: digest.News(x)}
	return out
}
