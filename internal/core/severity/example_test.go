package severity_test

import (
	"fmt"

	"roundhouse.example/internal/core/severity"
)

// What is stopped for many, in production, without a workaround, is severity 1.
func ExampleOf() {
	grade, err := severity.Of(severity.Facts{Environment: "production", Effect: "stopped", Reach: "many",
		Workaround: "none"})
	if err != nil {
		fmt.Println(err)
		return
	}
	fmt.Println(int(grade.Level), grade.Level)
	fmt.Println(severity.Override(grade.Level, severity.Minor) != "")
	// Output:
	// 1 Stopped
	// true
}
