package attention

import (
	"testing"

	"roundhouse.example/internal/core/dated"
	"roundhouse.example/internal/core/deadline"
)

func TestTheMostPressingReasonStands(t *testing.T) {
	late := Clock{Kind: deadline.Update, Standing: deadline.Late, Target: 7200, Over: 3600, Due: 100, DueKnown: true}
	half := Clock{Kind: deadline.FirstResponse, Standing: deadline.Running, Target: 7200, Counted: 1800, Due: 9000,
		DueKnown: true}
	ours := Clock{Kind: deadline.OurAnswer, Standing: deadline.DueSoon, Target: 3600, Counted: 3000, Due: 700,
		DueKnown: true}
	verify := Clock{Kind: deadline.Verification, Standing: deadline.Running, Target: 3600, Counted: 600, Due: 900,
		DueKnown: true}
	for _, x := range []struct {
		name     string
		c        Case
		step     Step
		pressure float64
	}{
		{"late by half", Case{Severity: 2, Clocks: []Clock{half, late}}, Chase, 4 * 1.5},
		{"a quarter gone", Case{Severity: 1, Clocks: []Clock{half}}, LookAt, 2},
		{"unread beats a young clock", Case{Severity: 4, Unread: true, Clocks: []Clock{verify}}, Read, 0.5},
		{"our answer beats unread", Case{Severity: 3, Unread: true, Clocks: []Clock{ours}}, Answer, 2 * 3000.0 / 3600},
		{"undelivered", Case{Severity: 3, Undelivered: "x", Clocks: []Clock{late}}, Decide, 4},
		{"to be taken there", Case{Severity: 2, Undelivered: "x", ToSend: true}, Send, 8},
		{"parked hides clocks", Case{Severity: 3, Parked: true, Clocks: []Clock{half, ours},
			Items: []Item{{What: "Resume", Step: Resume, Due: 50}}, Now: 10}, Resume, 0.5},
		{"but not a late one of the vendor's",
			Case{Severity: 3, Parked: true, Clocks: []Clock{late},
				Items: []Item{{What: "Resume", Step: Resume, Due: 50}}, Now: 10}, Chase, 3},
		{"a late clock and an unread message", Case{Severity: 3, Unread: true, Clocks: []Clock{late}}, Chase, 3},
		{"parked, a late clock and an unread message", Case{Severity: 3, Parked: true, Unread: true, Clocks: []Clock{late}},
			Chase, 3},
		{"late item", Case{Severity: 3, Items: []Item{{What: "Quiet", Step: Chase, Due: 5, Over: 14400, Day: 28800}},
			Now: 10}, Chase, 3},
		{"they closed", Case{Severity: 3, VendorClosed: true, Clocks: []Clock{half}}, Respond, 1},
	} {
		l, ok := Of(x.c)
		if !ok || l.Step != x.step || l.Pressure != x.pressure || l.Why() == "" {
			t.Errorf("%s: %+v", x.name, l)
		}
	}
	if _, ok := Of(Case{Severity: 2, Clocks: []Clock{{Standing: deadline.Paused}}}); ok {
		t.Error("a paused clock asked for attention")
	}
}

func TestOrder(t *testing.T) {
	lines := []Line{{Number: 4, Pressure: 1}, {Number: 3, Pressure: 2}, {Number: 2, Pressure: 2, HasDue: true, Due: 9},
		{Number: 1, Pressure: 2, HasDue: true, Due: 5}}
	Sort(lines)
	for i, l := range lines {
		if l.Number != int64(i+1) {
			t.Fatalf("order %+v", lines)
		}
	}
}

// A line says what it is about, whether it is a clock or not.
func TestWhy(t *testing.T) {
	for _, x := range []struct {
		c    Case
		want string
	}{
		{Case{Severity: 1, Clocks: []Clock{{Kind: deadline.Resolution, Standing: deadline.Late, Over: 3600, Target: 60}}},
			"Resolution late by 1 h"},
		{Case{Severity: 1, Clocks: []Clock{{Kind: deadline.OurAnswer, Standing: deadline.Running, Counted: 1, Target: 60}}},
			"Our answer due"},
		{Case{Severity: 1, Clocks: []Clock{{Kind: deadline.Verification, Standing: deadline.DueSoon, Counted: 50,
			Target: 60}}}, "Fix offered: verify it, then accept or reject"},
		{Case{Severity: 3, Items: []Item{{Kind: dated.Receipt, Owed: deadline.Theirs, Standing: deadline.Late, Over: 59,
			Day: 8 * 3600}}}, "No receipt yet: did it arrive?"},
		{Case{Severity: 3, Items: []Item{{Kind: dated.Receipt, Owed: deadline.Theirs, Standing: deadline.Late, Over: 60,
			Day: 8 * 3600}}}, "No receipt, late by 1 min: did it arrive?"},
		{Case{Severity: 1, Unread: true}, "Unread message from the vendor"},
		{Case{Severity: 1, Unread: true, VendorClosed: true}, "Vendor closed it: agree or dispute"},
		{Case{Severity: 1, Undelivered: "Refused"}, "Refused"},
	} {
		if l, _ := Of(x.c); l.Why() != x.want {
			t.Errorf("%+v: %q, want %q", x.c, l.Why(), x.want)
		}
	}
}
