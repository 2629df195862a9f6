// Package casework knows the way of a case: its states, the steps that lead
// from one to another, and which of them the vendor is told; docs/rules.md, section 3.
package casework

import (
	"fmt"
	"slices"
	"strings"

	"roundhouse.example/internal/core/words"
)

// State is where a case is in its life.
type State string

// The states. Filed, open and fix-offered are live.
const (
	Draft      State = "draft"
	Filed      State = "filed"
	Open       State = "open"
	FixOffered State = "fix-offered"
	Resolved   State = "resolved"
	Closed     State = "closed"
	Withdrawn  State = "withdrawn"
)

// States are all of them, in the order of a life.
var States = [...]State{Draft, Filed, Open, FixOffered, Resolved, Closed, Withdrawn}

// LiveStates are those of a live case.
var LiveStates = []State{Filed, Open, FixOffered}

// Live says whether the case is filed, open or fix-offered.
func (s State) Live() bool { return s == Filed || s == Open || s == FixOffered }

// Called is a case in this state, in words with an article: a draft, an open case.
func (s State) Called() string {
	switch s {
	case Draft:
		return "a draft"
	case FixOffered:
		return "a case with a fix offered"
	}
	label := words.Inline(words.States.Of(string(s)))
	if strings.ContainsRune("aeiou", rune(label[0])) {
		return "an " + label + " case"
	}
	return "a " + label + " case"
}

// EntryKind is what a line of a case's record is.
type EntryKind string

// The kinds of entry. A message was sent to the vendor or came from it, a note is internal and never sent; a call
// is what somebody heard and wrote down, and a file is one that was added.
const (
	Message  EntryKind = "message"
	Note     EntryKind = "note"
	Call     EntryKind = "call"
	Change   EntryKind = "change"
	Attached EntryKind = "file"
	// Briefing is what management or users were told of the case; it is internal to the house.
	Briefing EntryKind = "briefing"
)

// Step is something that people do to a case.
type Step string

// The steps of the table, and those that leave the state alone.
const (
	File             Step = "file"
	RejectFix        Step = "reject"
	RejectWorkaround Step = "reject-workaround"
	AcceptFix        Step = "accept"
	Resolve          Step = "resolve"
	Close            Step = "close"
	Withdraw         Step = "withdraw"
	Reopen           Step = "reopen"
	ChangeLevel      Step = "level"
	Dispute          Step = "dispute"
	Park             Step = "park"
	Resume           Step = "resume"
	MarkOffer        Step = "offered"
	GiveMove         Step = "move"
	Confirm          Step = "confirm"
	ChangeSeverity   Step = "severity"
	Take             Step = "take"
	Give             Step = "give"
)

// Told is when the vendor hears of a step.
type Told int

// The ways of the table's last column.
const (
	NotTold Told = iota
	IsTold
	ToldIfNotClosed // unless they have closed it themselves
	ToldIfFiled     // unless it was a draft
	ToldIfAgreed    // if parking was agreed with them
	IsTheFilingItself
)

// Rule is one row of the table.
type Rule struct {
	Step Step
	From []State
	// To is the state after the step has had its effect; empty leaves it.
	To   State
	Told Told
	// NeedsReason is for steps that must say why.
	NeedsReason bool
}

var live = []State{Filed, Open, FixOffered}

// Table is the one of docs/rules.md, section 3.
var Table = [...]Rule{
	{File, []State{Draft}, Filed, IsTheFilingItself, false},
	{RejectFix, []State{FixOffered}, Open, IsTold, true},
	{RejectWorkaround, live, "", IsTold, true},
	{AcceptFix, []State{FixOffered}, Resolved, IsTold, false},
	{Resolve, live, Resolved, IsTold, true},
	{Close, []State{Resolved, Filed, Open, FixOffered}, Closed, ToldIfNotClosed, false},
	{Withdraw, []State{Draft, Filed, Open, FixOffered}, Withdrawn, ToldIfFiled, true},
	{Reopen, []State{Resolved, Closed}, Open, IsTold, true},
	{ChangeLevel, live, "", IsTold, true},
	{Dispute, live, "", IsTold, true},
	{Park, live, "", ToldIfAgreed, true},
	{Resume, live, "", ToldIfAgreed, false},
	{MarkOffer, live, "", NotTold, false},
	{GiveMove, live, "", NotTold, false},
	{Confirm, []State{Draft, Filed, Open, FixOffered}, "", NotTold, false},
	{ChangeSeverity, live, "", NotTold, true},
	{Take, States[:len(States)-1], "", NotTold, false},
	{Give, States[:len(States)-1], "", NotTold, false},
}

