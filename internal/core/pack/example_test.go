package pack_test

import (
	"fmt"

	"roundhouse.example/internal/core/pack"
)

// A pack is read strictly, and what is wrong with it is said with its line.
func ExampleRead() {
	_, findings := pack.Read([]byte(`vendor_pack: 2
vendor:
  key: ferrous
  name: Ferrous Payments
  zone: Europe/Oslo
`))
	for _, f := range findings {
		fmt.Println(f)
	}
	// Output:
	// 1: calendars is missing
	// 2: vendor: hours is missing
	// 2: vendor: levels is missing
}
