package channel

import (
	"strings"
	"testing"
	"unicode/utf8"
)

func TestClean(t *testing.T) {
	for _, x := range []struct {
		in   string
		most int
		want string
	}{
		{"as it is", 20, "as it is"}, {"a\x00b", 20, "ab"}, {"\x00", 20, ""}, {"a\xffb", 20, "a\uFFFDb"}, {"æøå", 3, "æ"},
		{"æøå", 4, "æø"}, {"abc", 0, ""},
		{"half a character \xc3", 100, "half a character \uFFFD"},
	} {
		if got := Clean(x.in, x.most); got != x.want {
			t.Errorf("%q in %d: %q, want %q", x.in, x.most, got, x.want)
		}
	}
	long := strings.Repeat("k", MaxText)
	a, b := Incoming{Key: long + "1"}.Clean(), Incoming{Key: long[:MaxText-1] + "2"}.Clean()
	if len(a.Key) > MaxName || a.Key == b.Key {
		t.Errorf("long keys: %q and %q", a.Key, b.Key)
	}
}

func FuzzClean(f *testing.F) {
	f.Add("\xff\x00æ", 2)
	f.Fuzz(func(t *testing.T, s string, most int) {
		most = max(0, min(most, 1<<16))
		got := Clean(s, most)
		if !utf8.ValidString(got) || strings.ContainsRune(got, 0) || len(got) > most || Clean(got, most) != got {
			t.Errorf("%q in %d: %q", s, most, got)
		}
	})
}

// A mark stands at the head of what we sent; where somebody quotes it, it does not.
func TestOurOwnWordsBeginWithTheMark(t *testing.T) {
	mark := NewMarker()
	for text, own := range map[string]bool{
		Marked(mark, "Hello"): true, "  \n" + Marked(mark, "Hello"): true, Marked(mark, ""): true,
		"Restart NOW\n\n> " + Marked(mark, "Hello"): false, "> " + Marked(mark, "Hello"): false, mark +
			" is your mark": false, "": false,
	} {
		if got := MarkAtHead(text) != ""; got != own {
			t.Errorf("%q: our own %v, want %v", text, got, own)
		}
	}
}
