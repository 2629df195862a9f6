package desk

import (
	"context"
	"fmt"
	"strings"
	"time"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/attention"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/intake"
	"roundhouse.example/internal/core/severity"
	"roundhouse.example/internal/store"
)

// CaseView is everything a case's page shows besides the record.
type CaseView struct {
	Line       CaseLine
	Filing     filing
	References []store.Reference
	Allowed    []casework.Step
	Needs      []intake.Need
	Deadlines  []DeadlineView
	Deliveries []store.Delivery
	Carried    map[int64]Carried // of the deliveries that a person takes there
	Routes     []string          // channels by which it can go, the usual one first
	Attested   []store.Attested
	Level      *store.Level
	Contract   *store.Contract
	Supported  *severity.Grade
	Warning    string
	Next       *attention.Line
	Zone       string
	VendorOpen bool
	VendorTill *time.Time
	Preview    string
	Asked      []Question
}

// Question is one field of the vendor's form, with its answer.
type Question struct {
	intake.Question
	Type    string
	Choices []string
	Given   bool // by a person, not by the register
}

// DeadlineView is one clock explained.
type DeadlineView struct {
	deadline.Row
	Calendar string
	Label    string // the vendor's level in its own word
	Late     int64  // covered seconds after the due
	Segments []SegmentView
	Words    string
}

// SegmentView is a stretch with the covered seconds in it.
type SegmentView struct {
	deadline.Segment
	Covered int64
}

// Find names a case by its number or any reference.
func (d *Desk) Find(ctx context.Context, name string) (int64, error) {
	return store.FindCase(ctx, d.Store.DB, name)
}

// Case is a case whole.
func (d *Desk) Case(ctx context.Context, a Actor, id int64) (CaseView, error) {
	var v CaseView
	if err := a.may(access.Read); err != nil {
		return v, err
	}
	q := d.Store.DB
	row, err := store.CaseRowByID(ctx, q, id)
	if err != nil {
		return v, err
	}
	g, err := d.fresh(ctx, q)
	if err != nil {
		return v, err
	}
	live, err := d.liveOf(ctx, g, []store.CaseRow{row})
	if err != nil {
		return v, err
	}
	now := d.Now()
	v.Line = d.line(row, live, now.Unix())
	c := &row.Case
	if v.Filing, err = d.prepare(ctx, q, c); err != nil {
		return v, err
	}
	v.Level, v.Contract, v.Attested = v.Filing.level, v.Filing.contract, v.Filing.attested
	if v.Filing.gradeErr == nil {
		v.Supported = &v.Filing.grade
		if c.Severity != nil {
			v.Warning = severity.Override(v.Filing.grade.Level, severity.Level(*c.Severity))
		}
	}
	if c.State == string(casework.Draft) {
		for i, x := range v.Filing.vendor.Profile.V.Asks(c.Kind) {
			v.Asked = append(v.Asked, Question{v.Filing.story.Asked[i], x.Type, v.Filing.choices(x), c.Answers.V[x.Key] != ""})
		}
		v.Needs, v.Preview = intake.Missing(v.Filing.story), intake.Compose(v.Filing.story)
	}
	if v.References, err = store.References(ctx, q, []int64{id}); err != nil {
		return v, err
	}
	if v.Deliveries, err = store.OpenDeliveries(ctx, q, []int64{id}); err != nil {
		return v, err
	}
	if v.Carried, err = d.carried(ctx, c, v.Filing.vendor, v.Deliveries, v.Line.Reference); err != nil {
		return v, err
	}
	if v.Routes = v.Filing.routes(); c.State != string(casework.Draft) {
		sent, err := store.Deliveries(ctx, q, id)
		if err != nil {
			return v, err
		}
		v.Routes = ways(v.Filing.vendor, v.Filing.link != nil, v.References, sent)
	}
	if access.May(a.Role, access.Work) {
		v.Allowed = casework.Allowed(situationOf(c, v.Deliveries))
	}
	if v.Deadlines, err = d.Deadlines(ctx, id, now); err != nil {
		return v, err
	}
	p, err := g.policy(ctx, q, 0)
	if err != nil {
		return v, err
	}
	v.Zone = p.hours.Latest().Location().String()
	if v.Next, err = d.lineAt(ctx, q, g, pressingOf(c), p.hours.At(now.Unix()), now); err != nil {
		return v, err
	}
	v.VendorOpen, v.VendorTill, err = d.hours(ctx, g, v.Filing.vendor)
	return v, err
}

