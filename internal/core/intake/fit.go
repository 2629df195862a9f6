package intake

import (
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"
)

// Limit is what a channel takes at once. The zero value takes everything.
type Limit struct {
	Title   int    // characters of a title; 0: any number
	Text    int    // bytes of a text, in UTF-8; 0: any number
	Letters string // latin-1, ascii, or empty for all
}

// Fitted is a message as it goes through a channel's limits.
type Fitted struct {
	Title string
	// Texts are the message and what follows it because it did not fit.
	Texts []string
	// Replaced is how many characters the channel cannot carry and that were written otherwise.
	Replaced int
}

// Changed says whether a channel's limits change anything.
func (f Fitted) Changed(title, text string) bool {
	return f.Title != title || len(f.Texts) != 1 || f.Texts[0] != text
}

const (
	// leastText is the shortest text that is worth splitting for: heads and words need room.
	leastText = 200
	// spare is kept free in each text for its head and for the mark that a channel puts before it.
	spare = 100
)

// Fit makes a message fit what a channel takes. Nothing is left out: a title that is cut stands in full at the head of
// the text, and what of the text is too long follows in further messages, cut between paragraphs, lines or words where
// that is possible.
func Fit(l Limit, title, text string) Fitted {
	f := Fitted{Title: title}
	full := title
	f.Title, f.Replaced = spell(l.Letters, title)
	cut := shorten(f.Title, l.Title, l.Letters)
	if cut != f.Title {
		text = "Title: " + full + "\n\n" + text
	}
	f.Title = cut
	text, n := spell(l.Letters, text)
	f.Replaced += n
	most := max(l.Text, leastText)
	if l.Text == 0 || len(text)+spare/2 <= most {
		f.Texts = []string{text}
		return f
	}
	parts := split(text, most-spare)
	for i, p := range parts {
		switch i {
		case 0:
			p += fmt.Sprintf("\n\n(Part 1 of %d: the rest follows.)", len(parts))
		default:
			p = fmt.Sprintf("(Part %d of %d)\n\n", i+1, len(parts)) + p
		}
		f.Texts = append(f.Texts, p)
	}
	return f
}

// shorten cuts a title after a word.
func shorten(title string, most int, letters string) string {
	if most <= 0 || utf8.RuneCountInString(title) <= most {
		return title
	}
	dots := "…"
	if letters != "" {
		dots = "..."
	}
	runes, at := []rune(title), max(1, most-utf8.RuneCountInString(dots))
	short := string(runes[:at])
	if i := strings.LastIndexFunc(short, unicode.IsSpace); i > len(short)/2 && !unicode.IsSpace(runes[at]) {
		short = short[:i]
	}
	loose := func(r rune) bool { return unicode.IsSpace(r) || unicode.IsPunct(r) }
	return strings.TrimRightFunc(short, loose) + dots
}

// split cuts a text into parts, none of them longer than a number of bytes.
func split(text string, most int) (parts []string) {
	for len(text) > most {
		at := most
		for at > 0 && !utf8.RuneStart(text[at]) {
			at--
		}
		for _, between := range []string{"\n\n", "\n", " "} {
			if i := strings.LastIndex(text[:at], between); i > most/2 {
				at = i
				break
			}
		}
		parts = append(parts, strings.TrimRight(text[:at], "\n "))
		text = strings.TrimLeft(text[at:], "\n ")
	}
	return append(parts, text)
}

// plainer are letters that fall apart into none that every channel takes.
var plainer = strings.NewReplacer("“", `"`, "”", `"`, "„", `"`, "«", `"`, "»", `"`, "‘", "'", "’", "'", "–", "-",
	"—", "-", "…", "...", "•", "-", "→", "->", "←", "<-", "≥", ">=", "≤", "<=", "×", "x", "€", "EUR", "°", " deg",
	"\u00a0", " ",
	"ø", "o", "Ø", "O", "æ", "ae", "Æ", "Ae", "œ", "oe", "Œ", "Oe", "ß", "ss", "ł", "l", "Ł", "L", "đ", "d", "Đ", "D",
	"þ", "th", "Þ", "Th", "ð", "d", "Ð", "D", "ı", "i")

// spell writes a text in the letters that a channel takes, and says how many characters were written otherwise.
func spell(letters, text string) (string, int) {
	last := rune(unicode.MaxRune)
	switch letters {
	case "ascii":
		last = unicode.MaxASCII
	case "latin-1":
		last = unicode.MaxLatin1
	default:
		return text, 0
	}
	var b strings.Builder
	n := 0
	for _, r := range text {
		if r <= last {
			b.WriteRune(r)
			continue
		}
		n++
		s := plainer.Replace(string(r))
		s = strings.Map(func(r rune) rune {
			switch {
			case unicode.Is(unicode.Mn, r):
				return -1
			case r > last:
				return '?'
			}
			return r
		}, norm.NFKD.String(s))
		b.WriteString(s)
	}
	return b.String(), n
}
