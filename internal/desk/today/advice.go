package today

import (
	"context"

	"roundhouse.example/internal/desk/hours"
	"roundhouse.example/internal/desk/ladders"
	registerdb "roundhouse.example/internal/store/register"
)

// advise names the rungs that lines of Today advise to escalate to.
func (d *Today) advise(ctx context.Context, g *hours.Compiled, lines []Line) error {
	var ids []int64
	for i := range lines {
		if lines[i].Rung > 0 {
			ids = append(ids, lines[i].Case.VendorID)
		}
	}
	if len(ids) == 0 {
		return nil
	}
	vendors, err := registerdb.VendorsByID(ctx, d.db.DB, ids)
	if err != nil {
		return err
	}
	for i := range lines {
		l := &lines[i]
		if l.Rung == 0 {
			continue
		}
		if l.Advice, err = ladders.Advised(ctx, d.db.DB, d.hours, g, &l.Case.Case, vendors[l.Case.VendorID]); err != nil {
			return err
		}
		l.Advice.NameIn(&l.Line)
	}
	return nil
}
