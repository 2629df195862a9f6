package deadline

import "slices"

// Took is how long something lasted the last times, in seconds of the clock on the wall.
type Took struct {
	Cases   int
	Half    int64 // half of them lasted at most so long
	Longest int64
}

// TookOf sums up how long things lasted, in seconds. It is zero where there are none.
func TookOf(seconds []int64) (t Took) {
	if len(seconds) == 0 {
		return t
	}
	sorted := slices.Sorted(slices.Values(seconds))
	return Took{len(sorted), sorted[(len(sorted)-1)/2], sorted[len(sorted)-1]}
}
