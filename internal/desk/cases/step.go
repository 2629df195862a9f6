package cases

import (
	"context"
	"slices"
	"strings"
	"time"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/enclosing"
	"roundhouse.example/internal/desk/filing"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	outboxdb "roundhouse.example/internal/store/outbox"
)

// StepRequest is a step and what it needs.
type StepRequest struct {
	Step      casework.Step
	Reason    string
	To        int // the new severity, or the rank of the new level
	Until     *time.Time
	Agreed    bool
	Offers    deadline.Offer
	Entry     int
	Move      deadline.Side
	On        casework.On // with Move, on whom exactly; empty for the usual one
	Person    string
	Summary   string // with take and give, where the case stands
	Criterion int64
	// Confirmed are conditions of the level that the person confirms with this step, and
	// Contact who can be reached round the clock, where the level needs it.
	Confirmed []int64
	Contact   string
	Cause     string
	// Disclose is why what must not leave is sent all the same.
	Disclose string
	// With are files that go with a filing.
	With enclosing.Wanted
	// Dates are what a parking waits for.
	Dates Dating
	// Anyway does a step although its limit has passed.
	Anyway bool
	// Route is by which what the vendor is told goes there.
	Route filing.Wanted
}

// Step does one step; match is the version of the case that the person saw.
// A refused step is a *casework.Refusal, a malformed one *Invalid.
func (d *Cases) Step(ctx context.Context, a desk.Actor, id, match int64, r StepRequest) (desk.Ref, error) {
	if err := a.May(access.Work); err != nil {
		return desk.Ref{}, err
	}
	return desk.Once(ctx, d.Desk, func(tx *db.Tx) (ref desk.Ref, err error) {
		err = d.Change(ctx, tx, id, &a, func(w *Work) error {
			if err := w.Matches(match); err != nil {
				return err
			}
			if err := w.Take(ctx, r); err != nil {
				return err
			}
			ref = desk.Ref{ID: w.Case.ID, Number: w.Case.Number, Entry: w.Case.LastEntry}
			return nil
		})
		return ref, err
	})
}

// Take does one step of a case that is locked.
func (w *Work) Take(ctx context.Context, r StepRequest) error {
	if len(r.With.Files) > 0 && r.Step != casework.File {
		return desk.Fault("files", "files go with a filing or a message: send them with a message")
	}
	if r.Dates != nil && r.Step != casework.Park {
		return desk.Fault("dates", "dates go with a message, a call or a parking")
	}
	w.disclose, w.enclosing = r.Disclose, r.With
	now, err := w.Situation(ctx)
	if err != nil {
		return err
	}
	now.HasReason, now.Agreed = strings.TrimSpace(r.Reason) != "", r.Agreed
	rule, err := casework.Check(r.Step, now)
	if err != nil {
		return err
	}
	if rule.TakesBack(now) {
		back := map[casework.Step]casework.Step{casework.Withdraw: casework.File, casework.Resume: casework.Park}[r.Step]
		if err := w.takeBack(ctx, back); err != nil {
			return err
		}
		if r.Step == casework.Resume && !w.Case.Parked {
			return nil
		}
	}
	switch r.Step {
	case casework.Take:
		return w.give(ctx, w.actor.Person, r.Summary)
	case casework.Give:
		return w.giveTo(ctx, r.Person, r.Summary)
	case casework.Confirm:
		return w.confirm(ctx, r.Criterion)
	case casework.ChangeSeverity:
		return w.changeSeverity(ctx, r)
	case casework.File:
		return w.file(ctx, r.Route)
	case casework.Park:
		return w.park(ctx, r)
	case casework.ChangeLevel:
		return w.changeLevel(ctx, r)
	case casework.MarkOffer:
		return w.markOffer(ctx, r)
	case casework.GiveMove:
		return w.giveMove(ctx, r)
	}
	now = now.For(rule)
	return w.plainStep(ctx, r, now, rule.Tells(now, now.ParkedAgreed))
}

// plainStep does one of plainSteps; tells says that the vendor is told.
func (w *Work) plainStep(ctx context.Context, r StepRequest, now casework.Situation, tells bool) (err error) {
	plain := plainSteps[r.Step]
	effect := &casesdb.Effect{Event: plain.event}
	if r.Step == casework.Resolve || r.Step == casework.AcceptFix {
		effect.Sets = &casesdb.Sets{Cause: &r.Cause, Outcome: &r.Reason}
	}
	var via route.Route
	if tells {
		only, err := w.reopening(ctx, r)
		if err != nil {
			return err
		}
		if via, err = w.behind(ctx, r.Route, only); err != nil {
			return err
		}
	}
	if plain.event == deadline.Reopened {
		b, err := w.d.filing.BelongingsOf(ctx, w.Tx, w.Case)
		if err != nil {
			return err
		}
		effect.Kind, effect.Channel, effect.Country = w.Case.Kind, via.Kind, b.Country()
		v, err := w.Vendor(ctx)
		if err != nil {
			return err
		}
		effect.ClosesDays = v.Profile.V.ClosesAfterDays
		if effect.TermsID, effect.PolicyID, err = w.termsNow(ctx); err != nil {
			return err
		}
	}
	if tells {
		text := plain.tells
		if now.HasReason {
			text += "\n\n" + strings.TrimSpace(r.Reason)
		}
		_, err = w.send(ctx, via, plain.action, r.Step, text, effect, outboxdb.Params{})
		return err
	}
	text := plain.says
	if now.HasReason {
		text += " " + strings.TrimSpace(r.Reason)
	}
	_, err = w.Changed(ctx, text, effect)
	return err
}

// plainSteps are those that only tell the vendor and have one effect.
var plainSteps = map[casework.Step]struct {
	action      route.Action
	event       deadline.EventKind
	tells, says string
}{
	casework.RejectFix: {"comment", "fix-rejected", "The fix does not work for us.", "Fix rejected."},
	casework.RejectWorkaround: {"comment", "workaround-rejected", "The workaround does not work for us.",
		"Workaround rejected."},
	casework.AcceptFix: {"comment", "fix-accepted", "The fix works for us. Thank you.", "Fix accepted."},
	casework.Resolve:   {"comment", "resolved", "This is resolved on our side.", "Resolved."},
	casework.Close:     {"close", "closed", "Please close this.", "Closed."},
	casework.Withdraw:  {"close", "withdrawn", "We withdraw this request. Please close it.", "Withdrawn."},
	casework.Reopen:    {"reopen", "reopened", "The problem has come back. Please reopen this.", "Reopened."},
	casework.Dispute: {"reopen", "our-message", "You closed this, but it is not solved. Please reopen it.",
		"Disputed."},
	casework.Resume: {"comment", "unpark", "We are resuming work on this.", "Resumed."},
}

// takeBack gives up a step of which nothing has left.
func (w *Work) takeBack(ctx context.Context, step casework.Step) error {
	open, err := outboxdb.Open(ctx, w.Tx, []int64{w.Case.ID})
	if err != nil {
		return err
	}
	for _, o := range slices.Backward(open) {
		if o.Step == step && o.State.NotLeft() {
			return w.CancelSending(ctx, &o)
		}
	}
	return nil
}
