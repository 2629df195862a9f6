package intake

import (
	"strings"
	"testing"
	"unicode"
	"unicode/utf8"
)

func TestFit(t *testing.T) {
	t.Parallel()
	long := strings.Repeat("The gate at the pier refuses every card. ", 8)
	for _, x := range []struct {
		name        string
		limit       Limit
		title, text string
		want        string // the title
		texts       int
		replaced    int
	}{
		{"no limits", Limit{}, "Gates say no", long, "Gates say no", 1, 0},
		{"all fits", Limit{Title: 12, Text: 4000, Letters: "ascii"}, "Gates say no", "Since nine", "Gates say no", 1, 0},
		{"a long title is cut after a word", Limit{Title: 16}, "Gates at the pier say no", "x", "Gates at the…", 1, 0},
		{"one long word is cut within", Limit{Title: 10}, strings.Repeat("g", 30), "x", "ggggggggg…", 1, 0},
		{"in plain letters", Limit{Title: 16, Letters: "ascii"}, "Gates at the pier say no", "x", "Gates at the...", 1, 0},
		{"a long text goes in parts", Limit{Text: 250}, "Gates", long, "Gates", 3, 0},
		{"a text limit that is too small to use", Limit{Text: 5}, "Gates", "Since nine", "Gates", 1, 0},
		{"letters of the north", Limit{Letters: "latin-1"}, "Ærlig – på", "Æ “ø”", "Ærlig - på", 1, 3},
		{"no such letters", Limit{Letters: "ascii"}, "Ærlig på", "日", "Aerlig pa", 1, 3},
	} {
		f := Fit(x.limit, x.title, x.text)
		if f.Title != x.want || len(f.Texts) != x.texts || f.Replaced != x.replaced {
			t.Errorf("%s: %q, %d texts, %d replaced: %q", x.name, f.Title, len(f.Texts), f.Replaced, f.Texts)
		}
		if same := f.Title == x.title && x.texts == 1 && f.Texts[0] == x.text; f.Changed(x.title, x.text) == same {
			t.Errorf("%s: changed is %v", x.name, f.Changed(x.title, x.text))
		}
		if x.limit.Title > 0 && f.Title != x.title && !strings.HasPrefix(f.Texts[0], "Title: "+x.title) {
			t.Errorf("%s: the title in full is lost: %q", x.name, f.Texts[0])
		}
	}
	f := Fit(Limit{Text: 250}, "", "First.\n\n"+strings.Repeat("second ", 20)+"\n\nThird "+strings.Repeat("x", 60))
	if !strings.HasSuffix(f.Texts[0], "second\n\n(Part 1 of 2: the rest follows.)") ||
		!strings.HasPrefix(f.Texts[1], "(Part 2 of 2)\n\nThird") {
		t.Errorf("cut between paragraphs: %q", f.Texts)
	}
}

// Whatever the message and the limits, each part is within them and nothing is lost but the spaces at the cuts.
func FuzzFit(f *testing.F) {
	f.Add("Gates say no", "Since nine\n\nall of them", 20, 220, uint8(0))
	f.Add("Ærlig talt ærlig talt", strings.Repeat("ø", 500), 8, 205, uint8(1))
	f.Add("", strings.Repeat("x", 900), 0, 300, uint8(2))
	f.Fuzz(func(t *testing.T, title, text string, titleMost, textMost int, letters uint8) {
		l := Limit{Title: titleMost % 200, Text: textMost % 5000, Letters: []string{"", "latin-1", "ascii"}[letters%3]}
		if !utf8.ValidString(title) || !utf8.ValidString(text) || l.Title < 0 || l.Text < 0 || l.Title > 0 && l.Title < 5 {
			return
		}
		got := Fit(l, title, text)
		last := map[string]rune{"": unicode.MaxRune, "latin-1": unicode.MaxLatin1, "ascii": unicode.MaxASCII}[l.Letters]
		for _, s := range append([]string{got.Title}, got.Texts...) {
			if strings.IndexFunc(s, func(r rune) bool { return r > last }) >= 0 || !utf8.ValidString(s) {
				t.Fatalf("not in %s: %q", l.Letters, s)
			}
		}
		if n := utf8.RuneCountInString(got.Title); l.Title > 0 && n > l.Title {
			t.Fatalf("the title has %d of %d", n, l.Title)
		}
		var whole strings.Builder
		for i, s := range got.Texts {
			if l.Text > 0 && len(s) > max(l.Text, leastText) {
				t.Fatalf("part %d has %d bytes of %d", i+1, len(s), l.Text)
			}
			if len(got.Texts) > 1 {
				if i == 0 {
					s = s[:strings.LastIndex(s, "\n\n(Part 1 of ")]
				} else {
					_, s, _ = strings.Cut(s, ")\n\n")
				}
			}
			whole.WriteString(s)
		}
		bare := func(s string) string { return strings.NewReplacer("\n", "", " ", "").Replace(s) }
		want, _ := spell(l.Letters, text)
		if !strings.HasSuffix(bare(whole.String()), bare(want)) {
			t.Fatalf("lost something:\n%q\n%q", whole.String(), want)
		}
	})
}
