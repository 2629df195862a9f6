package disclosure

import (
	"bytes"
	_ "embed"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"
)

// assigned finds the value that is given to a name in which a key word ends at end: as in files of settings, programs,
// JSON, XML, headers, command lines and queries. It gives nothing for what only speaks of passwords.
func (s *line) assigned(start, end int, l clue) {
	// A closer look is taken at what is around the key word only: else a line full of them would take for ever.
	lo, hi := max(0, start-behind), min(len(s.b), end+ahead)
	near := line{sc: s.sc, b: s.b[lo:hi]}
	near.assignedNear(start-lo, end-lo, l, hi == len(s.b))
	for _, x := range near.spots {
		to := lo + x.to
		for to == hi && hi < len(s.b) && s.b[hi] > ' ' && !bytes.ContainsRune([]byte("\"'<>`"), rune(s.b[hi])) {
			to, hi = to+1, hi+1 // a longer value is one all the same
		}
		s.add(lo+x.from, to, x.kind)
	}
	if near.pending != "" {
		s.pending = near.pending
	}
}

// closes says whether a quote in which a name stands ends where its value would be: it asks for one, as a program does.
func (s *line) closes(from, name, at int) bool {
	if at >= len(s.b) || s.b[at] != '"' && s.b[at] != '\'' {
		return false
	}
	mark := s.b[at : at+1]
	return bytes.Count(s.b[:from], mark)%2 == 1 && bytes.Count(s.b[name:at], mark) == 0
}

// How much before and behind a key word is looked at.
const (
	behind = 200
	ahead  = 1000
)

// assignedNear does it; whole says that the line ends where the text does.
func (s *line) assignedNear(start, end int, l clue, whole bool) {
	b := s.b
	glued := l.lead == shortLead && !s.alone(start, end)
	if glued && (l.text != "pass" && l.text != "pwd" || end < len(b) && isLetter(b[end])) {
		return
	}
	from := start
	for from > 0 && (isName(b[from-1]) || b[from-1] == '-') {
		from--
	}
	for b[from] == '-' || b[from] == '.' {
		from++
	}
	name, ok := s.suffix(end)
	if !ok {
		return
	}
	at, how := s.separator(from, name)
	if how == noSeparator && l.kind == Password {
		at, how = s.bare(from, name)
	}
	if how == noSeparator {
		if whole && variable.Match(b[:from]) && len(bytes.Trim(b[name:], " \t\r\"',")) == 0 {
			s.pending = l.kind
		}
		return
	}
	if at >= len(bytes.TrimRight(b, " \t\r")) || how == byWord && isBlock(b[at:]) {
		if whole && (how == byWord || how == bySpace || how == byElement) {
			s.pending = l.kind // the value is on the next line
		}
		return
	}
	if s.closes(from, name, at) {
		return
	}
	v, ok := s.value(at, how)
	if !ok {
		return
	}
	value, before := b[v.from:v.to], b[:from]
	mixed := classesOf(value).mixed()
	switch {
	case l.lead == shortLead && (how == byPair || how == byQuote || !mixed && !v.quote && l.text == "pass" ||
		bytes.HasSuffix(before, []byte("--- "))): // what passes, or has passed, is no password
	case how == byPair && bytes.ContainsAny(value, " \t"): // a sentence
	case how == byQuote && (l.kind == Token || !mixed && l.text != "identified by" &&
		!bytes.Contains(bytes.ToLower(b[:start]), []byte("with "))): // a word that is quoted
	case glued && (how == bySpace || len(value) < 6 || !mixed): // another word that ends so
	case credible(value, l.kind, v, b[from:name]):
		s.add(v.from, v.to, l.kind)
	}
}

// alone says whether a key word is a whole word of a name: DB_PASS, dbPass, "pass", but not compass.
func (s *line) alone(start, end int) bool {
	b := s.b
	if start > 0 && isLetter(b[start-1]) && !(b[start] >= 'A' && b[start] <= 'Z' && b[start-1] >= 'a') {
		return false
	}
	return end >= len(b) || !isLetter(b[end]) || b[end] <= 'Z' && b[end-1] >= 'a'
}

//go:embed beside.txt
var besideText string

// beside are what a name says that speaks of a secret without holding it: password_file, tokenType.
var beside = set(besideText)

// set is the words of a text.
func set(text string) map[string]bool {
	all := map[string]bool{}
	for _, w := range strings.Fields(text) {
		all[w] = true
	}
	return all
}

// suffix is where a name ends that goes on after its key word, and whether it still names a secret.
func (s *line) suffix(end int) (int, bool) {
	b, to := s.b, end
	for to < len(b) && (isName(b[to]) || b[to] == '-' && to+1 < len(b) && isName(b[to+1])) {
		to++
	}
	for to > end && b[to-1] == '.' {
		to--
	}
	rest := string(b[end:to])
	if rest == "" {
		return to, true
	}
	if c := rest[0]; c >= 'a' && c <= 'z' { // passwords, tokenizer, secretary
		whole := []string{"text", "value", "string", "key", "phrase", "word", "data"}
		return to, slices.Contains(whole, strings.ToLower(rest))
	}
	for _, part := range parts(rest) {
		if beside[part] {
			return to, false
		}
	}
	return to, true
}

