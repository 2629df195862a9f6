package app

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/url"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
)

// TableExport writes records of a kind as a table.
func (a *App) TableExport(one, many string) *cobra.Command {
	var vendor, file string
	var semicolons, mark bool
	c := &cobra.Command{Use: "export", Short: "Export " + many +
		" as a table (CSV) that can be edited and imported again", Args: cobra.NoArgs,
		Long: "Exports a table: RFC 4180, UTF-8, one row for each record. Importing it unchanged changes nothing. A cell " +
			"that a\nspreadsheet would take for a formula starts with an apostrophe, which import removes. A list has one " +
			"item per\nline within its cell.",
		Example: "  roundhouse " + one + " export > " + many + ".csv\n  roundhouse " + one + " export --to " + many +
			".csv --semicolons --mark",
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.Client()
			if err != nil {
				return err
			}
			q := url.Values{}
			if vendor != "" {
				q.Set("vendor", vendor)
			}
			for k, set := range map[string]bool{"semicolons": semicolons, "mark": mark} {
				if set {
					q.Set(k, "true")
				}
			}
			write := func(w io.Writer) error {
				return c.Copy(cmd.Context(), "/tables/"+many+"?"+q.Encode(), w)
			}
			if file == "" {
				return write(a.Stdout)
			}
			return out.WriteNew(file, 0o644, write)
		}}
	if many != "people" {
		c.Flags().StringVar(&vendor, "vendor", "", "only of this vendor")
	}
	c.Flags().StringVar(&file, "to", "", "a new file to write; standard output if left out")
	c.Flags().BoolVar(&semicolons, "semicolons", false, "use semicolons instead of commas")
	c.Flags().BoolVar(&mark, "mark", false, "start with a byte order mark, which some spreadsheets need for UTF-8")
	return c
}

// shownRows is how many rows people are shown; programs get all.
const shownRows = 40

// TableImport takes a table in, or says what it would do.
func (a *App) TableImport(one, many string) *cobra.Command {
	var dry, confirm bool
	c := &cobra.Command{Use: "import FILE", Short: "Import a table of " + many + ": all of it or nothing",
		Args: cobra.ExactArgs(1),
		Long: "Reads a table (- for standard input): CSV in UTF-8 with commas, semicolons or tabs, and a header row. " +
			"Columns may be\nin any order; columns that are left out change nothing. A row that matches a record changes " +
			"it, other rows are\nadded, and an empty cell clears the field. If one row is refused, nothing is changed. " +
			"--dry-run says what\nwould happen, row by row.",
		Example: "  roundhouse " + one + " import " + many + ".csv --dry-run\n  roundhouse " + one + " import " + many +
			".csv",
		RunE: func(cmd *cobra.Command, args []string) error {
			from, name := a.Stdin, "standard input"
			if args[0] != "-" {
				f, err := os.Open(args[0])
				if err != nil {
					return err
				}
				defer f.Close()
				from, name = f, args[0]
			}
			q := url.Values{}
			for k, set := range map[string]bool{"dry_run": dry, "confirm": confirm} {
				if set {
					q.Set(k, "true")
				}
			}
			sum, err := a.takeTable(cmd.Context(), "/tables/"+many+"?"+q.Encode(), name, from)
			if err != nil {
				return err
			}
			switch {
			case sum.Refused > 0 && !dry:
				return fmt.Errorf("%s refused, so nothing was changed", rowsAre(sum.Refused))
			case sum.Refused > 0:
				return fmt.Errorf("%s refused, so nothing would be changed", rowsAre(sum.Refused))
			}
			return nil
		}}
	c.Flags().BoolVar(&dry, "dry-run", false, "say what would be added, changed and refused, and change nothing")
	if one == "contract" {
		c.Flags().BoolVar(&confirm, "confirm", false, "apply changes that affect live cases")
	}
	return c
}

func rowsAre(n int) string {
	if n == 1 {
		return "1 row is"
	}
	return fmt.Sprintf("%d rows are", n)
}

// takeTable sends a table and prints what is told while it is imported.
func (a *App) takeTable(ctx context.Context, path, name string, from io.Reader) (sum clientgen.TableSum, err error) {
	c, err := a.Client()
	if err != nil {
		return sum, err
	}
	body, err := c.Stream(ctx, "POST", path, "text/csv", from)
	if err != nil {
		return sum, err
	}
	defer body.Close()
	p := a.Printer()
	alive := a.Watched()
	rows, ended := 0, false
	for dec := json.NewDecoder(body); ; {
		var line clientgen.TableLine
		if err := dec.Decode(&line); err == io.EOF {
			break
		} else if err != nil {
			return sum, fmt.Errorf("the connection broke, so the import may or may not be done. Check with --dry-run: if "+
				"all rows "+
				"are the same, it is done: %w", err)
		}
		if a.Format == "json" {
			if line.Progress == nil {
				raw, err := json.Marshal(line)
				if err != nil {
					return sum, err
				}
				p.Line("%s", raw)
			}
		} else {
			rows = a.tellTable(line, name, rows, alive)
		}
		if line.Problem != nil {
			return sum, &client.Problem{Problem: *line.Problem}
		}
		if line.Sum != nil {
			sum, ended = *line.Sum, true
		}
	}
	if !ended {
		return sum, fmt.Errorf("the answer ended early, so the import may or may not be done. Check with --dry-run: if " +
			"all rows " +
			"are the same, it is done")
	}
	return sum, nil
}

func (a *App) tellTable(line clientgen.TableLine, name string, rows int, alive bool) int {
	p := a.Printer()
	clear := func() {
		if alive {
			fmt.Fprint(a.Stderr, "\r\x1b[K")
		}
	}
	switch {
	case line.Progress != nil && alive:
		fmt.Fprintf(a.Stderr, "\r\x1b[K%d rows, %d%% of the file", line.Progress.Rows,
			100*line.Progress.Bytes/max(1, line.Progress.OfBytes))
	case line.Row != nil && line.Row.What != "same":
		if rows++; rows <= shownRows {
			clear()
			r := line.Row
			p.Line("%s:%d: %s %s%s", name, r.Line, r.What, r.Name, strings.TrimSuffix(": "+strings.Join(r.Said, "; "), ": "))
		}
	case line.Sum != nil:
		clear()
		if rows > shownRows {
			p.Line("... and %s more; -o json shows all.", Number(rows-shownRows, "row"))
		}
		s := line.Sum
		if len(s.Ignored) > 0 {
			p.Line("Ignored, as not recognised: %s %s.",
				map[bool]string{true: "column", false: "columns"}[len(s.Ignored) == 1], strings.Join(s.Ignored, ", "))
		}
		would := ""
		if !s.Done {
			would = "would be "
		}
		p.Line("%s: %d %sadded, %d changed, %d the same, %d refused.", Capital(Number(s.Rows, "row")), s.Added, would,
			s.Changed, s.Same, s.Refused)
	}
	return rows
}
