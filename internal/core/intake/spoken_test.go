package intake

import (
	"strings"
	"testing"
	"unicode/utf8"
)

func TestSpell(t *testing.T) {
	for in, want := range map[string]string{
		"CC-31": "Charlie, Charlie, dash, 3, 1", "TW/88-20650": "Tango, Whiskey, slash, 8, 8, dash, 2, 0, 6, 5, 0",
		"xø1": "X-ray, ø, 1", "": "", "a.b_c": "Alfa, dot, Bravo, underscore, Charlie",
	} {
		if got := Spell(in); got != want {
			t.Errorf("%q is spelled %q, want %q", in, got, want)
		}
	}
}

func TestSpoken(t *testing.T) {
	text := "Gates refuse tickets\n\nContract: CC-2231-P\nSerial number: 0093\nFirmware: 7.9\n" +
		"Last good copy: 2026-11-23\nRequested level: Alarm\nImpact: production, stopped, 40 users\n\n" +
		"What happened\nSince: 11:40 it is slow.\nGate: G4"
	want := strings.NewReplacer("CC-2231-P\n", "CC-2231-P\n    Charlie, Charlie, dash, 2, 2, 3, 1, dash, Papa\n",
		"0093\n", "0093\n    0, 0, 9, 3\n").Replace(text)
	if got := Spoken(text); got != want {
		t.Errorf("it is read out as\n%s\nwant\n%s", got, want)
	}
}

func FuzzSpoken(f *testing.F) {
	f.Add("A\n\nContract: C-1\n\nWhat happened\nX: 1")
	f.Fuzz(func(t *testing.T, s string) {
		got := Spoken(s)
		if utf8.ValidString(s) && !utf8.ValidString(got) {
			t.Errorf("%q becomes %q", s, got)
		}
		// Nothing of the text is lost: without the lines that were put in, it is the text.
		kept, at := []string{}, 0
		lines := strings.Split(s, "\n")
		for _, l := range strings.Split(got, "\n") {
			if at < len(lines) && l == lines[at] {
				kept, at = append(kept, l), at+1
			}
		}
		if strings.Join(kept, "\n") != s {
			t.Errorf("%q lost something: %q", s, got)
		}
	})
}
