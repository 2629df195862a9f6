// Package escalations asks a vendor for what it owes: by chasing a case, and by escalating it along the vendor's
// ladder; docs/rules.md, section 9. What is said is drafted from the record, and goes once a person has read it.
package escalations

import (
	"cmp"
	"context"
	"strconv"
	"strings"
	"time"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/dates"
	"roundhouse.example/internal/desk/filing"
	"roundhouse.example/internal/desk/hours"
	"roundhouse.example/internal/desk/ladders"
	"roundhouse.example/internal/desk/pages"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	outboxdb "roundhouse.example/internal/store/outbox"
	registerdb "roundhouse.example/internal/store/register"
)

// Escalations is the subject. Use New.
type Escalations struct {
	*desk.Desk
	db    *db.Store
	cases *cases.Cases
	dates *dates.Dates
	hours *hours.Hours
	pages *pages.Pages
}

// New makes the subject over a desk's database.
func New(d *desk.Desk, s *db.Store, c *cases.Cases, dates *dates.Dates, h *hours.Hours, p *pages.Pages) *Escalations {
	return &Escalations{d, s, c, dates, h, p}
}

// Raising is a rung of the vendor's ladder to be raised, with what is said to it.
type Raising struct {
	Rung int
	// Why is required where that rung is not the one advised.
	Why  string
	Text string
	// Told is how a person has told them already; nil where the text goes to the vendor as a message.
	Told *Told
	// Move is whose move it is then: empty for the usual one after a message, theirs after an answer.
	Move deadline.Side
	// The rest is for a message.
	By       filing.Wanted
	Seen     *int
	Disclose string
}

// Told is how a person of ours told a rung, and what it answered at once.
type Told struct {
	Who string // empty for who the ladder names
	At  time.Time
	By  route.Kind // phone where empty
	// Answer is what they said, empty where nobody answered, with what it dates.
	Answer string
	Dates  []dates.Setting
}

// Raise tells a rung of the ladder. It counts from when it was told, or from when its message has left.
func (d *Escalations) Raise(ctx context.Context, a desk.Actor, id int64, r Raising) (desk.Ref, error) {
	if err := a.May(access.Work); err != nil {
		return desk.Ref{}, err
	}
	if strings.TrimSpace(r.Text) == "" {
		return desk.Ref{}, desk.Fault("text", "the text is empty")
	}
	return desk.Once(ctx, d.Desk, func(tx *db.Tx) (ref desk.Ref, err error) {
		err = d.cases.Change(ctx, tx, id, &a, func(w *cases.Work) error {
			raises, err := raisable(ctx, w, a, r)
			if err != nil {
				return err
			}
			var e casesdb.Entry
			if r.Told != nil {
				e, err = d.told(ctx, w, r, raises)
			} else {
				e, err = w.Send(ctx, cases.Written{Text: r.Text, Move: r.Move, By: r.By, Seen: r.Seen, Disclose: r.Disclose,
					Raises: &raises})
			}
			ref = desk.Ref{ID: w.Case.ID, Number: w.Case.Number, Entry: e.Number}
			return err
		})
		return ref, err
	})
}

// raisable is the rung as the ladder has it now, with why it is raised: the reason that is given, or that of the
// advice.
func raisable(ctx context.Context, w *cases.Work, a desk.Actor, r Raising) (out outboxdb.Raising, err error) {
	if !w.Case.State.Live() {
		return out, &casework.Refusal{Why: "This is " + w.Case.State.Called() + ": only a live case is escalated.",
			Allowed: w.Allowed(ctx)}
	}
	v, err := w.Vendor(ctx)
	if err != nil {
		return out, err
	}
	ladder := v.Profile.V.Ladder
	if r.Rung < 1 || r.Rung > len(ladder) {
		return out, desk.Fault("rung", "%s", rungs(v))
	}
	rung := ladder[r.Rung-1]
	out = outboxdb.Raising{Rung: r.Rung, Of: len(ladder), As: rung, Why: strings.TrimSpace(r.Why)}
	advised := w.Case.Advice != nil && *w.Case.Advice == r.Rung
	if out.Why == "" && advised {
		out.Why = ladders.Why(w.Case.AdviceBecause, rung)
	}
	why := filing.MayNotEscalate(v.Profile.V, a.Person)
	switch {
	case why != "" && strings.TrimSpace(r.Why) == "":
		return out, desk.Fault("reason", "%s; or say why you escalate it all the same", why)
	case out.Why == "":
		return out, desk.Fault("reason", "say why: this rung is not the one that is advised now")
	}
	return out, nil
}

// rungs says which rungs there are.
func rungs(v registerdb.Vendor) string {
	switch n := len(v.Profile.V.Ladder); n {
	case 0:
		return v.Name + " has no ladder yet: add its rungs to the vendor"
	case 1:
		return "the ladder of " + v.Name + " has one rung, 1"
	default:
		return "the ladder of " + v.Name + " has the rungs 1 to " + strconv.Itoa(n)
	}
}

// told writes down that a person has told a rung, and what it answered.
func (d *Escalations) told(ctx context.Context, w *cases.Work, r Raising, as outboxdb.Raising) (casesdb.Entry, error) {
	who := cmp.Or(strings.TrimSpace(r.Told.Who), as.As.Called())
	e, err := w.Say(ctx, cases.Heard{With: who, At: r.Told.At, By: r.Told.By, Text: r.Text})
	if err != nil {
		return e, err
	}
	answered := 0
	if strings.TrimSpace(r.Told.Answer) != "" {
		a, err := w.Hear(ctx, cases.Heard{With: who, At: r.Told.At, By: r.Told.By, Text: r.Told.Answer,
			Move:  cmp.Or(r.Move, deadline.Theirs), // to answer an escalation is to carry on
			Dates: d.dates.Along(r.Told.Dates, nil)})
		if err != nil {
			return e, err
		}
		answered = a.Number
	} else if len(r.Told.Dates) > 0 {
		return e, desk.Fault("answer", "say what they answered, or leave the dates out")
	}
	return e, d.dates.Raise(ctx, w, as, e.Number, e.HappenedAt, answered)
}
