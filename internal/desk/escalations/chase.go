package escalations

import (
	"context"
	"math"
	"time"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/dated"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/phrasing"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/dates"
	"roundhouse.example/internal/desk/pages"
	"roundhouse.example/internal/store/db"
)

// Chase is a message that asks a vendor for what it owes.
type Chase struct {
	Text string
	// By is when an answer is asked for, which is when to chase again; nil where the vendor is never open again. Ask is
	// what is asked by then.
	By  *time.Time
	Ask string
	// Chases is how often it was asked since its last word, the last time at Last.
	Chases int
	Last   *time.Time
}

// asks is what a chase asks, as the record has it.
const asks = "Where this stands"

// Chase drafts a message that chases a live case. The answer is asked for within the quiet limit of its severity, in
// the hours of the vendor's clock that is due first.
func (d *Escalations) Chase(ctx context.Context, a desk.Actor, id int64) (c Chase, err error) {
	if err := a.May(access.Work); err != nil {
		return c, err
	}
	v, err := d.pages.Case(ctx, a, id)
	if err != nil {
		return c, err
	}
	if !v.Line.State.Live() {
		return c, &casework.Refusal{Why: "This is " + v.Line.State.Called() + ": only a live case is chased."}
	}
	p, err := d.hours.Ours(ctx, d.db.DB)
	if err != nil {
		return c, err
	}
	f := facts(a, v, p.DeskName)
	c = Chase{Ask: asks, Chases: v.Line.Chases, Last: v.Line.ChasedAt}
	if c.By, err = d.by(ctx, v, p.Quiet[severityOf(v)]); err != nil {
		return c, err
	}
	f.By = db.Unix(c.By)
	c.Text = phrasing.Chase(f, phrasing.Of(v.Filing.Vendor.Profile.V.Phrases))
	return c, nil
}

// by is when a time after now is over: in the hours in which the vendor's live clock counts that is due first, else in
// the vendor's own; nil where that never comes. A level that counts round the clock is chased round the clock.
func (d *Escalations) by(ctx context.Context, v pages.View, after calendar.Target) (*time.Time, error) {
	var hours *calendar.Lineage
	first := int64(math.MaxInt64)
	for _, k := range v.Deadlines {
		if k.Clock.Outcome == deadline.Live && !k.Clock.Kind.Ours() && k.DueKnown && k.Due < first {
			first, hours = k.Due, k.Clock.Term.Calendar
		}
	}
	if hours == nil {
		return d.dates.DueIn(ctx, d.db.DB, v.Filing.Vendor.HoursID, after, v.Now)
	}
	return dates.After(hours, after, v.Now), nil
}

func severityOf(v pages.View) int {
	if v.Line.Severity == nil {
		return 4
	}
	return *v.Line.Severity
}

// facts are those that a draft says to a vendor of a case. Nothing in them is internal.
func facts(a desk.Actor, v pages.View, deskName string) (f phrasing.Facts) {
	c := &v.Line.Case
	f = phrasing.Facts{Case: casework.Name(c.Number), Reference: v.Line.Reference, Title: c.Title,
		Filed: db.Unix(c.FiledAt), LastWord: db.Unix(c.LastVendorAt)}
	var err error
	if f.Zone, err = time.LoadLocation(v.Filing.Vendor.Zone); err != nil {
		f.Zone = time.UTC // the register has checked it
	}
	if v.Level != nil {
		f.Level = v.Level.Label
	}
	if v.Contract != nil {
		f.Contract = v.Contract.Number
	}
	if v.Line.Row.Asset != nil {
		f.Affected = *v.Line.Row.Asset
		if s := v.Line.AssetSerial; s != nil && *s != "" {
			f.Affected += ", " + *s
		}
	}
	for _, k := range v.Deadlines {
		if !k.Clock.Kind.Ours() && k.Standing == deadline.Late {
			f.Clocks = append(f.Clocks, phrasing.Clock{Kind: k.Clock.Kind, Target: k.Clock.Seconds,
				Days: k.Clock.Term.Target.Days, Counted: k.Counted, Due: k.Due, DueKnown: k.DueKnown})
		}
	}
	for _, x := range v.Dates {
		silent := x.Kind == dated.Escalation || x.Kind == dated.Receipt || x.Kind == dated.NeededBy
		if x.Standing == deadline.Late && x.Owed == deadline.Theirs && !silent && x.Words != asks {
			f.Items = append(f.Items, phrasing.Item{Kind: x.Kind, What: x.Words, Set: x.SetAt.Unix(), Due: x.DueAt.Unix()})
		}
	}
	f.Signed = append(f.Signed, a.Name+", "+deskName)
	if a.Phone != "" {
		f.Signed = append(f.Signed, a.Phone)
	}
	return f
}