// Situation is what the table's conditions ask about, besides the state.
type Situation struct {
	State State
	// VendorClosed: the vendor has closed its side.
	VendorClosed bool
	// Parked, and whether the vendor agreed to it.
	Parked, ParkedAgreed bool
	// WorkaroundOffered: a workaround stands that was not rejected.
	WorkaroundOffered bool
	// Mine: the person who asks owns the case.
	Mine bool
	// HasReason: the person said why.
	HasReason bool
	// Agreed: the parking that is asked for is agreed with the vendor.
	Agreed bool
	// OnItsWay names an outward step that is being sent by itself; while there is one
	// no other step that the vendor must be told of can be begun.
	OnItsWay string
	// Waiting are the steps on their way of which nothing has left for certain, in their order,
	// so that they can still be taken back.
	Waiting []Step
	// Then is the situation once a person has sent what waits only for that: a further step that
	// the vendor must be told of goes behind it and is judged by this. Nil where nothing waits so.
	Then *Situation
}

// Leaving says whether a step is on its way to the vendor.
func (now Situation) Leaving() bool { return now.OnItsWay != "" || now.Then != nil }

// For is the situation by which a step is judged: behind what waits for a person, as if that had been sent.
func (now Situation) For(r Rule) Situation {
	if now.Then == nil || r.TakesBack(now) {
		return now
	}
	then := *now.Then
	then.Mine, then.HasReason, then.Agreed = now.Mine, now.HasReason, now.Agreed
	if !outward(r, then) {
		return now
	}
	return then
}

// After is the situation once the vendor has been told of a step and it has had its effect.
func (now Situation) After(step Step) Situation {
	if r, ok := rule(step); ok && r.To != "" {
		now.State = r.To
	}
	switch step {
	case RejectWorkaround:
		now.WorkaroundOffered = false
	case Reopen, Dispute:
		now.VendorClosed = false
	case Park:
		now.Parked, now.ParkedAgreed = true, true
	case Resume:
		now.Parked, now.ParkedAgreed = false, false
	}
	return now
}

// Refusal says why a step cannot be taken and what can be done instead.
type Refusal struct {
	Step    Step
	Why     string
	Allowed []Step
	// MissingReason is set where only the reason is missing.
	MissingReason bool
}

func (r *Refusal) Error() string {
	if r.MissingReason {
		return r.Why
	}
	if len(r.Allowed) == 0 {
		return r.Why + " No further step is possible."
	}
	names := make([]string, len(r.Allowed))
	for i, s := range r.Allowed {
		names[i] = string(s)
	}
	return r.Why + " Allowed now: " + strings.Join(names, ", ") + "."
}

func rule(s Step) (Rule, bool) {
	for _, r := range Table {
		if r.Step == s {
			return r, true
		}
	}
	return Rule{}, false
}

// Check says whether a step may be taken, and its row of the table. The error
// is a *Refusal.
func Check(step Step, now Situation) (Rule, error) {
	r, ok := rule(step)
	if !ok {
		return Rule{}, &Refusal{Step: step, Why: fmt.Sprintf("%.40q is not a step.", step), Allowed: Allowed(now)}
	}
	if why := obstacle(r, now); why != "" {
		return r, &Refusal{Step: step, Why: why, Allowed: Allowed(now)}
	}
	if r.needsReason(now.For(r).State) && !now.HasReason {
		return r, &Refusal{Step: step, Why: fmt.Sprintf("%q needs a reason.", step.Label()), MissingReason: true}
	}
	return r, nil
}

