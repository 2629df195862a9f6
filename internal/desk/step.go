package desk

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/intake"
	"roundhouse.example/internal/core/severity"
	"roundhouse.example/internal/store"
)

// Steps that are not in the table: they change who has the case or how it is
// graded on our side, and the vendor hears nothing of them.
const (
	Take           casework.Step = "take"
	Give           casework.Step = "give"
	Attest         casework.Step = "attest"
	ChangeSeverity casework.Step = "change-severity"
)

// StepRequest is a step and what it needs.
type StepRequest struct {
	Step      casework.Step
	Reason    string
	To        int // the new severity, or the rank of the new level
	Until     *time.Time
	Agreed    bool
	Offers    string
	Entry     int
	Move      string
	Person    string
	Criterion int64
	// Confirmed are conditions of the level that the person confirms with this step, and
	// Contact who can be reached round the clock, where the level needs it.
	Confirmed []int64
	Contact   string
	Cause     string
	// Channel is by which what the vendor is told goes there; empty for the usual one.
	Channel string
}

// TakeStep does one step; match is the version of the case that the person saw.
// A refused step is a *casework.Refusal, a malformed one *Invalid.
func (d *Desk) TakeStep(ctx context.Context, a Actor, id, match int64, r StepRequest) (Ref, error) {
	if err := a.may(access.Work); err != nil {
		return Ref{}, err
	}
	return once(ctx, d, func(tx *store.Tx) (ref Ref, err error) {
		err = d.change(ctx, tx, id, &a, func(w *work) error {
			if err := w.matches(match); err != nil {
				return err
			}
			if err := w.step(ctx, r); err != nil {
				return err
			}
			ref = Ref{ID: w.c.ID, Number: w.c.Number, Entry: w.c.LastEntry}
			return nil
		})
		return ref, err
	})
}

func (w *work) step(ctx context.Context, r StepRequest) error {
	switch r.Step {
	case Take:
		return w.give(ctx, w.actor.Person)
	case Give:
		return w.giveTo(ctx, r.Person)
	case Attest:
		return w.attest(ctx, r.Criterion)
	case ChangeSeverity:
		return w.changeSeverity(ctx, r)
	}
	now, err := w.situation(ctx)
	if err != nil {
		return err
	}
	now.HasReason, now.Agreed = strings.TrimSpace(r.Reason) != "", r.Agreed
	rule, err := casework.Check(r.Step, now)
	if err != nil {
		return err
	}
	if rule.TakesBack(now) {
		if err := w.takeBack(ctx, now.Waiting); err != nil {
			return err
		}
		if r.Step == casework.Return && !w.c.Parked {
			return nil
		}
	}
	switch r.Step {
	case casework.File:
		return w.file(ctx, r.Channel)
	case casework.Park:
		return w.park(ctx, r)
	case casework.ChangeLevel:
		return w.changeLevel(ctx, r)
	case casework.MarkOffer:
		return w.markOffer(ctx, r)
	case casework.GiveMove:
		return w.giveMove(ctx, r)
	}
	plain := plainSteps[r.Step]
	if r.Step == casework.Resolve || r.Step == casework.AcceptFix {
		w.c.Cause, w.c.Outcome = r.Cause, r.Reason
	}
	effect := &store.Effect{Event: plain.event}
	via := ""
	if rule.Tells(now, now.ParkedAgreed) {
		if via, err = w.route(ctx, r.Channel); err != nil {
			return err
		}
	}
	if plain.event == "reopened" {
		b, err := w.d.belongingsOf(ctx, w.tx, w.c)
		if err != nil {
			return err
		}
		effect.Kind, effect.Channel, effect.Country = w.c.Kind, via, b.country()
		if effect.TermsID, effect.PolicyID, err = w.termsNow(ctx); err != nil {
			return err
		}
	}
	if via != "" {
		text := plain.tells
		if now.HasReason {
			text += "\n\n" + strings.TrimSpace(r.Reason)
		}
		_, err = w.send(ctx, via, plain.action, string(r.Step), text, effect, store.Params{})
		return err
	}
	text := plain.says
	if now.HasReason {
		text += " " + strings.TrimSpace(r.Reason)
	}
	_, err = w.changed(ctx, text, effect)
	return err
}

// plainSteps are those that only tell the vendor and have one effect.
var plainSteps = map[casework.Step]struct{ action, event, tells, says string }{
	casework.RejectFix:        {"comment", "fix-rejected", "The fix does not work for us.", "Fix rejected."},
	casework.RejectWorkaround: {"comment", "workaround-rejected", "The workaround does not serve us.", "Workaround rejected."},
	casework.AcceptFix:        {"comment", "fix-accepted", "The fix works for us. Thank you.", "Fix accepted."},
	casework.Resolve:          {"comment", "resolved", "For us this is resolved.", "Resolved."},
	casework.Close:            {"close", "closed", "Please close this.", "Closed."},
	casework.Withdraw:         {"close", "withdrawn", "We withdraw this request; please close it.", "Withdrawn."},
	casework.Reopen:           {"reopen", "reopened", "This has come back; please open it again.", "Reopened."},
	casework.Dispute:          {"reopen", "our-message", "You closed this, but it is not solved; please open it again.", "Disputed."},
	casework.Return:           {"comment", "unpark", "We go on with this now.", "Back from parking."},
}

