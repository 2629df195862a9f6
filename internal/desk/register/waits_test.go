package register_test

import (
	"testing"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/desktest"
	registry "roundhouse.example/internal/desk/register"
)

// What a vendor promised stands beside what it took: of ended deadlines alone, those that were missed too, not those of
// which nothing can be said.
func TestWhatWasPromisedAndWhatItTook(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	for i, after := range []time.Duration{20 * time.Minute, 40 * time.Minute, 90 * time.Minute} {
		d.Filed("Gates say no")
		d.Clock.Move(after)
		said := desktest.Said(string(rune('a'+i)), "We look.", d.Clock.Now())
		said.Ticket = []string{"CV-30001", "CV-30002", "CV-30003"}[i]
		d.Hear("corvane", said)
	}
	open := d.Filed("Nobody answers")
	if err := d.Step(open, cases.StepRequest{Step: casework.Withdraw, Reason: "By mistake"}); err != nil {
		t.Fatal(err)
	}
	d.Sweep()
	v, err := d.Register.Vendor(t.Context(), d.As("Ragna"), "corvane")
	if err != nil {
		t.Fatal(err)
	}
	if len(v.Waits) != 1 {
		t.Fatalf("%+v", v.Waits)
	}
	want := registry.Wait{Channel: "api", Deadline: "first-response", Cases: 3, Promised: v.Waits[0].Promised,
		Real: 40 * 60, Slowest: 90 * 60}
	if v.Waits[0] != want || want.Promised == 0 {
		t.Errorf("%+v, want %+v", v.Waits[0], want)
	}
}
