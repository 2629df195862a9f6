package disclosure

import (
	"roundhouse.example/internal/core/disclosure/literal"
	"roundhouse.example/internal/core/disclosure/number"
)

// cards finds numbers of payment cards: by how they begin, how long they are, and their check digit.
func (s *line) cards() {
	b := s.b
	for i := 11; i < len(b); i += 12 { // a number of thirteen digits and more has one of them, or the place beside it
		if !isDigit(b[i]) && !isDigit(b[i-1]) {
			continue
		}
		from, to := i, i
		for from > 0 && (isDigit(b[from-1]) || joins(b, from-1)) {
			from--
		}
		for to < len(b) && (isDigit(b[to]) || joins(b, to)) {
			to++
		}
		s.cardIn(from, to)
		i = max(i, to)
	}
}

// joins says whether a byte stands between two digits as it does between the groups of a number.
func joins(b []byte, i int) bool {
	return (b[i] == ' ' || b[i] == '-' || b[i] == '.') && i > 0 && i+1 < len(b) && isDigit(b[i-1]) && isDigit(b[i+1])
}

// cardIn looks for a number within a run of digits and what joins them.
func (s *line) cardIn(from, to int) {
	b := s.b
	if from > 0 && (isLetter(b[from-1]) || b[from-1] == '_') || to < len(b) && (isLetter(b[to]) || b[to] == '_') ||
		from > 1 && (b[from-1] == '.' || b[from-1] == ',') && isDigit(b[from-2]) ||
		to+1 < len(b) && (b[to] == '.' || b[to] == ',') && isDigit(b[to+1]) {
		return
	}
	// Each group of digits may be where it begins: a date may stand before it.
	for at := from; at < to; at++ {
		if at > from && isDigit(b[at-1]) || !isDigit(b[at]) {
			continue
		}
		if at > 0 && (b[at-1] == '.' && at > from || b[at-1] == '-' && (at < 2 || !isDigit(b[at-2]))) {
			continue // behind the point of a number, or below zero
		}
		if end := number.Card(b[at:to]); end > 0 {
			s.add(at, at+end, Card)
			at += end
		}
	}
}

// iban finds an account number whose first digits are at i, if its check digits are right.
func (s *line) iban(i int) {
	if i > 2 && isName(s.b[i-3]) && s.b[i-3] != '.' {
		return
	}
	if to := number.IBAN(s.b, i); to > 0 {
		s.add(i-2, to, IBAN)
	}
}

func isDigit(c byte) bool { return c >= '0' && c <= '9' }

func isASCII(c byte) bool { return literal.Fold(c) >= 'a' && literal.Fold(c) <= 'z' }
