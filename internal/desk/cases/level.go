package cases

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/intake"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/core/severity"
	"roundhouse.example/internal/desk"
	casesdb "roundhouse.example/internal/store/cases"
	outboxdb "roundhouse.example/internal/store/outbox"
	registerdb "roundhouse.example/internal/store/register"
)

func (w *Work) confirm(ctx context.Context, criterion int64) error {
	levels, err := w.levels(ctx)
	if err != nil {
		return err
	}
	for _, l := range levels {
		for _, k := range l.Criteria {
			if k.ID == criterion {
				if err := casesdb.Confirm(ctx, w.Tx, w.Case.ID, k.ID, w.actor.ID, w.Now); err != nil {
					return err
				}
				_, err := w.Changed(ctx, fmt.Sprintf("Confirmed for %q: %s", l.Label, k.Text), nil)
				return err
			}
		}
	}
	return desk.Fault("criterion", "this vendor has no condition %d", criterion)
}

func (w *Work) changeSeverity(ctx context.Context, r StepRequest) error {
	to := severity.Level(r.To)
	if !to.Valid() {
		return desk.Fault("to", "the severity is 1, 2, 3 or 4")
	}
	if w.Case.Severity != nil && *w.Case.Severity == r.To {
		return nil
	}
	_, err := w.Changed(ctx, fmt.Sprintf("Severity %d (%s). %s", r.To, to, strings.TrimSpace(r.Reason)),
		&casesdb.Effect{Event: deadline.Severity, To: r.To})
	return err
}

func (w *Work) changeLevel(ctx context.Context, r StepRequest) error {
	levels, err := w.levels(ctx)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(levels, func(l registerdb.Level) bool { return l.Rank == r.To })
	if i < 0 {
		return desk.Fault("to", "this vendor has levels 1 to %d", len(levels))
	}
	l := levels[i]
	criteria, always, err := w.readyFor(ctx, l, r)
	if err != nil {
		return err
	}
	via, err := w.behind(ctx, r.Route, l.Channels.V)
	if err != nil {
		return err
	}
	_, err = w.send(ctx, via, route.Level, casework.ChangeLevel, intake.Asking(l.Label, r.Reason, criteria, always),
		&casesdb.Effect{Event: deadline.Level, To: l.Rank}, outboxdb.Params{Level: l.Label})
	return err
}

// readyFor holds a request for a level to the same conditions as a filing at it: each one
// confirmed by somebody, and a contact round the clock where it needs one. It gives both.
func (w *Work) readyFor(ctx context.Context, l registerdb.Level, r StepRequest) (criteria []intake.Statement,
	always string, err error) {
	for _, id := range r.Confirmed {
		if err := w.confirm(ctx, id); err != nil {
			return nil, "", err
		}
	}
	if contact := strings.TrimSpace(r.Contact); contact != "" {
		w.Case.Texts.V.ContactAlways = contact
	}
	confirmed, err := casesdb.Confirmations(ctx, w.Tx, w.Case.ID)
	if err != nil {
		return nil, "", err
	}
	var wrong []desk.Field
	for _, k := range l.Criteria {
		i := slices.IndexFunc(confirmed, func(a casesdb.Confirmed) bool { return a.CriterionID == k.ID })
		if i < 0 {
			wrong = append(wrong, desk.Field{Name: "confirmed", Detail: fmt.Sprintf("not confirmed yet: %s", k.Text)})
			continue
		}
		criteria = append(criteria, intake.Statement{Text: k.Text, By: confirmed[i].Person})
	}
	if l.RoundTheClock {
		if always, _, err = w.d.filing.Always(ctx, w.Tx, w.Case.Texts.V.ContactAlways); err != nil {
			return nil, "", err
		}
		if why := intake.Unreachable(always); why != "" {
			wrong = append(wrong, desk.Field{Name: "contact",
				Detail: fmt.Sprintf("the level %q needs a contact who can be reached round the clock: %s", l.Label, why)})
		}
	}
	if len(wrong) > 0 {
		return nil, "", &desk.Invalid{Fields: wrong}
	}
	return criteria, always, nil
}
