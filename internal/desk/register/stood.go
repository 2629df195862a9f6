package register

import (
	"context"
	"errors"
	"time"

	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/store/db"
	hoursdb "roundhouse.example/internal/store/hours"
)

// ContractAt is a contract with the targets that were in force at an instant that has passed, and since when; nil where
// it had none yet. All else of it is as it is now: earlier values of that are not kept.
func (d *Register) ContractAt(ctx context.Context, a desk.Actor, id int64, at time.Time) (t Thing[register.Contract],
	since *time.Time, err error) {
	if at.After(d.Now()) {
		return t, nil, desk.Fault("at", "this is in the future: give a time that has passed")
	}
	if t, err = Contracts.Get(ctx, d, a, id); err != nil {
		return t, nil, err
	}
	t.Facts.Terms, t.Facts.OnChange, t.Facts.WhileOurs = nil, "", ""
	v, err := hoursdb.TermsAt(ctx, d.db.DB, &id, at)
	if errors.Is(err, db.ErrNotFound) || err == nil && v.MadeAt.After(at) {
		return t, nil, nil
	}
	if err != nil {
		return t, nil, err
	}
	rows, err := hoursdb.TermsRows(ctx, d.db.DB, []int64{v.ID})
	if err != nil {
		return t, nil, err
	}
	g, err := d.hours.Compiled(ctx, d.db.DB)
	if err != nil {
		return t, nil, err
	}
	t.Facts.Terms, err = d.hours.TermsFrom(ctx, d.db.DB, g, rows)
	t.Facts.OnChange, t.Facts.WhileOurs = v.OnChange, v.WhileOurs
	return t, &v.MadeAt, err
}