// parts are the words of a name, small: refresh_tokenUrl is refresh, token and url.
func parts(name string) (all []string) {
	from := 0
	cut := func(to int) {
		if to > from {
			all = append(all, strings.ToLower(name[from:to]))
		}
	}
	for i := range len(name) {
		switch c := name[i]; {
		case c == '_' || c == '-' || c == '.' || c == ' ':
			cut(i)
			from = i + 1
		case c >= 'A' && c <= 'Z' && i > from && name[i-1] >= 'a':
			cut(i)
			from = i
		}
	}
	cut(len(name))
	return all
}

// separators tell how sure it is that a value follows.
type separators uint8

const (
	noSeparator separators = iota
	bySign                 // =, :=, =>, an element, a call
	byWord                 // : or "is", which sentences have too
	byFlag                 // a flag of a command line
	bySpace                // columns, a dash, words between
	byQuote                // nothing but that it comes in quotes
	byElement              // an element
	byPair                 // another argument of the same call
)

var (
	signed = regexp.MustCompile(`^(?:\\*["'\x60\]]|&quot;|&#34;|%22)*[ \t]*(?::=|=>|->|=|%3[dD])[ \t]*`)
	worded = regexp.MustCompile(`^(?:\\*["'\x60\]*_)]|&quot;|&#34;|%22|\*\*)*[ \t]*(?:\([^()]{1,60}\)["']?[ \t]*)?` +
		`(?::|%3[aA]|：)(?:\*\*|__)?[ \t]*`)
	spoken = regexp.MustCompile(`^(?:["'\x60])?[ \t]+(?:is|was|es|est|ist|är|er|is now|to)[ \t]*:?[ \t]+`)
	called = regexp.MustCompile(`^(?:["'\x60])?[ \t]*[(][ \t]*["'\x60]`)
	// paired is a name and its value as two of what a call is given.
	paired = regexp.MustCompile(`^["'\x60][ \t]*,[ \t]*["'\x60]`)
	valued = regexp.MustCompile(`^["']?[ \t]*,?[ \t]*["']?value["']?[ \t]*[=:][ \t]*`)
	column = regexp.MustCompile(`^(?:[ \t]{2,}|\t|[ \t]*\|[ \t]*|[ \t]+[-–—][ \t]+)`)
	about  = regexp.MustCompile(`^((?: [A-Za-z]+){1,5}):[ \t]+`)
	// variable is what comes before the name of a variable whose value has a line of its own.
	variable = regexp.MustCompile(`(?i)name["']?[ \t]*[:=][ \t]*["']?[A-Za-z0-9_.]*$`)
	quoted   = regexp.MustCompile(`^[ \t]+(?:as[ \t]+)?['"\x60]`)
)

// separator is where the value begins that follows a name from..end.
func (s *line) separator(from, end int) (int, separators) {
	rest := s.b[end:]
	if m := signed.Find(rest); m != nil {
		if next := rest[len(m):]; len(next) > 0 && (next[0] == '=' || next[0] == '~' || next[0] == '>') {
			return 0, noSeparator // a comparison
		}
		return end + len(m), bySign
	}
	if from > 0 && (s.b[from-1] == '<' || s.b[from-1] == ':') && bytes.IndexByte(rest, '>') >= 0 { // <password>
		if at := bytes.IndexByte(rest, '>'); bytes.LastIndexByte(s.b[:from], '<') > bytes.LastIndexByte(s.b[:from], '>') &&
			!bytes.Contains(rest[:at], []byte("/")) {
			return end + at + 1, byElement
		}
	}
	if m := valued.Find(rest); m != nil {
		return end + len(m), bySign
	}
	if m := worded.Find(rest); m != nil {
		if bytes.HasPrefix(rest[len(m):], []byte("//")) || bytes.HasPrefix(rest[len(m):], []byte(":")) {
			return 0, noSeparator // the scheme of an address, or a path of names
		}
		return end + len(m), byWord
	}
	if m := called.Find(rest); m != nil {
		return end + len(m) - 1, bySign
	}
	if m := paired.Find(rest); m != nil && from > 1 && s.b[from-2] == '(' {
		return end + len(m) - 1, byPair
	}
	if m := quoted.Find(rest); m != nil {
		return end + len(m) - 1, byQuote
	}
	if m := spoken.Find(rest); m != nil {
		return end + len(m), byWord
	}
	if len(rest) > 1 && rest[0] == ' ' && rest[1] != ' ' && s.flag(from) {
		return end + 1, byFlag
	}
	if m := column.Find(rest); m != nil {
		return end + len(m), bySpace
	}
	if m := about.FindSubmatch(rest); m != nil {
		for _, w := range bytes.Fields(m[1]) {
			if beside[strings.ToLower(string(w))] {
				return 0, noSeparator
			}
		}
		return end + len(m[0]), bySpace
	}
	return 0, noSeparator
}

