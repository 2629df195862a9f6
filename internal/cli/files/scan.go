// Package files has the commands about files: what is in them, and what they may not take along.
package files

import (
	"context"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/core/disclosure"
	"roundhouse.example/internal/core/words"
	"roundhouse.example/internal/scan"
)

// Commands are the commands of the subject. Use New.
type Commands struct{ *app.App }

// New makes the commands for a terminal.
func New(a *app.App) *Commands { return &Commands{a} }

// finding is one as programs read it.
type finding struct {
	File    string `json:"file"`
	Inside  string `json:"inside"`
	Line    int    `json:"line"`
	Level   string `json:"level"`
	Kind    string `json:"kind"`
	Excerpt string `json:"excerpt"`
}

// Scan is the command scan.
func (a *Commands) Scan() *cobra.Command {
	var rules, masked string
	c := &cobra.Command{Use: "scan FILE...", Short: "Look for secrets and personal data in files before you send them",
		Long: "Looks for secrets and personal data in files, and in zip, gzip and tar archives, before you\n" +
			"send them. It needs no service. Passwords, tokens, private keys and card numbers are stops:\n" +
			"the exit status is then 4. In a folder, all files are scanned; - is standard input.",
		Args: cobra.MinimumNArgs(1),
		Example: "  roundhouse scan collector.log\n" +
			"  roundhouse scan collector.log --masked collector-masked.log\n" +
			"  head -50 collector.log | roundhouse scan - -o json",
		RunE: func(cmd *cobra.Command, names []string) error {
			sc, err := a.scanner(rules)
			if err != nil {
				return err
			}
			files, err := filesOf(names)
			if err != nil {
				return err
			}
			if masked == "" {
				return a.scanAll(cmd.Context(), sc, files, nil)
			}
			if len(files) != 1 {
				return app.Usagef("--masked writes a copy of one file: name one")
			}
			return a.scanMasked(cmd.Context(), sc, files, masked)
		}}
	c.Flags().StringVar(&rules, "rules", "",
		"YAML file with additional words for passwords and patterns of personal numbers")
	c.Flags().StringVar(&masked, "masked", "",
		"write a copy of the file to this new file, with "+disclosure.Mask+" in place of what was found")
	return c
}

func (a *Commands) scanner(rules string) (*disclosure.Scanner, error) {
	c, err := a.Rules(rules)
	if err != nil {
		return nil, err
	}
	return disclosure.NewScanner(c)
}

// filesOf are the files that are named, and those of the folders that are.
func filesOf(names []string) (all []string, err error) {
	for _, name := range names {
		st, err := os.Stat(name)
		switch {
		case name == "-":
			all = append(all, name)
		case err != nil:
			return nil, err
		case !st.IsDir():
			all = append(all, name)
		default:
			err := filepath.WalkDir(name, func(path string, e fs.DirEntry, err error) error {
				if err == nil && e.Type().IsRegular() {
					all = append(all, path)
				}
				return err
			})
			if err != nil {
				return nil, err
			}
		}
	}
	return all, nil
}

// scanAll scans files and prints what was found. A file that cannot be read is told, and the others go on.
func (a *Commands) scanAll(ctx context.Context, sc *disclosure.Scanner, files []string, masked io.Writer) error {
	found, unread := []finding{}, 0
	for _, name := range files {
		list, err := a.scanOne(ctx, scan.New(sc, scan.Options{Masked: masked}), name)
		for _, f := range list {
			found = append(found, finding{name, f.Inside, f.Line, string(f.Kind.Level()), string(f.Kind), f.Excerpt})
		}
		if ctx.Err() != nil {
			return ctx.Err()
		}
		if err != nil {
			unread++
			fmt.Fprintln(a.Stderr, "roundhouse:", out.Plain(err.Error()))
		}
	}
	if err := a.printFindings(found, len(files)); err != nil {
		return err
	}
	stops := 0
	for _, f := range found {
		if f.Level == string(disclosure.Stop) {
			stops++
		}
	}
	switch {
	case stops == 1:
		return &app.Refused{Text: "found 1 thing that must not be sent"}
	case stops > 1:
		return &app.Refused{Text: fmt.Sprintf("found %d things that must not be sent", stops)}
	case unread > 0:
		return fmt.Errorf("%s could not be read", app.Number(unread, "file"))
	}
	return nil
}

func (a *Commands) scanOne(ctx context.Context, s *scan.Scan, name string) ([]scan.Finding, error) {
	if name == "-" {
		return s.File(ctx, "", a.Stdin)
	}
	f, err := os.Open(name)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return s.File(ctx, filepath.Base(name), f)
}

// scanMasked writes the masked copy too. What was begun is taken away again where it does not come to its end.
func (a *Commands) scanMasked(ctx context.Context, sc *disclosure.Scanner, files []string, to string) error {
	w, err := out.NewFile(to, 0o600)
	if err != nil {
		return fmt.Errorf("--masked: %w", err)
	}
	counting := &size{w: w}
	err = a.scanAll(ctx, sc, files, counting)
	if _, stopped := err.(*app.Refused); stopped {
		err = nil // it is masked
	}
	if closed := w.Close(); err == nil {
		err = closed
	}
	if err == nil && counting.n == 0 {
		err = fmt.Errorf("%s is not a text file, so there is no masked copy of it", files[0])
	}
	if err != nil {
		_ = os.Remove(to)
		return err
	}
	if a.Format == "table" {
		a.Printer().Line("The masked copy is in %s.", to)
	}
	return nil
}

// size counts what is written.
type size struct {
	w io.Writer
	n int64
}

func (s *size) Write(p []byte) (int, error) {
	n, err := s.w.Write(p)
	s.n += int64(n)
	return n, err
}

func (a *Commands) printFindings(found []finding, files int) error {
	p := a.Printer()
	if a.Format == "json" {
		return p.JSON(found)
	}
	var rows [][]string
	count := map[string]int{}
	for _, f := range found {
		count[f.Level]++
		where, line := f.File, ""
		if where == "-" {
			where = "standard input"
		}
		if f.Inside != "" {
			where += " > " + f.Inside
		}
		if f.Line > 0 {
			line = strconv.Itoa(f.Line)
		}
		rows = append(rows, []string{words.FindingLevels.Of(f.Level), words.FindingKinds.Of(f.Kind), where, line, f.Excerpt})
	}
	if len(rows) == 0 {
		p.Line("Nothing found in %s.", app.Number(files, "file"))
		return nil
	}
	p.Table([]out.Column{{Name: "level"}, {Name: "what"}, {Name: "file", Shrink: true}, {Name: "line", Right: true},
		{Name: "excerpt", Main: true}}, rows)
	p.Line("")
	p.Line("%s scanned: %s, %s, %d for information.", app.Number(files, "file"), app.Number(count["stop"], "stop"),
		app.Number(count["warn"], "warning"), count["tell"])
	return nil
}
