package casework

import (
	"errors"
	"slices"
	"strings"
	"testing"
)

// The whole table, said again from the other side: what each state admits.
func TestWhatEachStateAdmits(t *testing.T) {
	want := map[State][]Step{
		Draft: {File, Withdraw, Confirm, Take, Give},
		Filed: {Resolve, Close, Withdraw, ChangeLevel, Park, MarkOffer, GiveMove, Confirm, ChangeSeverity, Take, Give},
		Open:  {Resolve, Close, Withdraw, ChangeLevel, Park, MarkOffer, GiveMove, Confirm, ChangeSeverity, Take, Give},
		FixOffered: {RejectFix, AcceptFix, Resolve, Close, Withdraw, ChangeLevel, Park, MarkOffer, GiveMove, Confirm,
			ChangeSeverity, Take, Give},
		Resolved:  {Close, Reopen, Take, Give},
		Closed:    {Reopen, Take, Give},
		Withdrawn: nil,
	}
	for _, s := range States {
		if got := Allowed(Situation{State: s}); !slices.Equal(got, want[s]) {
			t.Errorf("%s admits %v, want %v", s, got, want[s])
		}
	}
	if slices.Contains(Allowed(Situation{State: Open, Mine: true}), Take) {
		t.Error("what one has can be taken")
	}
	if _, err := Check(Take, Situation{State: Open, Mine: true}); err != nil {
		t.Errorf("taking it again: %v", err)
	}
}

// What is not allowed says why, but for steps that the state does not have at all; together
// with what is allowed they are all that it has.
func TestWhyNot(t *testing.T) {
	for _, s := range States {
		for _, now := range []Situation{{State: s}, {State: s, OnItsWay: "The closing", Waiting: []Step{Close}},
			{State: s, Parked: true, VendorClosed: true, WorkaroundOffered: true}} {
			seen := Allowed(now)
			for _, r := range NotAllowed(now) {
				if r.Why == "" || slices.Contains(seen, r.Step) {
					t.Errorf("%s in %+v: %q", r.Step, now, r.Why)
				}
				seen = append(seen, r.Step)
			}
			for _, row := range Table {
				if slices.Contains(row.From, s) != slices.Contains(seen, row.Step) {
					t.Errorf("%s in %+v is told wrongly", row.Step, now)
				}
				if row.Step.Label() == "" {
					t.Errorf("%s has no label", row.Step)
				}
			}
		}
	}
	for _, r := range NotAllowed(Situation{State: Open, OnItsWay: "The closing"}) {
		if r.Step == Resolve && !strings.Contains(r.Why, "being sent") {
			t.Error(r.Why)
		}
	}
}

// behind is a situation in which steps wait for a person.
func behind(now Situation, steps ...Step) Situation {
	then := now
	for _, s := range steps {
		then = then.After(s)
	}
	now.Waiting, now.Then = steps, &then
	return now
}

func said(now Situation) Situation {
	now.HasReason = true
	return now
}

func TestConditions(t *testing.T) {
	for _, x := range []struct {
		name string
		step Step
		now  Situation
		ok   bool
		say  string
	}{
		{"resume when not parked", Resume, Situation{State: Open}, false, "not parked"},
		{"resume when parked", Resume, Situation{State: Open, Parked: true}, true, ""},
		{"no workaround", RejectWorkaround, Situation{State: Open, HasReason: true}, false, "No workaround"},
		{"a workaround", RejectWorkaround, Situation{State: Open, HasReason: true, WorkaroundOffered: true}, true, ""},
		{"dispute an open one", Dispute, Situation{State: Open, HasReason: true}, false, "not closed"},
		{"close a resolved one", Close, Situation{State: Resolved}, true, ""},
		{"close a live one without a reason", Close, Situation{State: Open}, false, "reason"},
		{"withdraw a draft", Withdraw, Situation{State: Draft}, true, ""},
		{"two at once", Resolve, Situation{State: Open, HasReason: true, OnItsWay: "A rejection"}, false, "being sent"},
		{"park meanwhile", Park, Situation{State: Open, HasReason: true, OnItsWay: "A message"}, true, ""},
		{"park by agreement meanwhile", Park, Situation{State: Open, HasReason: true, Agreed: true, OnItsWay: "A message"},
			false, "being sent"},
		{"park by agreement", Park, Situation{State: Open, HasReason: true, Agreed: true}, true, ""},
		{"take back a parking that waits", Resume,
			behind(Situation{State: Open}, Park), true, ""},
		{"park again behind a parking that waits", Park, said(behind(Situation{State: Open}, Park)), true, ""},
		{"resume behind a parking that was resumed", Resume, behind(Situation{State: Open}, Park, Resume), false,
			"not parked"},
		{"take back a parking that may have left", Resume, Situation{State: Open, OnItsWay: "The parking"}, false,
			"not parked"},
		{"withdraw a filing that waits", Withdraw,
			behind(Situation{State: Draft}, File), true, ""},
		{"resolve behind a filing that waits", Resolve, said(behind(Situation{State: Draft}, File)), true, ""},
		{"file behind a filing", File, behind(Situation{State: Draft}, File), false,
			"Once you have sent what is waiting, this is a filed case, which cannot be filed"},
		{"withdraw a filing that may have left", Withdraw, Situation{State: Draft, OnItsWay: "The filing"}, false,
			"being sent"},
		{"withdraw behind a step that waits", Withdraw,
			said(behind(Situation{State: Open}, Close)), false, "a closed case, which cannot be withdrawn"},
		{"reopen behind a closing that waits", Reopen, said(behind(Situation{State: Open}, Close)), true, ""},
		{"accept behind a rejection that waits", AcceptFix, behind(Situation{State: FixOffered}, RejectFix), false,
			"an open case, which cannot have its fix accepted"},
		{"dispute behind a dispute that waits", Dispute,
			said(behind(Situation{State: Open, VendorClosed: true}, Dispute)), false, "not closed"},
		{"a step that nobody is told of, behind a closing", Give, behind(Situation{State: Open}, Close), true, ""},
		{"another severity without a reason", ChangeSeverity, Situation{State: Open}, false, "reason"},
		{"another severity of a draft", ChangeSeverity, Situation{State: Draft, HasReason: true}, false,
			"draft's facts"},
		{"a condition of a closed one", Confirm, Situation{State: Closed}, false, "no conditions"},
		{"take a withdrawn one", Take, Situation{State: Withdrawn}, false, "cannot be taken"},
		{"nonsense", "explode", Situation{State: Open}, false, "not a step"},
	} {
		_, err := Check(x.step, x.now)
		var r *Refusal
		if (err == nil) != x.ok || err != nil && (!errors.As(err, &r) || !strings.Contains(err.Error(), x.say)) {
			t.Errorf("%s: %v", x.name, err)
		}
	}
}

func TestWhoIsTold(t *testing.T) {
	tells := func(s Step, now Situation, agreed bool) bool { r, _ := rule(s); return r.Tells(now, agreed) }
	if tells(Withdraw, Situation{State: Draft}, false) || !tells(Withdraw, Situation{State: Open}, false) {
		t.Error("a withdrawn draft tells nobody, a live case tells the vendor")
	}
	if tells(Close, Situation{State: Resolved, VendorClosed: true}, false) ||
		!tells(Close, Situation{State: Resolved}, false) {
		t.Error("closing tells the vendor only if it has not closed")
	}
	if tells(Park, Situation{State: Open}, false) || !tells(Park, Situation{State: Open}, true) {
		t.Error("parking tells the vendor only if agreed with them")
	}
}
