// Package table reads and writes tables of the register: CSV as RFC 4180 has it,
// a record a row, a member a column.
//
//	r, err := table.NewReader(file, table.Assets)
//	for { row, err := r.Next(); if err == io.EOF { break } … }
package table

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"
)

// Problem is what is wrong with a file as a whole, or from a line on.
type Problem struct {
	Line   int // from 1; 0 where it is about the whole
	Detail string
}

func (p *Problem) Error() string {
	if p.Line == 0 {
		return p.Detail
	}
	return fmt.Sprintf("line %d: %s", p.Line, p.Detail)
}

// Reader reads a table row by row; it never holds more than one.
type Reader struct {
	// Ignored are the headers that no column of the kind goes by.
	Ignored []string
	csv     *csv.Reader
	checked *checked
	columns []*Column // by position; nil where it is ignored
	headers []string
}

const (
	maxColumns = 400
	// maxRow bounds what one row can take of memory, so that a quote that is never
	// closed does not take the rest of the file.
	maxRow = 1 << 20
)

// NewReader reads the header. A byte order mark is passed over; the separator is the
// one of comma, semicolon and tab that the header has most of.
func NewReader(r io.Reader, kind Kind) (*Reader, error) {
	file := bufio.NewReader(r)
	switch begins, _ := file.Peek(4); {
	case bytes.HasPrefix(begins, []byte{0xFF, 0xFE}), bytes.HasPrefix(begins, []byte{0xFE, 0xFF}):
		return nil, &Problem{1, "this is UTF-16: save it as CSV in UTF-8"}
	case bytes.HasPrefix(begins, []byte("PK\x03\x04")):
		return nil, &Problem{0, "this is a spreadsheet file or an archive: save it as CSV in UTF-8"}
	}
	c := &checked{from: file, line: 1}
	b := bufio.NewReaderSize(c, 64<<10)
	head, _ := b.Peek(64 << 10)
	if c.bad != nil && len(head) == 0 {
		return nil, c.bad
	}
	if bytes.HasPrefix(head, []byte("\xEF\xBB\xBF")) {
		if _, err := b.Discard(3); err != nil {
			return nil, err
		}
		head = head[3:]
	}
	if len(bytes.TrimSpace(head)) == 0 {
		return nil, &Problem{0, "it is empty: a table starts with a line that names its columns"}
	}
	out := &Reader{csv: csv.NewReader(b), checked: c}
	out.csv.Comma = separator(head)
	out.csv.FieldsPerRecord = -1
	out.csv.ReuseRecord = true
	header, err := out.csv.Read()
	if err != nil {
		return nil, out.problem(err)
	}
	return out, out.match(header, kind)
}

// separator counts outside of quotes in the first line.
func separator(head []byte) rune {
	quoted, n := false, map[byte]int{}
	for _, b := range head {
		if b == '"' {
			quoted = !quoted
		}
		if !quoted && (b == '\n' || b == '\r') {
			break
		}
		if !quoted {
			n[b]++
		}
	}
	best := ','
	for _, s := range []byte{';', '\t'} {
		if n[s] > n[byte(best)] {
			best = rune(s)
		}
	}
	return best
}

// match finds the columns by their headers.
func (r *Reader) match(header []string, kind Kind) error {
	if len(header) > maxColumns {
		return &Problem{1, fmt.Sprintf("it has %d columns, at most %d are allowed", len(header), maxColumns)}
	}
	first := map[string]int{}
	for i, h := range header {
		h = strings.TrimSpace(h)
		r.headers = append(r.headers, strings.Clone(h))
		c := kind.column(h)
		r.columns = append(r.columns, c)
		if c == nil {
			if h != "" {
				r.Ignored = append(r.Ignored, strings.Clone(h))
			}
			continue
		}
		if at, twice := first[c.Name]; twice {
			return &Problem{1, fmt.Sprintf("columns %d and %d are both %s (%q and %q): keep one of them", at+1, i+1, c.Name,
				r.headers[at], h)}
		}
		first[c.Name] = i
	}
	var missing []string
	for _, k := range kind.Key {
		if _, there := first[k]; !there {
			missing = append(missing, k)
		}
	}
	if len(missing) > 0 {
		known := make([]string, 0, len(kind.Columns))
		for _, c := range kind.Columns {
			known = append(known, c.Name)
		}
		return &Problem{1, fmt.Sprintf("there is no column %s; the columns of %s are %s", strings.Join(missing, ", nor "),
			kind.Many, strings.Join(known, ", "))}
	}
	return nil
}

// Has says whether the file has a column.
func (r *Reader) Has(name string) bool {
	for _, c := range r.columns {
		if c != nil && c.Name == name {
			return true
		}
	}
	return false
}

