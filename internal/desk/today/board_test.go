package today

import (
	"math/rand/v2"
	"reflect"
	"testing"
	"time"

	casesdb "roundhouse.example/internal/store/cases"

	"roundhouse.example/internal/core/attention"
	"roundhouse.example/internal/core/calendar"
)

// A large board is looked through in parts, and gives what looking through it whole does:
// for everybody and for one person, from the beginning and from a place within.
func TestALargeBoardInParts(t *testing.T) {
	t.Parallel()
	hours, err := calendar.New(calendar.Definition{Zone: "UTC",
		Week: map[string][]string{"mon": {"08:00-16:00"}, "wed": {"08:00-12:00"}}})
	if err != nil {
		t.Fatal(err)
	}
	rng := rand.New(rand.NewPCG(7, 7))
	now := time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC)
	var v boardView
	for i := range 5*partSize + 137 {
		since, next, owner := now.Add(-time.Duration(rng.IntN(5000))*time.Minute),
			now.Add(time.Duration(rng.IntN(9000)-4000)*time.Minute), int64(rng.IntN(3))
		c := &pressed{Pressing: casesdb.Pressing{ID: int64(i), Number: int64(1000 + i), Parked: rng.IntN(5) == 0,
			NextAt: &next, OwnerID: &owner}, severity: 1 + rng.IntN(4), live: rng.IntN(4) > 0}
		if rng.IntN(3) == 0 {
			c.Unread, c.UnreadSince = 1, &since
		}
		if rng.IntN(9) == 0 {
			c.deliveries, c.undelivered = 1, "Could not be delivered: x"
		}
		v.list = append(v.list, c)
	}
	var after *attention.Line
	for range 4 {
		for _, only := range []keeps{nil, func(c *pressed) bool { return *c.OwnerID == 2 }} {
			want, sums := v.foremostOf(now.Unix(), hours, only, after, 50)
			got, gotSums := v.foremost(now.Unix(), hours, only, after, 50)
			if !reflect.DeepEqual(got, want) || gotSums != sums || len(got) != 50 || sums.Lines < 50 {
				t.Fatalf("in parts %d lines and %+v, whole %d lines and %+v", len(got), gotSums, len(want), sums)
			}
			after = &want[len(want)-1].Line
		}
	}
}
