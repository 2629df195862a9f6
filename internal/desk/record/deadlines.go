package record

import (
	"context"
	"fmt"
	"strings"
	"time"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/severity"
	"roundhouse.example/internal/core/words"
	"roundhouse.example/internal/desk"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	registerdb "roundhouse.example/internal/store/register"
)

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

// Deadlines replays a case at an instant and explains every clock of it.
func (d *Record) Deadlines(ctx context.Context, a desk.Actor, id int64, m Moment) ([]DeadlineView, error) {
	if err := a.May(access.Read); err != nil {
		return nil, err
	}
	c, err := casesdb.ByID(ctx, d.db.DB, id)
	if err == nil && !a.Grant().SeesVendor(c.VendorID) {
		err = db.ErrNotFound
	}
	if err != nil {
		return nil, err
	}
	if m.Known {
		return d.ExplainedAt(ctx, d.db.DB, &c, m)
	}
	return d.Explained(ctx, d.db.DB, &c, m.At)
}

// Explained are the deadlines of a case that is at hand, replayed at an instant.
func (d *Record) Explained(ctx context.Context, q db.Querier, c *casesdb.Case, asOf time.Time) ([]DeadlineView, error) {
	history, err := d.history(ctx, q, c.ID)
	if err != nil {
		return nil, err
	}
	return explained(ctx, q, c, history, asOf)
}

// ExplainedAt are the deadlines of a case as they stood at a moment.
func (d *Record) ExplainedAt(ctx context.Context, q db.Querier, c *casesdb.Case, m Moment) ([]DeadlineView, error) {
	rows, err := casesdb.HistoriesAt(ctx, q, []int64{c.ID}, m.At, m.Known)
	if err != nil {
		return nil, err
	}
	history, err := d.events(ctx, q, rows[c.ID])
	if err != nil {
		return nil, err
	}
	return explained(ctx, q, c, history, m.At)
}

func explained(ctx context.Context, q db.Querier, c *casesdb.Case, history []deadline.Event,
	asOf time.Time) ([]DeadlineView, error) {
	levels, err := registerdb.Levels(ctx, q, c.VendorID)
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
	who := "The vendor owes"
	if c.Kind.Ours() {
		who = "We owe"
	}
	var b strings.Builder
	fmt.Fprintf(&b, "%s this within %s (calendar %s, %s): %s counted of %s", who, words.Target(c.Term.Target.String()),
		v.Calendar, v.Label,
		words.Span(v.Counted), words.Span(c.Seconds))
	paused := 0
	for _, s := range v.Segments {
		if !s.Counted {
			paused++
		}
	}
	if paused > 0 {
		fmt.Fprintf(&b, ", not counting %s",
			map[bool]string{true: "one pause", false: fmt.Sprintf("%d pauses", paused)}[paused == 1])
	}
	switch v.Standing {
	case deadline.Late, deadline.StandsMetLate, deadline.StandsMissed:
		if v.Late > 0 { // else it is late, but by no time that the calendar counts
			fmt.Fprintf(&b, "; %s late", words.Span(v.Late))
		}
	case deadline.Paused:
		b.WriteString("; paused")
	}
	return b.String() + "."
}