// bare is where a password begins that follows its name with nothing between: one that no word looks like, or that is
// all there is on the line.
func (s *line) bare(from, end int) (int, separators) {
	rest := s.b[end:]
	if len(rest) < 2 || rest[0] != ' ' || rest[1] <= ' ' {
		return 0, noSeparator
	}
	v, _, _ := bytes.Cut(rest[1:], []byte(" "))
	v = bytes.TrimRight(v, ".,;!?\r")
	c := classesOf(v)
	alone := len(bytes.TrimSpace(s.b[:from])) == 0 && len(bytes.TrimSpace(rest)) == len(v)
	if alone && c.mixed() || len(v) >= 8 && c.digits > 0 && c.upper > 0 && c.lower > 0 && c.marks == 0 {
		return end + 1, bySpace
	}
	return 0, noSeparator
}

// flag says whether a name is a flag of a command line, or stands in a line of a login.
func (s *line) flag(from int) bool {
	before := s.b[:from]
	return from > 0 && (before[from-1] == '-' || before[from-1] == '/') && (from < 2 || before[from-2] <= ' ' ||
		before[from-2] == '-') || bytes.Contains(bytes.ToLower(before), []byte("login ")) ||
		bytes.Contains(bytes.ToLower(before), []byte("machine "))
}

// held is a value with how it is written.
type held struct {
	from, to int
	quote    bool
	how      separators
	more     []byte // what follows on the line
	next     byte   // what follows at once; 0 at the end of the line
}

// opening are the ways in which a quote begins; what they are in other texts comes before.
var opening = regexp.MustCompile(`^(?:!!str[ \t]+)?[bBrRfFuUNL@$]?(\\*["'\x60]|&quot;|&#34;|%22|“|‘|«)`)

// typed is a name's type between it and its value.
var typed = regexp.MustCompile(`^[A-Za-z_][A-Za-z0-9_.\[\]?]*[ \t]*=[ \t]*`)

// value is what a name is given, from at on.
func (s *line) value(at int, how separators) (held, bool) {
	b := s.b
	if m := typed.Find(b[at:]); how == byWord && m != nil && !bytes.HasPrefix(b[at+len(m):], []byte("=")) &&
		len(b) > at+len(m) && !isName(b[at+len(bytes.TrimRight(m, " \t"))-2]) {
		at, how = at+len(m), bySign
	}
	if m := opening.FindSubmatchIndex(b[at:]); m != nil {
		mark := string(b[at+m[2] : at+m[3]])
		from, close := at+m[1], map[string]string{"“": "”", "‘": "’", "«": "»"}[mark]
		if close == "" {
			close = mark
		}
		for to := from; to < len(b); {
			i := bytes.Index(b[to:], []byte(close))
			if i < 0 {
				break
			}
			to += i
			if len(close) == 1 && to > from && b[to-1] == '\\' && (to < 2 || b[to-2] != '\\') {
				to++
				continue
			}
			return held{from: from, to: to, quote: true, how: how, more: bytes.TrimLeft(b[to+len(close):], " \t")}, to > from
		}
		return held{from: from, to: len(b), quote: true, how: how}, from < len(b) // the quote ends on a later line
	}
	to := at
	for to < len(b) && b[to] > ' ' && !bytes.ContainsRune([]byte("\"'<>`|"), rune(b[to])) {
		to++
	}
	// In a query the value ends at &, in a string of connection at ; before another name.
	if i := pair.FindIndex(b[at:to]); i != nil {
		to = at + i[0]
	}
	for to > at && strings.IndexByte(",;)]}", b[to-1]) >= 0 && !opens(b[at:to]) {
		to--
	}
	if how == byWord && to > at && (b[to-1] == '.' || b[to-1] == '!' && len(b[to:]) > 1) {
		to--
	}
	v := held{from: at, to: to, how: how, more: bytes.TrimLeft(b[to:], " \t,;.")}
	if to < len(b) {
		v.next = b[to]
	}
	return v, to > at
}

// pair begins another name with its value.
var pair = regexp.MustCompile(`(?:[&;]|&amp;|,)[A-Za-z_][A-Za-z0-9_. -]{0,40}=`)

// opens says whether a text has an opening bracket, so that a closing one may be its own.
func opens(b []byte) bool { return bytes.ContainsAny(b, "([{") }

// isBlock is the sign that a text follows on the next lines.
func isBlock(b []byte) bool {
	switch string(bytes.TrimSpace(b)) {
	case "|", ">", "|-", ">-", "|+", ">+", "\\":
		return true
	}
	return false
}

func isName(c byte) bool {
	return isLetter(c) || isDigit(c) || c == '_' || c == '.'
}

func isLetter(c byte) bool { return c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= utf8.RuneSelf }
