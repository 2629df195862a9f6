package ready_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"roundhouse.example/internal/core/ready"
	"roundhouse.example/internal/core/rota"
)

var whole = ready.Vendor{Key: "a", Name: "Anker", Levels: []string{"Down", "Slow"}, Ladder: true, OutOfHours: true}

func with(change func(*ready.Vendor)) ready.Vendor {
	v := whole
	change(&v)
	return v
}

// Each kind of gap by itself, and nothing where all is there.
func TestGaps(t *testing.T) {
	t.Parallel()
	both := []ready.Contract{{ID: 7, Number: "K-1", Vendor: "a", Promised: []int{2, 1}}}
	night := []rota.Gap{{From: time.Unix(100, 0), Until: time.Unix(200, 0)}}
	round := with(func(v *ready.Vendor) { v.Round = []string{"Down"} })
	for _, x := range []struct {
		what      string
		vendors   []ready.Vendor
		contracts []ready.Contract
		rota      []rota.Gap
		want      string
	}{
		{"all is there", []ready.Vendor{whole}, both, nil, ""},
		{"a gap that nobody minds", []ready.Vendor{whole}, both, night, ""},
		{"a gap in the rota", []ready.Vendor{round}, both, night, "no-rota  [] [Anker] 100"},
		{"nobody to call at night", []ready.Vendor{with(func(v *ready.Vendor) { v.OutOfHours = false })}, both, nil,
			"no-way Anker [] [] -"},
		{"always open", []ready.Vendor{with(func(v *ready.Vendor) { v.OutOfHours, v.Always = false, true })}, both, nil, ""},
		{"no ladder", []ready.Vendor{with(func(v *ready.Vendor) { v.Ladder = false })}, both, nil, "no-ladder Anker [] [] -"},
		{"through another", []ready.Vendor{with(func(v *ready.Vendor) { v.Ladder, v.Through = false, true })}, both, nil, ""},
		{"one level without a promise", []ready.Vendor{whole}, []ready.Contract{{ID: 7, Number: "K-1", Vendor: "a",
			Promised: []int{1}}}, nil, "no-promise Anker [Slow] [] -"},
		{"no promise at all", []ready.Vendor{whole}, []ready.Contract{{ID: 7, Number: "K-1", Vendor: "a"}}, nil,
			"no-promise Anker [Down Slow] [] -"},
		{"a contract with nobody we know", []ready.Vendor{whole}, []ready.Contract{{ID: 7, Number: "K-1", Vendor: "b"}}, nil,
			""},
		{"the gravest first, then by name", []ready.Vendor{with(func(v *ready.Vendor) { v.Ladder = false }),
			{Key: "b", Name: "Aal", Levels: []string{"Any"}, Round: []string{"Any"}}},
			[]ready.Contract{{Number: "K-2", Vendor: "b"}, {Number: "K-1", Vendor: "b"}}, night,
			"no-rota  [] [Aal] 100; no-way Aal [] [] -; no-ladder Aal [] [] -; no-ladder Anker [] [] -; " +
				"no-promise Aal [Any] [] -; no-promise Aal [Any] [] -"},
	} {
		var got []string
		for _, g := range ready.Gaps(x.vendors, x.contracts, x.rota) {
			from := "-"
			if !g.Rota.From.IsZero() {
				from = fmt.Sprint(g.Rota.From.Unix())
			}
			got = append(got, fmt.Sprintf("%s %s %v %v %s", g.Kind, g.Name, g.Levels, g.Vendors, from))
		}
		if s := strings.Join(got, "; "); s != x.want {
			t.Errorf("%s: %s, want %s", x.what, s, x.want)
		}
	}
}