// Row is one record as it stands in the file.
type Row struct {
	Line int // where it begins
	// Members are what its cells say, as an RFC 7396 patch: an empty cell takes a member out.
	Members map[string]any
	// Wrong is what is wrong with single cells.
	Wrong []Fault
}

// Fault is one thing wrong with a row, by its column.
type Fault struct{ Column, Detail string }

// Next is the next row; io.EOF at the end, and a *Problem where the rest cannot be read.
func (r *Reader) Next() (Row, error) {
	for {
		cells, err := r.csv.Read()
		if err != nil {
			return Row{}, r.problem(err)
		}
		line, _ := r.csv.FieldPos(0)
		if r.checked.bad != nil { // the cells may be what is left of it
			return Row{}, r.checked.bad
		}
		if len(cells) == 1 && strings.TrimSpace(cells[0]) == "" && len(r.columns) > 1 {
			continue
		}
		size := 0
		for _, c := range cells {
			size += len(c)
		}
		if size > maxRow {
			return Row{}, &Problem{line,
				fmt.Sprintf("the row that starts here has %d bytes, at most %d are allowed; is a quote missing?", size, maxRow)}
		}
		row := Row{Line: line, Members: map[string]any{}}
		if len(cells) != len(r.columns) {
			row.Wrong = []Fault{{"", fmt.Sprintf("it has %d cells, but the header has %d", len(cells), len(r.columns))}}
			return row, nil
		}
		for i, c := range r.columns {
			if c == nil {
				continue
			}
			v, err := c.read(strings.TrimSpace(Unguard(strings.ReplaceAll(cells[i], "\r\n", "\n"))))
			if err != nil {
				row.Wrong = append(row.Wrong, Fault{r.headers[i], err.Error()})
				continue
			}
			set(row.Members, c.Name, v)
		}
		return row, nil
	}
}

// Bytes is how far the file was read, which is a little ahead of the row.
func (r *Reader) Bytes() int64 { return r.checked.bytes }

func (r *Reader) problem(err error) error {
	var p *csv.ParseError
	switch {
	case errors.Is(err, io.EOF):
		if r.checked.bad != nil {
			return r.checked.bad
		}
		return io.EOF
	case r.checked.bad != nil:
		return r.checked.bad
	case errors.As(err, &p):
		detail := map[error]string{csv.ErrQuote: "there is a quote where none is allowed",
			csv.ErrBareQuote: "there is a quote inside a cell that does not start with one"}[p.Err]
		if detail == "" {
			detail = p.Err.Error()
		}
		where := ""
		if p.StartLine != p.Line {
			where = fmt.Sprintf(" (the row began in line %d)", p.StartLine)
		}
		return &Problem{p.Line, fmt.Sprintf("%s, at character %d%s; write a quote inside a cell twice, and put the "+
			"cell in quotes", detail, p.Column, where)}
	}
	return err
}

// checked passes a file through and notices what is no text in UTF-8.
type checked struct {
	from  io.Reader
	rest  [utf8.UTFMax]byte // of a character that the last piece cut
	n     int
	line  int
	bytes int64
	bad   *Problem
}

func (c *checked) Read(p []byte) (int, error) {
	if c.bad != nil {
		return 0, c.bad
	}
	n, err := c.from.Read(p)
	c.bytes += int64(n)
	c.look(p[:n], err == io.EOF)
	if c.bad != nil {
		return 0, c.bad
	}
	return n, err
}

func (c *checked) look(p []byte, last bool) {
	for c.n > 0 && len(p) > 0 && !utf8.FullRune(c.rest[:c.n]) {
		c.rest[c.n] = p[0]
		c.n, p = c.n+1, p[1:]
	}
	if c.n > 0 && (utf8.FullRune(c.rest[:c.n]) || last) {
		if r, size := utf8.DecodeRune(c.rest[:c.n]); r == utf8.RuneError && size <= 1 {
			c.bad = &Problem{c.line, "this is not UTF-8: save it as CSV in UTF-8"}
			return
		}
		c.n = 0
	}
	for len(p) > 0 {
		if p[0] < utf8.RuneSelf { // the common run of plain characters
			j := 0
			for j < len(p) && p[j] < utf8.RuneSelf {
				switch p[j] {
				case '\n':
					c.line++
				case 0:
					c.bad = &Problem{c.line, "it has a NUL character: is it a text file?"}
					return
				}
				j++
			}
			p = p[j:]
			continue
		}
		if !utf8.FullRune(p) && !last {
			c.n = copy(c.rest[:], p)
			return
		}
		r, size := utf8.DecodeRune(p)
		if r == utf8.RuneError && size <= 1 {
			c.bad = &Problem{c.line, "this is not UTF-8: save it as CSV in UTF-8"}
			return
		}
		p = p[size:]
	}
}
