package literal

import (
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
)

// The machine finds what a plain search finds, wherever literals overlap, contain one another or are the same in part.
func TestFindsWhatAPlainSearchFinds(t *testing.T) {
	list := []string{"a", "ab", "bab", "abab", "bc", "caa", "Ба", "b-c", "aaaa"}
	m := New(list)
	r := rand.New(rand.NewPCG(3, 9))
	for range 3000 {
		var b strings.Builder
		for range r.IntN(40) {
			b.WriteString([]string{"a", "b", "c", "A", "B", "-", "Б", "а", "x"}[r.IntN(9)])
		}
		text := b.String()
		var got, want [][2]int
		m.Each([]byte(text), func(l, end int) { got = append(got, [2]int{end, l}) }, func(int) {})
		low := strings.Map(func(r rune) rune {
			if r < 128 {
				return rune(Fold(byte(r)))
			}
			return r
		}, text)
		for l, s := range list {
			for at := range len(low) {
				if strings.HasPrefix(low[at:], s) {
					want = append(want, [2]int{at + len(s), l})
				}
			}
		}
		order := func(a, b [2]int) int { return slices.Compare(a[:], b[:]) }
		slices.SortFunc(got, order)
		slices.SortFunc(want, order)
		if !slices.Equal(got, want) {
			t.Fatalf("%q: %v, want %v", text, got, want)
		}
	}
}

func TestAccounts(t *testing.T) {
	var at []int
	New([]string{"x"}).Each([]byte("no12 1NO 12 a12 AB3 DE89NO93"), func(int, int) {}, func(i int) { at = append(at, i) })
	if !slices.Equal(at, []int{2, 22, 26}) {
		t.Errorf("digits after two letters at %v", at)
	}
}
