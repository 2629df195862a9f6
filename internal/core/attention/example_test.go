package attention_test

import (
	"fmt"

	"roundhouse.example/internal/core/attention"
	"roundhouse.example/internal/core/deadline"
)

// A late first response at severity 2 presses more than an unread message at severity 4.
func ExampleSort() {
	var lines []attention.Line
	for _, c := range []attention.Case{
		{Number: 1002, Severity: 4, Unread: true, Now: 7200},
		{Number: 1001, Severity: 2, Now: 7200, Clocks: []attention.Clock{
			{Kind: deadline.FirstResponse, Standing: deadline.Late, Target: 3600, Counted: 7200, Due: 3600, DueKnown: true,
				Over: 3600},
		}},
		{Number: 1003, Severity: 3, Now: 7200}, // nothing presses
	} {
		if line, ok := attention.Of(c); ok {
			lines = append(lines, line)
		}
	}
	attention.Sort(lines)
	for _, l := range lines {
		fmt.Println(l.Number, l.Step, l.Why())
	}
	// Output:
	// 1001 chase First response late by 1 h
	// 1002 read Unread message from the vendor
}
