package deadline

import "testing"

func TestTook(t *testing.T) {
	for _, x := range []struct {
		seconds []int64
		want    Took
	}{
		{nil, Took{}},
		{[]int64{40}, Took{1, 40, 40}},
		{[]int64{90, 30}, Took{2, 30, 90}},
		{[]int64{50, 10, 7200}, Took{3, 50, 7200}},
		{[]int64{4, 3, 2, 1}, Took{4, 2, 4}},
	} {
		if got := TookOf(x.seconds); got != x.want {
			t.Errorf("%v: %+v, want %+v", x.seconds, got, x.want)
		}
	}
}