func (r Rule) needsReason(from State) bool {
	switch r.Step {
	case Close:
		return from != Resolved
	case Withdraw:
		return from != Draft
	}
	return r.NeedsReason
}

func obstacle(r Rule, now Situation) string {
	before := now
	now = now.For(r)
	from := slices.Contains(r.From, now.State)
	switch {
	case !from && now.State != before.State:
		return "Once you have sent what is waiting, this is " + now.State.Called() + ", which cannot " + passive(r.Step) + "."
	case !from && r.Step == Confirm:
		return "A" + now.State.Called()[1:] + " has no conditions to confirm."
	case !from && r.Step == ChangeSeverity:
		return "Only a live case's severity is changed this way; change a draft's facts instead."
	case !from:
		return "A" + now.State.Called()[1:] + " cannot " + passive(r.Step) + "."
	case r.Step == Resume && !now.Parked && !r.TakesBack(now):
		return "The case is not parked."
	case r.Step == RejectWorkaround && !now.WorkaroundOffered:
		return "No workaround has been offered."
	case r.Step == Dispute && !now.VendorClosed:
		return "The vendor has not closed the case, so there is nothing to dispute."
	case now.OnItsWay != "" && !r.TakesBack(now) && (outward(r, now) || r.Step == Withdraw):
		return fmt.Sprintf("%s is still being sent to the vendor.", now.OnItsWay)
	}
	return ""
}

// TakesBack says whether the step takes back one that has not left yet: a filing is
// taken back by withdrawing the draft, a parking by resuming the case.
func (r Rule) TakesBack(now Situation) bool {
	var resting Step // what of the parking waits last
	for _, s := range now.Waiting {
		if s == Park || s == Resume {
			resting = s
		}
	}
	return r.Step == Withdraw && slices.Contains(now.Waiting, File) || r.Step == Resume && resting == Park
}

func passive(s Step) string {
	switch s {
	case File:
		return "be filed"
	case RejectFix:
		return "have its fix rejected"
	case RejectWorkaround:
		return "have a workaround rejected"
	case AcceptFix:
		return "have its fix accepted"
	case ChangeLevel:
		return "have its level changed"
	case Dispute:
		return "be disputed"
	case Park:
		return "be parked"
	case Resume:
		return "be resumed"
	case MarkOffer:
		return "have an offer marked"
	case GiveMove:
		return "have its move set"
	}
	return "be " + map[Step]string{Resolve: "resolved", Close: "closed", Withdraw: "withdrawn", Reopen: "reopened",
		Take: "taken", Give: "given to somebody"}[s]
}

func outward(r Rule, now Situation) bool {
	if r.Step == Park {
		return r.Tells(now, now.Agreed)
	}
	return r.Tells(now, now.ParkedAgreed)
}

// Tells says whether the vendor is told of the step in this situation; agreed
// is whether the parking in question is agreed with them.
func (r Rule) Tells(now Situation, agreed bool) bool {
	switch r.Told {
	case IsTold, IsTheFilingItself:
		return true
	case ToldIfNotClosed:
		return !now.VendorClosed
	case ToldIfFiled:
		return now.State != Draft
	case ToldIfAgreed:
		return agreed
	}
	return false
}

// Refused is a step that the situation does not admit, and why.
type Refused struct {
	Step Step
	Why  string
}

// NotAllowed lists the steps that could be taken in the case's state, were it not for something
// else, and says what that is.
func NotAllowed(now Situation) []Refused {
	var out []Refused
	for _, r := range Table {
		if why := obstacle(r, now); why != "" && slices.Contains(r.From, now.State) {
			out = append(out, Refused{r.Step, why})
		}
	}
	return out
}

// Label is what people read of a step.
func (s Step) Label() string {
	return words.Steps.Of(string(s))
}

// Allowed lists the steps that the situation admits, a missing reason aside. To take a case that
// one has would change nothing, so it is not among them.
func Allowed(now Situation) []Step {
	var out []Step
	for _, r := range Table {
		if obstacle(r, now) == "" && !(r.Step == Take && now.Mine) {
			out = append(out, r.Step)
		}
	}
	return out
}
