package calendar_test

import (
	"fmt"
	"time"

	"roundhouse.example/internal/core/calendar"
)

// A promise of four hours that is made on a Friday afternoon falls due on Monday.
func ExampleCalendar_DueTarget() {
	office, err := calendar.New(calendar.Definition{
		Zone: "Europe/Oslo",
		Week: map[string][]string{
			"mon": {"08:00-16:00"}, "tue": {"08:00-16:00"}, "wed": {"08:00-16:00"}, "thu": {"08:00-16:00"},
			"fri": {"08:00-16:00"},
		},
		Closed: []string{"2026-12-25"},
	})
	if err != nil {
		fmt.Println(err)
		return
	}
	target, err := calendar.ParseTarget("4h")
	if err != nil {
		fmt.Println(err)
		return
	}
	made := time.Date(2026, 11, 27, 14, 0, 0, 0, office.Location())
	due, err := office.DueTarget(made.Unix(), target)
	if err != nil {
		fmt.Println(err)
		return
	}
	fmt.Println(time.Unix(due, 0).In(office.Location()).Format("Mon 15:04"))
	fmt.Println(office.Span(made.Unix(), due) / 3600)
	// Output:
	// Mon 10:00
	// 4
}
