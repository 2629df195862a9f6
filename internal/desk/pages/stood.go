package pages

import (
	"context"
	"time"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/dated"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/hours"
	"roundhouse.example/internal/desk/ladders"
	"roundhouse.example/internal/desk/record"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	registerdb "roundhouse.example/internal/store/register"
)

// CaseAt is a case as it stood at a moment: its state, deadlines, dates and numbers, but nothing that can be done.
func (d *Pages) CaseAt(ctx context.Context, a desk.Actor, id int64, m record.Moment) (v View, err error) {
	if err := a.May(access.Read); err != nil {
		return v, err
	}
	ctx = hours.Remember(ctx)
	line, stood, err := d.today.CaseAt(ctx, a, id, m)
	if err != nil {
		return v, err
	}
	q := d.db.DB
	c := &stood.Case
	v.Line, v.Now = line, m.At
	if v.Filing.Vendor, err = registerdb.VendorByID(ctx, q, c.VendorID); err != nil {
		return v, err
	}
	if c.ContractID != nil {
		k, err := registerdb.ContractByID(ctx, q, *c.ContractID)
		if err != nil {
			return v, err
		}
		v.Contract = &k
	}
	g, err := d.hours.Compiled(ctx, q)
	if err != nil {
		return v, err
	}
	p, err := g.Policy(ctx, q, 0)
	if err != nil {
		return v, err
	}
	ours := p.Hours.At(m.At.Unix())
	v.Zone = p.Hours.Latest().Location().String()
	if v.Deadlines, err = d.record.ExplainedAt(ctx, q, c, m); err != nil {
		return v, err
	}
	for _, x := range stood.Dated {
		v.Dates = append(v.Dates, itemAt(x, m.At))
	}
	if stood.Numbers.Vendor != "" {
		v.References = append(v.References, Reference{Reference: casework.Reference{Owner: casework.Vendors,
			Role: casework.Current, Value: stood.Numbers.Vendor}})
	}
	if v.Advice, err = ladders.Advised(ctx, q, d.hours, g, c, v.Filing.Vendor); err != nil {
		return v, err
	}
	if c.State.Live() {
		v.Next, err = d.today.LineOf(ctx, q, g, stood, ours, m.At)
	}
	return v, err
}

// itemAt is a dated item as it stood at an instant.
func itemAt(x casesdb.DatedItem, at time.Time) record.ItemView {
	i := dated.Item{Set: x.SetAt.Unix(), Due: x.DueAt.Unix(), End: db.Unix(x.EndedAt),
		Outcome: record.OutcomeOf(x.Outcome)}
	v := record.ItemView{NamedItem: casesdb.NamedItem{DatedItem: x}, Standing: i.Standing(at.Unix())}
	if v.Standing == deadline.Late {
		v.Late = at.Unix() - i.Due
	}
	return v
}

// EntriesAt is a part of the record as it stood at a moment: what had happened then, or was known.
func (d *Pages) EntriesAt(ctx context.Context, a desk.Actor, id int64, after, limit int,
	m record.Moment) (out []EntryView, more bool, err error) {
	all, more, err := d.Entries(ctx, a, id, after, limit)
	for _, e := range all {
		if !e.HappenedAt.After(m.At) && (!m.Known || !e.RecordedAt.After(m.At)) {
			e.Delivery, e.Enclosed = nil, nil // how it stands today says nothing of then
			out = append(out, e)
		}
	}
	return out, more, err
}
