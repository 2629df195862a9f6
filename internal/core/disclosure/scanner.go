package disclosure

import (
	"bytes"
	"regexp"
	"strings"
	"unicode"
	"unicode/utf8"

	"roundhouse.example/internal/core/disclosure/decode"
	"roundhouse.example/internal/core/disclosure/literal"
)

// Scanner finds what must not leave, in texts of any length. It is safe for concurrent use.
type Scanner struct {
	literals []clue
	machine  *literal.Machine
	personal []*regexp.Regexp
}

// NewScanner makes one; what Config.Check says of a wrong configuration is its error.
func NewScanner(c Config) (*Scanner, error) {
	if err := c.Check(); err != nil {
		return nil, err
	}
	s := &Scanner{literals: own(c)}
	texts := make([]string, len(s.literals))
	for i, l := range s.literals {
		texts[i] = l.text
	}
	s.machine = literal.New(texts)
	for _, p := range c.PersonalNumbers {
		s.personal = append(s.personal, regexp.MustCompile(p))
	}
	return s, nil
}

// Text finds everything in a text.
func (s *Scanner) Text(text string) []Finding {
	st := s.Stream(nil)
	_, _ = st.Write([]byte(text))
	return st.Close()
}

// Masked is the text with Mask in place of whatever would be stopped or warned of.
func (s *Scanner) Masked(text string) string {
	var b bytes.Buffer
	st := s.Stream(func(p []byte) { b.Write(p) })
	_, _ = st.Write([]byte(text))
	st.Close()
	return b.String()
}

const (
	// longest is how much of a line is looked at at once; of a longer one, windows overlap by overlap.
	longest = 64 << 10
	overlap = 8 << 10
	// most findings of one kind are kept of one text; of the rest only the number is known.
	most = 1000
)

// Stream takes a text in pieces, wherever they are cut, and holds no more of it than a long line.
type Stream struct {
	sc       *Scanner
	masked   func([]byte)
	decode   decode.Decoder
	rest     []byte // of the line that is not whole yet
	done     int    // so much of rest has been looked at; it is kept for what it says of the rest
	offset   int64  // of rest, or of the line that is looked at, in the text
	number   int    // of the line
	now      line
	pending  Kind
	block    block
	random   bool // the line before held a random string
	count    map[Kind]int
	findings []Finding
}

// Stream begins one. What is masked, if anything is to be, is given to a function piece by piece, as UTF-8 where the
// text was UTF-16, else in the text's own encoding.
func (s *Scanner) Stream(masked func([]byte)) *Stream {
	return &Stream{sc: s, masked: masked, number: 1, count: map[Kind]int{}}
}

// Write takes the next piece. It never fails.
func (t *Stream) Write(p []byte) (int, error) {
	t.take(t.decode.Next(p))
	return len(p), nil
}

// take goes through all lines that are whole; those of a piece are looked at where they stand.
func (t *Stream) take(p []byte) {
	for len(p) > 0 {
		i := bytes.IndexByte(p, '\n')
		if i < 0 {
			t.rest = append(t.rest, p...)
			t.windows(longest + overlap)
			return
		}
		if len(t.rest) == 0 && i < longest {
			t.line(p[:i], p[i:i+1])
		} else {
			t.rest = append(t.rest, p[:i]...)
			t.windows(longest)
			t.line(t.rest, p[i:i+1])
			t.rest = t.rest[:0]
		}
		p = p[i+1:]
	}
}

// Close ends the text and gives everything that was found, in order.
func (t *Stream) Close() []Finding {
	t.take(t.decode.End())
	t.windows(longest)
	t.line(t.rest, nil)
	return t.findings
}

// More is how many of a kind were found beyond those that were kept.
func (t *Stream) More(k Kind) int { return max(0, t.count[k]-most) }

