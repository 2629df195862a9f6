package whom

import (
	"fmt"
	"strings"
	"testing"
)

func TestWhom(t *testing.T) {
	t.Parallel()
	for _, x := range []struct {
		name, want string
		signs      []Sign
	}{
		{"nothing points at anybody", "", nil},
		{"what we own says more than an earlier case", "2:6 1:2", []Sign{{1, "case", "C-1", 1}, {1, "case", "C-2", 1},
			{2, "asset", "Array", 2}}},
		{"two things of one vendor count together", "1:5 2:4", []Sign{{2, "vendor", "Them", 1}, {1, "asset", "Array", 1},
			{1, "account", "77", 1}}},
		{"equals stay in order", "3:3 4:3", []Sign{{3, "asset", "a", 1}, {4, "product", "b", 1}}},
		{"four at most", "1:1 2:1 3:1 4:1", []Sign{{1, "case", "", 1}, {2, "case", "", 1}, {3, "case", "", 1},
			{4, "case", "", 1}, {5, "case", "", 1}}},
		{"a word of no kind counts nothing", "1:0", []Sign{{1, "person", "x", 3}}},
	} {
		var got []string
		for _, c := range Whom(x.signs) {
			got = append(got, fmt.Sprintf("%d:%d", c.Vendor, c.Points))
		}
		if s := strings.Join(got, " "); s != x.want {
			t.Errorf("%s: %s, want %s", x.name, s, x.want)
		}
	}
	c := Whom([]Sign{{1, "case", "old", 1}, {1, "account", "n", 1}, {1, "asset", "a", 1}, {1, "asset", "b", 2}})
	if names := fmt.Sprint(c[0].Signs); names != "[{1 asset b 2} {1 asset a 1} {1 account n 1}]" {
		t.Errorf("its signs: %s", names)
	}
}
