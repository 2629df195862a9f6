// Package out prints for people and for programs.
package out

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"regexp"
	"slices"
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
	"golang.org/x/term"

	guard "roundhouse.example/internal/core/table"
	"roundhouse.example/internal/core/words"
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

// JSON writes a value for programs. What a terminal would take for an order is escaped.
func (p *Printer) JSON(v any) error {
	var b bytes.Buffer
	e := json.NewEncoder(&b)
	e.SetEscapeHTML(false)
	e.SetIndent("", "  ")
	if err := e.Encode(v); err != nil {
		return err
	}
	var out strings.Builder
	for _, r := range b.String() {
		if r != '\n' && order(r) {
			fmt.Fprintf(&out, `\u%04x`, r)
		} else {
			out.WriteRune(r)
		}
	}
	_, err := io.WriteString(p.W, out.String())
	return err
}

// order says whether a character could be an order to a terminal, or turn the direction in
// which the rest is read: others write what is printed here.
func order(r rune) bool {
	return unicode.IsControl(r) || r >= 0x202a && r <= 0x202e || r >= 0x2066 && r <= 0x2069
}

// Plain takes out of a text whatever a terminal would take for an order; the end of a line
// and a tab stay.
func Plain(s string) string {
	return strings.Map(func(r rune) rune {
		switch {
		case r == '\n' || r == '\t' || !order(r):
			return r
		}
		return -1
	}, s)
}

// Line writes a line of text, which a spreadsheet has no place for.
func (p *Printer) Line(format string, args ...any) {
	if p.Format == "csv" {
		return
	}
	for i, a := range args {
		switch v := a.(type) {
		case string:
			args[i] = p.safe(v)
		case error:
			args[i] = Plain(v.Error())
		}
	}
	fmt.Fprintf(p.W, format+"\n", args...)
}

// safe is a text without orders but for the colours that this printer put there itself.
func (p *Printer) safe(s string) string {
	if !p.Color || !strings.ContainsRune(s, 0x1b) {
		return Plain(s)
	}
	var b strings.Builder
	for {
		at := ours().FindStringIndex(s)
		if at == nil {
			return b.String() + Plain(s)
		}
		b.WriteString(Plain(s[:at[0]]))
		b.WriteString(s[at[0]:at[1]])
		s = s[at[1]:]
	}
}

// ours are the colours of a standing, as Standing writes them.
var ours = sync.OnceValue(func() *regexp.Regexp {
	var all []string
	for s, x := range standings {
		all = append(all, regexp.QuoteMeta(x.color.Sprint(x.shape+" "+words.Standings.Of(s))))
	}
	slices.Sort(all)
	return regexp.MustCompile(strings.Join(all, "|"))
})

// Column is a column of a table. Where the window is narrow, those that may shrink give
// way first, then those that can be left out are, the lowest number first; the main one
// gives way last.
type Column struct {
	Name   string
	Shrink bool
	Main   bool
	Drop   int // 0: never
	Right  bool
}

// Table writes aligned columns that fit the window.
func (p *Printer) Table(cols []Column, rows [][]string) {
	if p.Format == "csv" {
		p.csv(cols, rows)
		return
	}
	for _, r := range rows {
		for i := range r {
			r[i] = strings.NewReplacer("\n", " ", "\t", " ").Replace(p.safe(r[i]))
		}
	}
	if p.Width > 0 {
		cols, rows = fit(cols, rows, p.Width)
	}
	t := table.NewWriter()
	t.SetOutputMirror(p.W)
	style := table.Style{Name: "roundhouse", Box: table.BoxStyle{PaddingRight: "  "},
		Format: table.FormatOptions{Header: text.FormatDefault}}
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
	t.SuppressTrailingSpaces() // else a line that just fits is followed by an empty one
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
			safe[i] = guard.Guard(cell)
		}
		_ = w.Write(safe)
	}
	w.Flush()
}

// How narrow a column becomes that shrinks, at first and where that is not enough, and the
// main one before others are left out.
const (
	room     = 20
	narrow   = 12
	mainRoom = 32
)

// fit makes a table fit the width.
// In one piece: each step needs the widths of the last.
func fit(cols []Column, rows [][]string, width int) ([]Column, [][]string) {
	widths := make([]int, len(cols))
	total := 0
	for i, c := range cols {
		widths[i] = utf8.RuneCountInString(c.Name)
		for _, r := range rows {
			widths[i] = max(widths[i], text.StringWidthWithoutEscSequences(r[i]))
		}
		total += widths[i] + 2
	}
	total -= 2
	full := slices.Clone(widths)
	gone := make([]bool, len(cols))
	// The widest that may gives way, a character at a time.
	shrink := func(least, leastMain int) {
		for ; total > width; total-- {
			widest := -1
			for i, c := range cols {
				most := least
				if c.Main {
					most = leastMain
				}
				if (c.Shrink || c.Main) && !gone[i] && widths[i] > most && (widest < 0 || widths[i] > widths[widest]) {
					widest = i
				}
			}
			if widest < 0 {
				return
			}
			widths[widest]--
		}
	}
	shrink(room, mainRoom)
	for n := 1; n < 10 && total > width; n++ {
		for i, c := range cols {
			if c.Drop == n && total > width {
				gone[i], total = true, total-widths[i]-2
			}
		}
	}
	shrink(narrow, narrow+mainRoom/2)
	shrink(narrow, narrow)
	// What was left out may have made more room than was needed: the main column's first, then anybody's.
	for _, main := range []bool{true, false} {
		for i, c := range cols {
			if c.Main == main && !gone[i] {
				more := min(full[i]-widths[i], max(width-total, 0))
				widths[i], total = widths[i]+more, total+more
			}
		}
	}
	var kept []Column
	for i, c := range cols {
		if !gone[i] {
			kept = append(kept, c)
		}
	}
	out := make([][]string, len(rows))
	for n, r := range rows {
		for i, c := range cols {
			if gone[i] {
				continue
			}
			cell := r[i]
			if c.Shrink || c.Main {
				cell = Cut(cell, widths[i])
			}
			out[n] = append(out[n], cell)
		}
	}
	return kept, out
}

// Cut shortens a text to a number of characters, the last one then an ellipsis.
func Cut(s string, n int) string {
	if utf8.RuneCountInString(s) <= n {
		return s
	}
	return string([]rune(s)[:n-1]) + "…"
}

var standings = map[string]struct {
	shape string
	color text.Colors
}{
	"late": {"■", text.Colors{text.Fg256Color(160), text.Bold}}, "due-soon": {"◐", text.Colors{text.Fg256Color(136),
		text.Bold}}, "running": {"○", text.Colors{text.Fg256Color(35)}}, "paused": {"‖", text.Colors{text.Faint}},
	"met": {"✓", text.Colors{text.Faint}}, "met-late": {"☑", text.Colors{text.Fg256Color(160)}},
	"missed": {"☒", text.Colors{text.Fg256Color(160)}}, "void": {"-", text.Colors{text.Faint}},
	"replaced": {"-", text.Colors{text.Faint}},
}

// Standing is a standing's shape and word, coloured on a terminal.
func (p *Printer) Standing(s string) string {
	x, ok := standings[s]
	if !ok {
		return ""
	}
	out := x.shape + " " + words.Standings.Of(s)
	if p.Color {
		return x.color.Sprint(out)
	}
	return out
}

// Move is whom one waits on, as an arrow and a word.
func Move(s string) string {
	if arrow := map[string]string{"ours": "← ", "theirs": "→ "}[s]; arrow != "" {
		return arrow + words.Sides.Of(s)
	}
	return ""
}
