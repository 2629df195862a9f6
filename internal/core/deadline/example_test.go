package deadline_test

import (
	"fmt"

	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/deadline"
)

// The vendor owes a first response within an hour, and an automatic receipt is none.
func ExampleReplay() {
	always, err := calendar.New(calendar.Definition{Always: true})
	if err != nil {
		fmt.Println(err)
		return
	}
	hour, err := calendar.ParseTarget("1h")
	if err != nil {
		fmt.Println(err)
		return
	}
	var terms deadline.Terms
	if err := terms.Add(deadline.FirstResponse, 1,
		deadline.Term{Target: hour, Calendar: calendar.Fixed(always)}); err != nil {
		fmt.Println(err)
		return
	}
	history := []deadline.Event{
		{At: 0, Kind: deadline.Filed, Severity: 1, Level: 1, Terms: &terms},
		{At: 60, Kind: deadline.VendorMessage, Automatic: true},
		{At: 5400, Kind: deadline.VendorMessage},
	}
	for _, at := range []int64{1800, 3601, 7200} {
		for _, row := range deadline.Replay(history, at).Rows(at) {
			fmt.Println(at, row.Clock.Kind, row.Standing)
		}
	}
	// Output:
	// 1800 first-response running
	// 3601 first-response late
	// 7200 first-response met-late
}
