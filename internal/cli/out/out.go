// Package out prints for people and for programs.
package out

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
	"golang.org/x/term"
)

// Printer writes in the form that was asked for.
type Printer struct {
	W      io.Writer
	Format string // table, json or csv
	Width  int    // of the window; 0 does not fit
	Color  bool
}

// New looks at where the output goes: colours and widths are for terminals, and
// NO_COLOR is honoured.
func New(w io.Writer, format string) *Printer {
	p := &Printer{W: w, Format: format}
	if f, ok := w.(*os.File); ok && term.IsTerminal(int(f.Fd())) {
		p.Width, _, _ = term.GetSize(int(f.Fd()))
		p.Color = os.Getenv("NO_COLOR") == "" && os.Getenv("TERM") != "dumb" && format == "table"
	}
	return p
}

// JSON writes a value for programs.
func (p *Printer) JSON(v any) error {
	e := json.NewEncoder(p.W)
	e.SetEscapeHTML(false)
	e.SetIndent("", "  ")
	return e.Encode(v)
}

// Line writes a line of text, which a spreadsheet has no place for.
func (p *Printer) Line(format string, args ...any) {
	if p.Format != "csv" {
		fmt.Fprintf(p.W, format+"\n", args...)
	}
}

// Column is a column of a table; the one that may shrink gives way when the window is narrow.
type Column struct {
	Name   string
	Shrink bool
	Right  bool
}

// Table writes aligned columns that fit the window.
func (p *Printer) Table(cols []Column, rows [][]string) {
	if p.Format == "csv" {
		p.csv(cols, rows)
		return
	}
	if p.Width > 0 {
		fit(cols, rows, p.Width)
	}
	t := table.NewWriter()
	t.SetOutputMirror(p.W)
	style := table.Style{Name: "roundhouse", Box: table.BoxStyle{PaddingRight: "  "}, Format: table.FormatOptions{Header: text.FormatDefault}}
	t.SetStyle(style)
	head := table.Row{}
	var configs []table.ColumnConfig
	for i, c := range cols {
		name := c.Name
		if p.Color {
			name = text.Faint.Sprint(name)
		}
		head = append(head, name)
		if c.Right {
			configs = append(configs, table.ColumnConfig{Number: i + 1, Align: text.AlignRight, AlignHeader: text.AlignRight})
		}
	}
	t.SetColumnConfigs(configs)
	t.AppendHeader(head)
	for _, r := range rows {
		row := table.Row{}
		for _, cell := range r {
			row = append(row, cell)
		}
		t.AppendRow(row)
	}
	t.Render()
}

// csv writes RFC 4180, with nothing in it that a spreadsheet takes for a formula.
func (p *Printer) csv(cols []Column, rows [][]string) {
	w := csv.NewWriter(p.W)
	w.UseCRLF = true
	var head []string
	for _, c := range cols {
		head = append(head, c.Name)
	}
	_ = w.Write(head)
	for _, r := range rows {
		safe := make([]string, len(r))
		for i, cell := range r {
			if safe[i] = cell; cell != "" && strings.ContainsRune("=+-@\t\r", rune(cell[0])) {
				safe[i] = "'" + cell
			}
		}
		_ = w.Write(safe)
	}
	w.Flush()
}

// fit shortens the cells of shrinking columns until the table fits the width.
func fit(cols []Column, rows [][]string, width int) {
	widths := make([]int, len(cols))
	total := 0
	for i, c := range cols {
		widths[i] = utf8.RuneCountInString(c.Name)
		for _, r := range rows {
			widths[i] = max(widths[i], text.StringWidthWithoutEscSequences(r[i]))
		}
		total += widths[i] + 2
	}
	for ; total > width; total-- { // the widest that may gives way, a character at a time
		widest := -1
		for i, c := range cols {
			if c.Shrink && widths[i] > 12 && (widest < 0 || widths[i] > widths[widest]) {
				widest = i
			}
		}
		if widest < 0 {
			break
		}
		widths[widest]--
	}
	for i, c := range cols {
		for _, r := range rows {
			if c.Shrink {
				r[i] = Cut(r[i], widths[i])
			}
		}
	}
}

// Cut shortens a text to a number of characters, the last one then an ellipsis.
func Cut(s string, n int) string {
	if utf8.RuneCountInString(s) <= n {
		return s
	}
	return string([]rune(s)[:n-1]) + "…"
}

var standings = map[string]struct {
	shape, word string
	color       text.Colors
}{
	"late": {"■", "late", text.Colors{text.Fg256Color(160), text.Bold}}, "due-soon": {"◐", "due soon", text.Colors{text.Fg256Color(136), text.Bold}},
	"running": {"○", "running", text.Colors{text.Fg256Color(35)}}, "paused": {"‖", "paused", text.Colors{text.Faint}},
	"met": {"✓", "met", text.Colors{text.Faint}}, "met-late": {"☑", "met late", text.Colors{text.Fg256Color(160)}}, "missed": {"☒", "missed", text.Colors{text.Fg256Color(160)}},
	"void": {"-", "void", text.Colors{text.Faint}}, "replaced": {"-", "replaced", text.Colors{text.Faint}},
}

// Standing is a standing's shape and word, coloured on a terminal.
func (p *Printer) Standing(s string) string {
	x, ok := standings[s]
	if !ok {
		return ""
	}
	if p.Format == "csv" {
		return x.word
	}
	out := x.shape + " " + x.word
	if p.Color {
		return x.color.Sprint(out)
	}
	return out
}

// Move is whose move it is, as an arrow and a word.
func Move(s string) string {
	return map[string]string{"ours": "← ours", "theirs": "→ theirs"}[s]
}

// Time is an instant in this machine's zone, with the day when it is not today's.
func Time(t *time.Time, now time.Time) string {
	if t == nil {
		return ""
	}
	l, n := t.Local(), now.Local()
	switch {
	case l.YearDay() == n.YearDay() && l.Year() == n.Year():
		return l.Format("15:04")
	case l.Sub(n).Abs() < 6*24*time.Hour:
		return l.Format("Mon 2, 15:04")
	case l.Year() == n.Year():
		return l.Format("2 Jan 15:04")
	}
	return l.Format("2 Jan 2006")
}