// termsNow are the terms in force today for the case's contract, and our own.
func (w *work) termsNow(ctx context.Context) (terms, policy int64, err error) {
	if w.c.ContractID != nil {
		t, err := store.CurrentTerms(ctx, w.tx, w.c.ContractID)
		if err != nil && !errors.Is(err, store.ErrNotFound) {
			return 0, 0, err
		}
		terms = t.ID
	}
	g, err := w.d.fresh(ctx, w.tx)
	if err != nil {
		return 0, 0, err
	}
	p, err := g.policy(ctx, w.tx, 0)
	if err != nil {
		return 0, 0, err
	}
	return terms, p.TermsID, nil
}

func (w *work) file(ctx context.Context, wanted string) error {
	f, err := w.d.prepare(ctx, w.tx, w.c)
	if err != nil {
		return err
	}
	var fields []Field
	for _, n := range intake.Missing(f.story) {
		if n.Must {
			fields = append(fields, Field{n.Field, n.Text})
		}
	}
	if f.level == nil && w.c.Severity != nil {
		fields = append(fields, Field{"vendor", fmt.Sprintf("the vendor's scheme has no level for severity %d", *w.c.Severity)})
	}
	if len(fields) > 0 {
		return &Invalid{fields}
	}
	via, err := pickRoute(f.routes(), wanted)
	if err != nil {
		return err
	}
	terms, policy, err := w.termsNow(ctx)
	if err != nil {
		return err
	}
	effect := &store.Effect{Event: "filed", Severity: *w.c.Severity, Level: f.level.Rank, TermsID: terms, PolicyID: policy, Kind: w.c.Kind, Channel: via, Country: f.country()}
	_, err = w.send(ctx, via, "open", string(casework.File), intake.Compose(f.story), effect, store.Params{Level: f.level.Label})
	return err
}

func (w *work) giveTo(ctx context.Context, email string) error {
	p, err := store.PersonByEmail(ctx, w.tx, email)
	if errors.Is(err, store.ErrNotFound) || err == nil && !p.Active {
		return invalid("person", "nobody here has the mail address %q", email)
	} else if err != nil {
		return err
	}
	if !access.May(p.Role, access.Work) {
		return invalid("person", "%s is %s and cannot own a case", p.Name, p.Role)
	}
	return w.give(ctx, p)
}

func (w *work) give(ctx context.Context, p store.Person) error {
	if w.c.OwnerID != nil && *w.c.OwnerID == p.ID {
		return nil
	}
	w.c.OwnerID = &p.ID
	text := p.Name + " owns this now."
	_, err := w.changed(ctx, text, nil)
	return err
}

// takeBack gives up a step of which nothing has left.
func (w *work) takeBack(ctx context.Context, step casework.Step) error {
	open, err := store.OpenDeliveries(ctx, w.tx, []int64{w.c.ID})
	if err != nil {
		return err
	}
	for i := range open {
		if o := &open[i]; o.Step == string(step) && o.State.NotLeft() {
			return w.giveUp(ctx, o)
		}
	}
	return nil
}

func (w *work) attest(ctx context.Context, criterion int64) error {
	if state := casework.State(w.c.State); state != casework.Draft && !state.Live() {
		return &casework.Refusal{Step: Attest, Why: "A case that is " + w.c.State + " asks for no level.", Allowed: w.allowed(ctx)}
	}
	levels, err := store.Levels(ctx, w.tx, w.c.VendorID)
	if err != nil {
		return err
	}
	for _, l := range levels {
		for _, k := range l.Criteria {
			if k.ID == criterion {
				if err := w.tx.Attest(ctx, w.c.ID, k.ID, w.actor.ID, w.now); err != nil {
					return err
				}
				_, err := w.changed(ctx, fmt.Sprintf("Attested for %q: %s", l.Label, k.Text), nil)
				return err
			}
		}
	}
	return invalid("criterion", "this vendor has no condition %d", criterion)
}

func (w *work) changeSeverity(ctx context.Context, r StepRequest) error {
	if !casework.State(w.c.State).Live() {
		return &casework.Refusal{Step: ChangeSeverity, Why: "Only a live case's severity is changed by a step; a draft's follows from its facts."}
	}
	to := severity.Level(r.To)
	if !to.Valid() {
		return invalid("to", "severity is 1, 2, 3 or 4")
	}
	if strings.TrimSpace(r.Reason) == "" {
		return invalid("reason", "say why the severity changes")
	}
	if w.c.Severity != nil && *w.c.Severity == r.To {
		return nil
	}
	_, err := w.changed(ctx, fmt.Sprintf("Severity %d (%s). %s", r.To, to, strings.TrimSpace(r.Reason)), &store.Effect{Event: "severity", To: r.To})
	return err
}