// pressingOf is what Today asks of a case's row.
func pressingOf(c *store.Case) store.Pressing {
	return store.Pressing{ID: c.ID, Number: c.Number, State: c.State, Severity: c.Severity, OwnerID: c.OwnerID, Unread: c.Unread, UnreadSince: c.UnreadSince,
		VendorClosedAt: c.VendorClosedAt, Parked: c.Parked, ParkedUntil: c.ParkedUntil, NextAt: c.NextAt, Asks: true}
}

// Deadlines replays a case at an instant and explains every clock of it.
func (d *Desk) Deadlines(ctx context.Context, id int64, asOf time.Time) ([]DeadlineView, error) {
	q := d.Store.DB
	history, err := d.history(ctx, q, id)
	if err != nil {
		return nil, err
	}
	c, err := store.CaseByID(ctx, q, id)
	if err != nil {
		return nil, err
	}
	levels, err := store.Levels(ctx, q, c.VendorID)
	if err != nil {
		return nil, err
	}
	at := asOf.Unix()
	var out []DeadlineView
	for _, r := range deadline.Replay(history, at).Rows(at) {
		hours := r.Clock.Hours(at)
		v := DeadlineView{Row: r, Calendar: r.Clock.Term.Calendar.Name}
		for _, l := range levels {
			if !r.Clock.Kind.Ours() && l.Rank == r.Clock.Rank {
				v.Label = l.Label
			}
		}
		if r.Clock.Kind.Ours() {
			v.Label = severity.Level(r.Clock.Rank).String()
		}
		if r.DueKnown && r.CountedTo > r.Due {
			v.Late = hours.Span(r.Due, r.CountedTo)
		}
		for _, s := range r.Clock.Segments {
			s.To = min(s.To, r.CountedTo)
			if s.To <= s.From {
				continue
			}
			v.Segments = append(v.Segments, SegmentView{s, hours.Span(s.From, s.To)})
		}
		v.Words = v.explain()
		out = append(out, v)
	}
	return out, nil
}

// explain says a clock in one sentence.
func (v *DeadlineView) explain() string {
	c := v.Clock
	who := "They owe"
	if c.Kind.Ours() {
		who = "We owe"
	}
	var b strings.Builder
	fmt.Fprintf(&b, "%s this within %s of %s at %s: %s counted of %s", who, c.Term.Target, v.Calendar, v.Label, attention.Span(v.Counted), attention.Span(c.Seconds))
	paused := 0
	for _, s := range v.Segments {
		if !s.Counted {
			paused++
		}
	}
	if paused > 0 {
		fmt.Fprintf(&b, ", %s left out", map[bool]string{true: "one pause", false: fmt.Sprintf("%d pauses", paused)}[paused == 1])
	}
	switch v.Standing {
	case deadline.Late, deadline.StandsMetLate, deadline.StandsMissed:
		fmt.Fprintf(&b, "; %s late", attention.Span(v.Late))
	case deadline.Paused:
		b.WriteString("; it waits")
	}
	return b.String() + "."
}

// EntryView is a line of the record with how its sending stands.
type EntryView struct {
	store.Entry
	Delivery *store.Delivery
}

// Entries is a part of the record in order of number.
func (d *Desk) Entries(ctx context.Context, a Actor, id int64, after, limit int) (out []EntryView, more bool, err error) {
	if err := a.may(access.Read); err != nil {
		return nil, false, err
	}
	rows, err := store.Entries(ctx, d.Store.DB, id, after, limit+1)
	if err != nil {
		return nil, false, err
	}
	if more = len(rows) > limit; more {
		rows = rows[:limit]
	}
	deliveries, err := store.Deliveries(ctx, d.Store.DB, id)
	if err != nil {
		return nil, false, err
	}
	byEntry := map[int]*store.Delivery{}
	for i := range deliveries {
		byEntry[deliveries[i].EntryNumber] = &deliveries[i]
	}
	for _, e := range rows {
		out = append(out, EntryView{e, byEntry[e.Number]})
	}
	return out, more, nil
}

// Entry is one line of the record.
func (d *Desk) Entry(ctx context.Context, id int64, number int) (EntryView, error) {
	rows, _, err := d.Entries(ctx, Actor{store.Person{Role: "auditor"}}, id, number-1, 1)
	if err == nil && len(rows) == 0 {
		err = store.ErrNotFound
	}
	if err != nil {
		return EntryView{}, err
	}
	return rows[0], nil
}
