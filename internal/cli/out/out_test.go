package out

import (
	"bytes"
	"strings"
	"testing"
	"time"
	"unicode/utf8"
)

func TestTablesFitTheWindow(t *testing.T) {
	cols := []Column{{Name: "case"}, {Name: "title", Shrink: true}, {Name: "vendor", Shrink: true}}
	rows := func() [][]string {
		return [][]string{{"C-1001", "A title that is a good deal longer than the window", "Corvane Cloud"},
			{"C-1002", "Short", "Nine Fathom Networks"}}
	}
	for _, width := range []int{120, 60, 44} {
		var b bytes.Buffer
		p := &Printer{W: &b, Width: width}
		p.Table(cols, rows())
		for _, line := range strings.Split(strings.TrimRight(b.String(), "\n"), "\n") {
			if n := utf8.RuneCountInString(line); n > width {
				t.Errorf("at %d a line has %d characters: %s", width, n, line)
			}
		}
		if !strings.Contains(b.String(), "C-1002") || width == 120 && strings.Contains(b.String(), "…") {
			t.Errorf("at %d:\n%s", width, &b)
		}
	}
	// The main column keeps its words while others shrink, and go where there is no room.
	wide := []Column{{Name: "severity"}, {Name: "case"}, {Name: "title", Main: true},
		{Name: "vendor", Shrink: true, Drop: 3}, {Name: "reason", Shrink: true}, {Name: "standing", Drop: 5}, {Name: "due"},
		{Name: "owner", Drop: 2}}
	for width, shown := range map[int]string{160: "owner", 100: "Console signs people out",
		80: "Console signs people out"} {
		var b bytes.Buffer
		(&Printer{W: &b, Width: width}).Table(wide,
			[][]string{{"3 Hampered", "C-1001", "Console signs people out after every second request", "Tallow & Wick Storage",
				"First response due", "○ running", "7 Dec 18:00", "RL"}})
		for line := range strings.Lines(b.String()) {
			if n := utf8.RuneCountInString(strings.TrimRight(line, "\n")); n > width {
				t.Errorf("at %d a line has %d characters: %s", width, n, line)
			}
		}
		if !strings.Contains(b.String(), shown) {
			t.Errorf("at %d without %q:\n%s", width, shown, &b)
		}
	}
	// What leaves makes room for the words of what was cut before it left.
	var roomy bytes.Buffer
	(&Printer{W: &roomy, Width: 60}).Table([]Column{{Name: "asset", Main: true}, {Name: "cover", Shrink: true},
		{Name: "product", Drop: 1}},
		[][]string{{"Array Gannetholm-2", "Covered by TW-C-7718 until 2027", "Array 40, eight shelves"}})
	if !strings.Contains(roomy.String(), "Covered by TW-C-7718 until 2027") {
		t.Errorf("cut though there is room:\n%s", &roomy)
	}
	var whole bytes.Buffer // a pipe has no width: nothing is cut
	(&Printer{W: &whole}).Table(cols, rows())
	if !strings.Contains(whole.String(), "longer than the window") {
		t.Errorf("cut for a pipe:\n%s", &whole)
	}
}

func TestStandingsHaveShapeAndWord(t *testing.T) {
	plain, colour := &Printer{}, &Printer{Color: true}
	for s := range standings {
		if got := plain.Standing(s); !strings.Contains(got, " ") || strings.Contains(got, "\x1b") {
			t.Errorf("%s is %q", s, got)
		}
		if !strings.Contains(colour.Standing(s), "\x1b") {
			t.Errorf("%s has no colour on a terminal", s)
		}
	}
}

func TestTime(t *testing.T) {
	oslo, err := time.LoadLocation("Europe/Oslo")
	if err != nil {
		t.Fatal(err)
	}
	now := time.Date(2026, 11, 27, 23, 30, 0, 0, time.UTC) // half past midnight of the 28th in Oslo
	for want, at := range map[string]time.Time{"00:05": now.Add(-25 * time.Minute),
		"Fri 27, 23:55": now.Add(-35 * time.Minute),
		"Tue 24, 00:30": now.AddDate(0, 0, -4), "Wed 2 Dec, 00:30": now.AddDate(0, 0, 4),
		"6 Oct, 01:30": now.AddDate(0, 0, -53), "28 Nov 2025, 00:30": now.AddDate(-1, 0, 0)} {
		if got := (Times{Zone: oslo, Now: now}).Short(&at); got != want {
			t.Errorf("%s, want %s", got, want)
		}
	}
	if got := (Times{Zone: oslo}).Short(nil); got != "" {
		t.Errorf("no instant is %q", got)
	}
}
