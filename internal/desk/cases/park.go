package cases

import (
	"context"
	"fmt"
	"strings"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/desk"
	casesdb "roundhouse.example/internal/store/cases"
	outboxdb "roundhouse.example/internal/store/outbox"
)

func (w *Work) park(ctx context.Context, r StepRequest) error {
	if r.Until == nil || !r.Until.After(w.Now) {
		return desk.Fault("until", "this is in the past: give a later time")
	}
	until := r.Until.UTC().Truncate(time.Second)
	date := until.Format("2006-01-02 15:04 UTC")
	effect := &casesdb.Effect{Event: deadline.Park, Agreed: r.Agreed, Until: &until}
	if !r.Agreed {
		e, err := w.Changed(ctx, fmt.Sprintf("Parked until %s. %s", date, strings.TrimSpace(r.Reason)), effect)
		if err == nil && r.Dates != nil {
			err = r.Dates.Along(ctx, w, e)
		}
		return err
	}
	var p outboxdb.Params
	if r.Dates != nil {
		var err error
		if p, err = r.Dates.Checked(ctx, w); err != nil {
			return err
		}
	}
	// What is agreed with the vendor takes effect, on both sides, when the vendor has been told.
	text := fmt.Sprintf("As agreed, this is on hold until %s.\n\n%s", date, strings.TrimSpace(r.Reason))
	via, err := w.behind(ctx, r.Route, nil)
	if err != nil {
		return err
	}
	_, err = w.send(ctx, via, "comment", casework.Park, text, effect, p)
	return err
}
