package access

import (
	"errors"
	"slices"
	"testing"
)

func TestGrants(t *testing.T) {
	for role, acts := range allowed {
		g := Of(role)
		for _, act := range []Act{Read, Work, People, Tokens, Register, Contracts, Vendors, Secrets, Reveal} {
			err := g.May(act)
			var no *Forbidden
			if want := slices.Contains(acts, act); (err == nil) != want || !want && !errors.As(err, &no) {
				t.Errorf("%s, %s: %v", role, act, err)
			}
		}
		if !g.SeesVendor(7) || !g.SeesEntry("note") || len(g.Hidden()) != 0 {
			t.Errorf("%s does not see everything", role)
		}
	}
	nobody := Of("stranger")
	if nobody.May(Read) == nil || nobody.SeesEntry("note") || !nobody.SeesEntry("message") ||
		nobody.SeesEntry("briefing") || !slices.Equal(nobody.Hidden(), []string{"note", "briefing"}) {
		t.Errorf("an unknown role: %+v", nobody)
	}
	few := Grant{Vendors: []int64{3}}
	if few.SeesVendor(7) || !few.SeesVendor(3) {
		t.Error("cases of other vendors are seen")
	}
}
