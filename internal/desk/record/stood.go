package record

import (
	"context"
	"time"

	"roundhouse.example/internal/desk/hours"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
)

// Moment is an instant as of which something is shown: by what had happened then, or with Known by what was known then.
type Moment struct {
	At    time.Time
	Known bool
}

// Stood is a case as it stood at a moment.
type Stood struct {
	casesdb.Case
	Derived
}

// At gives cases as they stood at a moment, replayed from their records. What the record does not hold, such as the
// facts of a draft and the ladder of a vendor, is as it is today; what nobody keeps, such as what was read or on its
// way then, is left out. Cases that were not opened yet are left out too. They are without their texts and facts.
func (d *Record) At(ctx context.Context, q db.Querier, ids []int64, m Moment) (out []Stood, err error) {
	rows, err := casesdb.BareByIDs(ctx, q, ids)
	if err != nil {
		return nil, err
	}
	return d.at(ctx, q, rows, m)
}

// OneAt is At of one case, whole; db.ErrNotFound where it was not opened yet.
func (d *Record) OneAt(ctx context.Context, q db.Querier, id int64, m Moment) (s Stood, err error) {
	row, err := casesdb.ByID(ctx, q, id)
	if err != nil {
		return s, err
	}
	list, err := d.at(ctx, q, []casesdb.Case{row}, m)
	if err == nil && len(list) == 0 {
		err = db.ErrNotFound
	}
	if err != nil {
		return s, err
	}
	return list[0], nil
}

func (d *Record) at(ctx context.Context, q db.Querier, rows []casesdb.Case, m Moment) (out []Stood, err error) {
	ctx = hours.Remember(ctx)
	ids := make([]int64, len(rows))
	for i := range rows {
		ids[i] = rows[i].ID
	}
	histories, err := casesdb.HistoriesAt(ctx, q, ids, m.At, m.Known)
	if err != nil {
		return nil, err
	}
	vendors := make([]int64, 0, len(rows))
	for i := range rows {
		vendors = append(vendors, rows[i].VendorID)
	}
	ladders, err := ladders(ctx, q, vendors)
	if err != nil {
		return nil, err
	}
	out = make([]Stood, 0, len(rows))
	for i := range rows {
		s := Stood{Case: rows[i]}
		if s.OpenedAt.After(m.At) || len(histories[s.ID]) == 0 {
			continue
		}
		s.ChangedAt, s.DerivedAt, s.LastEntry, s.ReadEntry, s.Unread, s.UnreadSince = m.At, m.At, 0, 0, 0, nil
		if s.Derived, err = d.derive(ctx, q, &s.Case, histories[s.ID], ladders[s.VendorID], m.At); err != nil {
			return nil, err
		}
		out = append(out, s)
	}
	return out, nil
}
