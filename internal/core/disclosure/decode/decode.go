// Package decode makes UTF-8 of texts in other encodings, piece by piece.
package decode

import (
	"bytes"
	"unicode/utf16"
	"unicode/utf8"
)

// Decoder makes UTF-8 of what is UTF-16, by its mark or by its look, and leaves everything else as it is: the rules are
// about ASCII, which other encodings have as it is.
type Decoder struct {
	known bool
	wide  bool // UTF-16
	great bool // its greater byte comes first
	rest  []byte
}

// sniffed is how much is read before the encoding is settled.
const sniffed = 512

// Next is what the next piece says, as far as it is a whole text.
func (d *Decoder) Next(p []byte) []byte {
	if !d.known {
		if len(d.rest) > 0 || len(p) < sniffed {
			p = append(d.rest, p...)
		}
		if d.rest = p; len(p) < sniffed {
			return nil
		}
		d.settle()
		p, d.rest = d.rest, nil
	}
	if !d.wide {
		return p
	}
	if len(d.rest) > 0 {
		p = append(d.rest, p...)
		d.rest = nil
	}
	return d.narrow(p, false)
}

// End gives what is left.
func (d *Decoder) End() []byte {
	if !d.known {
		d.settle()
	}
	p := d.rest
	d.rest = nil
	if !d.wide {
		return p
	}
	return d.narrow(p, true)
}

// settle looks at how the text begins.
func (d *Decoder) settle() {
	d.known = true
	b := d.rest
	switch {
	case bytes.HasPrefix(b, []byte{0xff, 0xfe}):
		d.wide, d.rest = true, b[2:]
		return
	case bytes.HasPrefix(b, []byte{0xfe, 0xff}):
		d.wide, d.great, d.rest = true, true, b[2:]
		return
	case bytes.HasPrefix(b, []byte{0xef, 0xbb, 0xbf}):
		d.rest = b[3:]
		return
	}
	var zero [2]int
	for i, c := range b[:min(len(b), sniffed)] {
		if c == 0 {
			zero[i%2]++
		}
	}
	half := min(len(b), sniffed) / 2
	d.wide = half > 1 && (zero[1]*10 > half*6 && zero[0]*10 < half || zero[0]*10 > half*6 && zero[1]*10 < half)
	d.great = d.wide && zero[0] > zero[1]
}

// narrow makes UTF-8 of UTF-16, and keeps what is not a whole letter yet.
func (d *Decoder) narrow(p []byte, last bool) []byte {
	out := make([]byte, 0, len(p))
	i := 0
	for ; i+1 < len(p); i += 2 {
		r := rune(p[i]) | rune(p[i+1])<<8
		if d.great {
			r = rune(p[i])<<8 | rune(p[i+1])
		}
		if utf16.IsSurrogate(r) {
			if i+3 >= len(p) && !last {
				break
			}
			if i+3 < len(p) {
				low := rune(p[i+2]) | rune(p[i+3])<<8
				if d.great {
					low = rune(p[i+2])<<8 | rune(p[i+3])
				}
				if both := utf16.DecodeRune(r, low); both != utf8.RuneError {
					out = utf8.AppendRune(out, both)
					i += 2
					continue
				}
			}
			r = utf8.RuneError
		}
		out = utf8.AppendRune(out, r)
	}
	d.rest = append([]byte(nil), p[i:]...)
	return out
}

// Text is what bytes say, as UTF-8, or as Latin-1 where they cannot be that.
func Text(b []byte) string {
	if utf8.Valid(b) {
		return string(b)
	}
	out := make([]rune, len(b))
	for i, c := range b {
		out[i] = rune(c)
	}
	return string(out)
}

// Latin1 writes a text so, if it can be.
func Latin1(s string) (string, bool) {
	var out []byte
	for _, r := range s {
		if r > 0xff {
			return "", false
		}
		out = append(out, byte(r))
	}
	return string(out), true
}
