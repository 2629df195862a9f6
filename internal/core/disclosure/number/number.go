// Package number tells the numbers of payment cards and bank accounts from others: by how they begin, how long they
// are, and their check digits.
package number

import (
	"bytes"

	"roundhouse.example/internal/core/disclosure/literal"
)

// Card is how long the number of a card is, in bytes, that a run of digits and what joins them begins with; 0 where it
// begins with none.
func Card(b []byte) int {
	var digits []byte
	var mark byte
	for i := 0; i <= len(b); i++ {
		if i < len(b) && isDigit(b[i]) {
			digits = append(digits, b[i]-'0')
			continue
		}
		if n := len(digits); n >= 12 && n <= 19 && issued(digits) && luhn(digits) && (mark == 0 || grouped(b[:i], mark)) {
			return i
		}
		if i == len(b) || len(digits) > 19 || mark != 0 && b[i] != mark {
			return 0
		}
		mark = b[i]
	}
	return 0
}

// grouped says whether groups are as on cards: of four, or four, six and five, or four, six and four.
func grouped(b []byte, mark byte) bool {
	for i, g := range bytes.Split(b, []byte{mark}) {
		if len(g) != 4 && !(i == 1 && len(g) == 6) && !(i > 1 && len(g) <= 5) {
			return false
		}
	}
	return true
}

// issued says whether digits begin as those of a card of their length do.
func issued(d []byte) bool {
	first := func(n int) (v int) {
		for _, x := range d[:n] {
			v = v*10 + int(x)
		}
		return v
	}
	in := func(v, from, to int) bool { return v >= from && v <= to }
	n, two, three, four := len(d), first(2), first(3), first(4)
	switch {
	case d[0] == 4:
		return n == 13 || n == 16 || n == 19
	case in(two, 51, 55) || in(four, 2221, 2720):
		return n == 16
	case two == 34 || two == 37:
		return n == 15
	case four == 6011 || two == 65 || in(three, 644, 649) || in(four, 3528, 3589) || two == 62 || two == 81:
		return n >= 16
	case two == 36 || two == 38 || two == 39 || in(three, 300, 305):
		return n >= 14
	case two == 50 || in(two, 56, 58) || two == 60 || two == 63 || two == 67 || two == 68 || two == 69:
		return n >= 12 && (n == 16 || n == 18 || n == 19)
	}
	return four >= 2200 && four <= 2204 && n == 16
}

// luhn is the check of a card's last digit.
func luhn(d []byte) bool {
	sum, same := 0, true
	for i := range d {
		x := int(d[len(d)-1-i])
		if i%2 == 1 {
			if x *= 2; x > 9 {
				x -= 9
			}
		}
		sum += x
		same = same && d[i] == d[0]
	}
	return sum%10 == 0 && !same
}

// ibanLength is how long an account number is, by its country.
var ibanLength = map[string]int{
	"AD": 24, "AE": 23, "AL": 28, "AT": 20, "AZ": 28, "BA": 20, "BE": 16, "BG": 22, "BH": 22, "BR": 29,
	"BY": 28, "CH": 21, "CR": 22, "CY": 28, "CZ": 24, "DE": 22, "DK": 18, "DO": 28, "EE": 20, "EG": 29,
	"ES": 24, "FI": 18, "FO": 18, "FR": 27, "GB": 22, "GE": 22, "GI": 23, "GL": 18, "GR": 27, "GT": 28,
	"HR": 21, "HU": 28, "IE": 22, "IL": 23, "IQ": 23, "IS": 26, "IT": 27, "JO": 30, "KW": 30, "KZ": 20,
	"LB": 28, "LC": 32, "LI": 21, "LT": 20, "LU": 20, "LV": 21, "LY": 25, "MC": 27, "MD": 24, "ME": 22,
	"MK": 19, "MR": 27, "MT": 31, "MU": 30, "NL": 18, "NO": 15, "PK": 24, "PL": 28, "PS": 29, "PT": 25,
	"QA": 29, "RO": 24, "RS": 22, "SA": 24, "SC": 31, "SE": 24, "SI": 19, "SK": 24, "SM": 27, "ST": 25,
	"SV": 28, "TL": 23, "TN": 24, "TR": 26, "UA": 29, "VA": 22, "VG": 24, "XK": 20,
}

// IBAN is where an account number ends whose first digits are at i, behind the letters of its country; 0 where it is
// none.
func IBAN(b []byte, i int) int {
	want := ibanLength[string(bytes.ToUpper(b[i-2:i]))]
	if want == 0 {
		return 0
	}
	mod, n, to := 0, 0, i+2
	for ; to < len(b) && n < want-4; to++ {
		switch c := literal.Fold(b[to]); {
		case isDigit(c):
			mod = (mod*10 + int(c-'0')) % 97
			n++
		case isASCII(c):
			mod = (mod*100 + int(c-'a') + 10) % 97
			n++
		case c == ' ' && to+1 < len(b) && b[to+1] != ' ':
		default:
			n = want
		}
	}
	if n != want-4 || to < len(b) && isName(b[to]) {
		return 0
	}
	for _, c := range b[i-2 : i] {
		mod = (mod*100 + int(literal.Fold(c)-'a') + 10) % 97
	}
	if mod = (mod*100 + int(b[i]-'0')*10 + int(b[i+1]-'0')) % 97; mod == 1 {
		return to
	}
	return 0
}

func isName(c byte) bool { return isASCII(c) || isDigit(c) || c == '_' || c >= 0x80 }

func isDigit(c byte) bool { return c >= '0' && c <= '9' }

func isASCII(c byte) bool { return literal.Fold(c) >= 'a' && literal.Fold(c) <= 'z' }
