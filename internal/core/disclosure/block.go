package disclosure

import (
	"bytes"
	"regexp"

	"roundhouse.example/internal/core/disclosure/decode"
)

// block follows a key or a certificate through its lines.
type block struct {
	state blockState
	tries int // lines since it began in which its key has not
	line  int // in which it began, as head says
	head  string
}

type blockState uint8

const (
	noBlock      blockState = iota
	awaitedBlock            // a private key was announced, its first line has not come
	privateBlock
	publicBlock
)

var (
	begin = regexp.MustCompile(`-{4,5} ?BEGIN ([A-Z0-9 ]{3,40}?) ?-{4,5}`)
	endOf = regexp.MustCompile(`-{4,5} ?END [A-Z0-9 ]{3,40}-{4,5}`)
	lines = regexp.MustCompile(`(?i)^[ \t>]*private-lines: *[0-9]+`)
	// inLine is a key that goes on in the line in which it begins.
	inLine = regexp.MustCompile(`^(?:\\+[nr]|[ \t"'+,])*(?:[A-Za-z0-9+/=]|\\+[nr/]|[ \t]){24,}`)
)

// begins looks for a block in a line.
func (b *block) begins(s *line, number int) {
	if !s.block {
		return
	}
	if lines.Match(s.b) {
		*b = block{state: awaitedBlock, line: number, head: decode.Text(bytes.TrimSpace(s.b)) + " "}
		return
	}
	m := begin.FindSubmatchIndex(s.b)
	if m == nil {
		return
	}
	name, rest := s.b[m[2]:m[3]], s.b[m[1]:]
	if !bytes.Contains(name, []byte("PRIVATE KEY")) {
		if !endOf.Match(rest) && len(bytes.Trim(rest, " \t\r\"'\\n+,")) == 0 {
			*b = block{state: publicBlock}
		}
		return
	}
	at := inLine.FindIndex(rest)
	if at == nil {
		if len(bytes.Trim(rest, " \t\r\"'\\nr+,;|>")) == 0 {
			*b = block{state: awaitedBlock, line: number, head: decode.Text(s.b[m[0]:m[1]]) + " "}
		}
		return
	}
	to := len(s.b)
	if e := endOf.FindIndex(rest); e != nil {
		to = m[1] + e[0]
	} else {
		b.state = privateBlock
	}
	kept := s.spots[:0]
	for _, x := range s.spots {
		if x.to <= m[1] || x.from >= to {
			kept = append(kept, x)
		}
	}
	s.spots = kept
	s.add(m[1], to, PrivateKey)
	s.order()
}

// goesOn takes a line into an open block; false where none is open, or it has ended with the line before.
func (b *block) goesOn(s *line) bool {
	if b.state == noBlock {
		return false
	}
	key := keyLine(s.b)
	switch b.state {
	case awaitedBlock:
		if len(key) >= 16 {
			s.spots = []spot{{from: 0, to: len(s.b), kind: PrivateKey, line: b.line, head: b.head}}
			b.state = privateBlock
			return true
		}
		if b.tries++; b.tries > 6 || !announced(s.b) {
			*b = block{}
		}
		return false
	case privateBlock:
		if len(key) > 0 && !endOf.Match(s.b) {
			s.spots = []spot{{from: 0, to: len(s.b), kind: PrivateKey, quiet: true}}
			return true
		}
		*b = block{}
		return endOf.Match(s.b)
	case publicBlock:
		if len(key) > 0 {
			return true
		}
		*b = block{}
	}
	return false
}

var heading = regexp.MustCompile(`^[ \t>#"']*(?:[A-Za-z][A-Za-z-]*: .*|\\?[nr"' \t]*)$`)

// announced says whether a line may stand between the beginning of a block and its key.
func announced(b []byte) bool { return heading.Match(bytes.TrimRight(b, "\r")) }

// keyLine is the key that a line of a block holds, and nothing but that.
func keyLine(b []byte) []byte {
	b = bytes.TrimRight(b, "\r")
	for _, x := range []string{`\n`, `\r`} {
		b = bytes.ReplaceAll(b, []byte(x), nil)
	}
	b = bytes.Trim(b, " \t>#\"'+,;|*\\")
	for _, c := range b {
		if !isBase64(c) || c == '-' || c == '_' {
			return nil
		}
	}
	return b
}

var valueOf = regexp.MustCompile(`(?i)^["']?value["']?[ \t]*[:=][ \t]*["']?`)

// awaited finds the value of a name that stood on the line before.
func (s *line) awaited(k Kind) {
	from := len(s.b) - len(bytes.TrimLeft(s.b, " \t\"'>"))
	if m := valueOf.Find(s.b[from:]); m != nil { // of a variable that was named
		from += len(m)
	}
	to := len(bytes.TrimRight(s.b, " \t\r\"',;"))
	if i := bytes.IndexByte(s.b[min(from, to):to], '<'); i > 0 { // the end of an element
		to = from + i
	}
	if from >= to {
		return
	}
	v := s.b[from:to]
	if c := classesOf(v); !bytes.ContainsAny(v, " \t") && len(v) >= 6 && c.mixed() && v[0] != '-' &&
		credible(v, k, held{from: from, to: to, how: byWord}, nil) {
		s.add(from, to, k)
	}
}
