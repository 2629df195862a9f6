package out

import (
	"testing"
	"time"
)

func TestShortTimes(t *testing.T) {
	oslo, err := time.LoadLocation("Europe/Oslo")
	if err != nil {
		t.Fatal(err)
	}
	x := Times{Zone: oslo, Now: time.Date(2026, 11, 27, 23, 30, 0, 0, time.UTC)} // Saturday already, in Oslo
	for at, want := range map[string]string{
		"2026-11-28T07:00:00Z": "08:00",
		"2026-11-27T22:00:00Z": "Fri 27, 23:00",
		"2026-11-29T11:00:00Z": "Sun 29, 12:00",
		"2026-12-01T11:00:00Z": "Tue 1 Dec, 12:00",
		"2026-12-20T11:00:00Z": "20 Dec, 12:00",
		"2026-07-01T11:00:00Z": "1 Jul, 13:00",
		"2027-01-04T11:00:00Z": "4 Jan 2027, 12:00",
	} {
		v, err := time.Parse(time.RFC3339, at)
		if err != nil {
			t.Fatal(err)
		}
		if got := x.Short(&v); got != want {
			t.Errorf("%s is %q, want %q", at, got, want)
		}
	}
	if got := x.Short(nil); got != "" {
		t.Errorf("no time is %q", got)
	}
	if got := x.Full(x.Now); got != "28 Nov 2026, 00:30:00" || x.Name() != "Europe/Oslo" {
		t.Errorf("%q in %s", got, x.Name())
	}
}
