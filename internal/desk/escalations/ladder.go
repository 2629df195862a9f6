package escalations

import (
	"context"
	"slices"
	"time"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/dated"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/phrasing"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/filing"
	"roundhouse.example/internal/desk/ladders"
	"roundhouse.example/internal/desk/pages"
	"roundhouse.example/internal/desk/record"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
)

// Ladder is the ladder of a case's vendor, with what was raised of it, and a draft for one rung.
type Ladder struct {
	Rungs  []Rung
	Advice *ladders.Advice // nil where nothing is to be escalated
	// MayNot says that the person who asks is not among those who may escalate there, and whom to ask; empty else.
	MayNot string
	Open   bool
	Until  *time.Time
	Zone   string // the vendor's
	Draft  *Draft // nil where there is no rung, or the person writes nothing
}

// Rung is one step of the ladder with what became of it on the case.
type Rung struct {
	register.Rung
	Number int
	When   []string // it is due, in words; none: only by a person
	Raised []Raised // the latest first
}

// Raised is a rung that was raised.
type Raised struct {
	casesdb.Raised
	Answer *record.ItemView // nil where none was awaited
	// Earlier says that it was before the case was reopened.
	Earlier bool
}

// Draft is what can be said to a rung.
type Draft struct {
	Rung    int
	Text    string
	By      *time.Time // by when an answer is asked for
	Because string     // the reason that is recorded where a person gives none; empty where one is required
}

// Ladder reads the ladder of a case. rung is the one to draft for: 0 for the one advised, or the lowest that has not
// been raised.
func (d *Escalations) Ladder(ctx context.Context, a desk.Actor, id int64, rung int) (l Ladder, err error) {
	v, err := d.pages.Case(ctx, a, id)
	if err != nil {
		return l, err
	}
	vendor := v.Filing.Vendor
	raised, err := casesdb.RaisedOf(ctx, d.db.DB, id)
	if err != nil {
		return l, err
	}
	l = Ladder{Advice: v.Advice, Open: v.VendorOpen, Until: v.VendorTill, Zone: vendor.Zone,
		MayNot: filing.MayNotEscalate(vendor.Profile.V, a.Person)}
	highest := 0
	for i, r := range vendor.Profile.V.Ladder {
		x := Rung{Rung: r, Number: i + 1, When: ladders.Conditions(r).When()}
		for _, z := range slices.Backward(raised) {
			if z.Rung != x.Number {
				continue
			}
			one := Raised{Raised: z, Answer: answerOf(v.Dates, z), Earlier: z.Before}
			if x.Raised = append(x.Raised, one); !z.Before {
				highest = x.Number
			}
		}
		l.Rungs = append(l.Rungs, x)
	}
	if len(l.Rungs) == 0 || !v.Line.State.Live() || a.May(access.Work) != nil {
		return l, nil
	}
	switch {
	case rung < 0 || rung > len(l.Rungs):
		return l, desk.Fault("rung", "%s", rungs(vendor))
	case rung == 0 && v.Advice != nil:
		rung = v.Advice.Number
	case rung == 0:
		rung = min(highest+1, len(l.Rungs))
	}
	l.Draft, err = d.draft(ctx, a, v, raised, rung)
	return l, err
}

// answerOf is the dated item that waits, or waited, for the answer to a rung.
func answerOf(items []record.ItemView, r casesdb.Raised) *record.ItemView {
	i := slices.IndexFunc(items, func(x record.ItemView) bool {
		return x.StartEntry == r.Entry && x.Kind == dated.Escalation
	})
	if i < 0 {
		return nil
	}
	last := &items[i]
	for moved := true; moved; { // to where its time was moved
		moved = false
		for n := range items {
			if f := items[n].Follows; f != nil && *f == last.Opened {
				last, moved = &items[n], true
			}
		}
	}
	return last
}

func (d *Escalations) draft(ctx context.Context, a desk.Actor, v pages.View, raised []casesdb.Raised,
	rung int) (*Draft, error) {
	vendor := v.Filing.Vendor
	r := vendor.Profile.V.Ladder[rung-1]
	p, err := d.hours.Ours(ctx, d.db.DB)
	if err != nil {
		return nil, err
	}
	f := facts(a, v, p.DeskName)
	out := &Draft{Rung: rung}
	if out.By, err = d.dates.Within(ctx, d.db.DB, vendor.HoursID, r.Reply, v.Now); err != nil {
		return nil, err
	}
	f.By = db.Unix(out.By)
	because := phrasing.Because{}
	for _, x := range raised {
		if x.Before || x.Rung >= rung {
			continue
		}
		said := phrasing.Raised{Who: x.As.V.Called(), At: x.HappenedAt.Unix()}
		if i := answerOf(v.Dates, x); i != nil && i.Standing == deadline.Late {
			said.Due = i.DueAt.Unix()
		}
		f.Raised = append(f.Raised, said)
	}
	if v.Advice != nil && v.Advice.Number == rung {
		rows, err := casesdb.History(ctx, d.db.DB, v.Line.ID)
		if err != nil {
			return nil, err
		}
		because = round(rows)
		because.Reason, out.Because = v.Advice.Because, v.Advice.Why
	}
	if filing.MayNotEscalate(vendor.Profile.V, a.Person) != "" {
		out.Because = ""
	}
	out.Text = phrasing.Escalate(f, because, phrasing.Of(vendor.Profile.V.Phrases))
	return out, nil
}

// round is when a case was filed or last reopened, how many fixes were rejected since, and how often it was reopened.
func round(rows []casesdb.EffectRow) (b phrasing.Because) {
	for _, r := range rows {
		switch r.Effect.V.Event {
		case deadline.Filed:
			b.Since = r.HappenedAt.Unix()
		case deadline.Reopened:
			b.Since, b.Rejected = r.HappenedAt.Unix(), 0
			b.Reopened++
		case deadline.FixRejected:
			b.Rejected++
		}
	}
	return b
}
