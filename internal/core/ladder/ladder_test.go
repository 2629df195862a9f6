package ladder_test

import (
	"testing"

	"roundhouse.example/internal/core/ladder"
	"roundhouse.example/internal/core/register"
)

// A ladder's lengths are seconds: a business day is eight covered hours of lateness, and a day of age. Any of several
// conditions makes a rung due.
func TestTheLadderInSeconds(t *testing.T) {
	t.Parallel()
	l := ladder.Of([]register.Rung{{LateBy: "1h30m", Reopened: 2}, {LateBy: "2bd"}, {OpenLonger: "1bd", Severity: 2},
		{OpenLonger: "2d"}, {FixesRejected: 3}, {}})
	for i, want := range []struct{ late, open int64 }{{5400, -1}, {57600, -1}, {-1, 86400}, {-1, 172800}, {-1, -1},
		{-1, -1}} {
		for _, x := range []struct {
			got  *int64
			want int64
		}{{l[i].LateBy, want.late}, {l[i].OpenLonger, want.open}} {
			if x.got == nil && x.want != -1 || x.got != nil && *x.got != x.want {
				t.Errorf("rung %d: %+v", i+1, l[i])
			}
		}
	}
	if l[0].Reopened != 2 || l[4].FixesRejected != 3 || l[2].Severity != 2 || l[3].Severity != 4 {
		t.Errorf("%+v", l)
	}
}