// windows looks at a line that is longer than above, but for its end. What is found in the overlap with what follows is
// left to the next window, which begins a little before, with the names of what it holds.
func (t *Stream) windows(above int) {
	for len(t.rest) > above {
		b := t.rest[:longest]
		s := t.look(b)
		keep := len(b) - overlap
		for _, x := range s.spots {
			if x.from < keep && x.to > keep {
				keep = x.to
			}
		}
		t.tell(b[:keep], s.spots)
		cut := max(0, keep-overlap)
		t.done = keep - cut
		t.offset += int64(cut)
		t.rest = append(t.rest[:0], t.rest[cut:]...)
	}
}

// line looks at a line, or at the last window of one; end is its line break.
func (t *Stream) line(b, end []byte) {
	t.tell(b, t.look(b).spots)
	if t.masked != nil {
		t.masked(end)
	}
	t.offset += int64(len(b) + len(end))
	t.done = 0
	t.number++
}

// look finds what is in a line, with what those before it began.
func (t *Stream) look(b []byte) *line {
	s := &t.now
	*s = line{sc: t.sc, b: b, spots: s.spots[:0]}
	if t.block.goesOn(s) {
		return s
	}
	if t.pending != "" {
		s.awaited(t.pending)
	}
	s.look()
	t.block.begins(s, t.number)
	// A block of random lines is told once.
	if s.again = t.random && len(s.spots) == 1 && s.spots[0].kind == RandomString; len(b) > 0 {
		t.random = s.random
	}
	if len(bytes.TrimSpace(b)) > 0 {
		t.pending = s.pending
	}
	if s.again {
		s.spots[0].quiet = true
	}
	return s
}

// tell keeps the findings of a line, or of a window of one, and gives it on, masked.
func (t *Stream) tell(b []byte, spots []spot) {
	at := t.done
	for _, x := range spots {
		if x.from < t.done || x.from >= len(b) {
			continue
		}
		if !x.quiet {
			t.found(b, x, spots)
		}
		if t.masked != nil && x.kind.Level() != Tell && x.from >= at {
			t.masked(b[at:x.from])
			t.masked([]byte(Mask))
			at = x.to
		}
	}
	if t.masked != nil && at < len(b) {
		t.masked(b[at:])
	}
}

// found keeps a finding, as long as there are not too many of its kind.
func (t *Stream) found(b []byte, x spot, all []spot) {
	if t.count[x.kind]++; t.count[x.kind] > most {
		return
	}
	f := Finding{Line: t.number, Kind: x.kind, Excerpt: visible(excerpt(b, x, all)), From: t.offset + int64(x.from),
		To: t.offset + int64(x.to)}
	if x.head != "" {
		f.Line, f.Excerpt = x.line, visible(x.head)+Mask
	}
	t.findings = append(t.findings, f)
}

// visible is a piece of a file that need not be text, as text in one line that can be kept and shown.
func visible(s string) string {
	return strings.Map(func(r rune) rune {
		switch {
		case unicode.IsSpace(r):
			return ' '
		case unicode.IsControl(r), unicode.Is(unicode.Cf, r):
			return '·'
		}
		return r
	}, strings.ToValidUTF8(s, "·"))
}

// around is how many letters of what comes before an excerpt has.
const around = 40

// excerpt is what comes before a finding, and that something was there; what else was found there is masked too.
func excerpt(b []byte, x spot, all []spot) string {
	from := max(0, x.from-around)
	for from < x.from && !utf8.RuneStart(b[from]) {
		from++
	}
	piece, at := []byte(nil), from
	for _, other := range all {
		if other.kind.Level() == Tell || other.to <= at || other.from >= x.from {
			continue
		}
		piece = append(append(piece, b[at:max(at, other.from)]...), Mask...)
		at = min(other.to, x.from)
	}
	piece = append(piece, b[at:x.from]...)
	mark := ""
	if from > 0 { // it begins with a whole word, where there is one
		mark = "… "
		if i := bytes.IndexByte(piece, ' '); i >= 0 && i < len(piece)/2 {
			piece = piece[i:]
		}
	}
	before := mark + decode.Text(bytes.TrimLeft(piece, " \t"))
	if x.kind.Level() == Tell {
		return before + decode.Text(b[x.from:x.to])
	}
	return before + Mask
}