func (w *work) changeLevel(ctx context.Context, r StepRequest) error {
	levels, err := store.Levels(ctx, w.tx, w.c.VendorID)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(levels, func(l store.Level) bool { return l.Rank == r.To })
	if i < 0 {
		return invalid("to", "this vendor has levels 1 to %d", len(levels))
	}
	l := levels[i]
	conditions, err := w.readyFor(ctx, l, r)
	if err != nil {
		return err
	}
	via, err := w.routeFor(ctx, r.Channel, l.Channels.V)
	if err != nil {
		return err
	}
	text := fmt.Sprintf("Please take this at level %q.\n\n%s%s", l.Label, strings.TrimSpace(r.Reason), conditions)
	_, err = w.send(ctx, via, "level", string(casework.ChangeLevel), text, &store.Effect{Event: "level", To: l.Rank}, store.Params{Level: l.Label})
	return err
}

// readyFor holds a request for a level to the same conditions as a filing at it: each one
// confirmed by somebody, and a contact round the clock where it needs one. It gives what
// the vendor is told of them.
func (w *work) readyFor(ctx context.Context, l store.Level, r StepRequest) (told string, err error) {
	for _, id := range r.Confirmed {
		if err := w.attest(ctx, id); err != nil {
			return "", err
		}
	}
	if contact := strings.TrimSpace(r.Contact); contact != "" {
		w.c.Texts.V.ContactAlways = contact
	}
	confirmed, err := store.Attestations(ctx, w.tx, w.c.ID)
	if err != nil {
		return "", err
	}
	var wrong []Field
	var lines []string
	for _, k := range l.Criteria {
		i := slices.IndexFunc(confirmed, func(a store.Attested) bool { return a.CriterionID == k.ID })
		if i < 0 {
			wrong = append(wrong, Field{"confirmed", fmt.Sprintf("nobody has confirmed yet: %s", k.Text)})
			continue
		}
		lines = append(lines, "- "+k.Text+", confirmed by "+confirmed[i].Person)
	}
	always := strings.TrimSpace(w.c.Texts.V.ContactAlways)
	if l.RoundTheClock && always == "" {
		wrong = append(wrong, Field{"contact", fmt.Sprintf("the level %q needs a contact who can be reached round the clock: say who, and how", l.Label)})
	}
	if len(wrong) > 0 {
		return "", &Invalid{wrong}
	}
	if len(lines) > 0 {
		told = "\n\nYour conditions for this level\n" + strings.Join(lines, "\n")
	}
	if l.RoundTheClock {
		told += "\n\nContact round the clock: " + always
	}
	return told, nil
}

func (w *work) park(ctx context.Context, r StepRequest) error {
	if r.Until == nil || !r.Until.After(w.now) {
		return invalid("until", "a case is parked until an instant to come")
	}
	until := r.Until.UTC().Truncate(time.Second)
	date := until.Format("2006-01-02 15:04 UTC")
	effect := &store.Effect{Event: "park", Agreed: r.Agreed, Until: &until}
	if !r.Agreed {
		_, err := w.changed(ctx, fmt.Sprintf("Parked until %s. %s", date, strings.TrimSpace(r.Reason)), effect)
		return err
	}
	// What is agreed with the vendor takes effect, on both sides, when the vendor has been told.
	text := fmt.Sprintf("As agreed, this is on hold until %s.\n\n%s", date, strings.TrimSpace(r.Reason))
	via, err := w.route(ctx, r.Channel)
	if err != nil {
		return err
	}
	_, err = w.send(ctx, via, "comment", string(casework.Park), text, effect, store.Params{})
	return err
}

func (w *work) markOffer(ctx context.Context, r StepRequest) error {
	if r.Offers != "workaround" && r.Offers != "fix" {
		return invalid("offers", "say whether a workaround or a fix was offered")
	}
	e, err := store.EntryByNumber(ctx, w.tx, w.c.ID, r.Entry)
	if err != nil || e.Effect.V == nil || e.Effect.V.Event != "vendor-message" || e.Automatic {
		return invalid("entry", "entry %d is not a message of the vendor's that counts", r.Entry)
	}
	if w.c.State == string(casework.FixOffered) {
		return &casework.Refusal{Step: r.Step, Why: "A fix is under verification already; accept or reject it first."}
	}
	_, err = w.add(ctx, store.Entry{Kind: "change", RefersTo: &e.Number, Body: fmt.Sprintf("A %s was offered in entry %d.", r.Offers, e.Number),
		Effect: store.JSON[*store.Effect]{V: &store.Effect{Event: "offer", Offers: r.Offers, Of: &e.HappenedAt}}})
	return err
}

func (w *work) giveMove(ctx context.Context, r StepRequest) error {
	if r.Move != "ours" && r.Move != "theirs" {
		return invalid("move", "say whose move it is: ours or theirs")
	}
	if w.c.Move != nil && *w.c.Move == r.Move {
		return nil
	}
	_, err := w.changed(ctx, strings.TrimSpace(fmt.Sprintf("The move is %s. %s", r.Move, strings.TrimSpace(r.Reason))), &store.Effect{Event: "move", Move: r.Move})
	return err
}
