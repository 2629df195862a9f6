package pages

import (
	"context"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/hours"
	"roundhouse.example/internal/desk/ladders"
	"roundhouse.example/internal/desk/record"
	casesdb "roundhouse.example/internal/store/cases"
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
		i := record.ItemOf(x)
		v.Dates = append(v.Dates, record.ItemView{NamedItem: casesdb.NamedItem{DatedItem: x},
			Standing: i.Standing(m.At.Unix())})
	}
	lateness(v.Dates, ours, m.At)
	if stood.Numbers.Vendor != "" {
		v.References = append(v.References, Reference{Reference: casework.Reference{Owner: casework.Vendors,
			Role: casework.Current, Value: stood.Numbers.Vendor}})
	}
	if v.Advice, err = ladders.Advised(ctx, q, d.hours, g, c, v.Filing.Vendor); err != nil {
		return v, err
	}
	if c.State.Live() {
		v.Next, err = d.today.LineOf(ctx, q, g, stood, ours, m.At)
		v.Advice.NameIn(v.Next)
	}
	return v, err
}

// EntriesAt is a part of the record as it stood at a moment: what had happened then, or was known.
func (d *Pages) EntriesAt(ctx context.Context, a desk.Actor, id int64, after, limit int,
	m record.Moment) (out []EntryView, more bool, err error) {
	out, more, err = d.entries(ctx, a, id, after, limit, &m.At, m.Known)
	for i := range out {
		out[i].Delivery, out[i].Enclosed = nil, nil // how it stands today says nothing of then
	}
	return out, more, err
}
