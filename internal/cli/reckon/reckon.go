package reckon

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/reckon"
	"roundhouse.example/internal/core/severity"
	"roundhouse.example/internal/core/words"
)

// Reckon is the command group reckon.
func (a *Commands) Reckon() *cobra.Command {
	return app.Group("reckon", "Calculate deadlines and severities from files, without a service or database",
		a.reckonDue(), a.reckonSpan(),
		a.reckonDeadlines(), a.reckonSeverity(), a.reckonBatch())
}

func readCalendar(file string) (*calendar.Calendar, error) {
	if file == "" {
		return nil, app.Usagef("name the file of the calendar with --calendar")
	}
	b, err := app.ReadBounded(file)
	if err != nil {
		return nil, err
	}
	def, err := calendar.ParseYAML(b)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", file, err)
	}
	c, err := calendar.New(def)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", file, err)
	}
	return c, nil
}

func flagInstant(flag, s string) (int64, error) {
	if s == "" {
		return 0, app.Usagef("say --%s", flag)
	}
	at, err := reckon.Instant(s)
	if err != nil {
		return 0, app.Usagef("--%s: %v", flag, err)
	}
	return at, nil
}

func (a *Commands) reckonDue() *cobra.Command {
	var file, from, target string
	c := &cobra.Command{Use: "due", Short: "Calculate when a target falls due, and show the windows counted",
		Args:    cobra.NoArgs,
		Example: "  roundhouse reckon due --calendar office.yaml --from 2026-12-23T14:30:00+01:00 --target 4h",
		RunE: func(*cobra.Command, []string) error {
			cal, err := readCalendar(file)
			if err != nil {
				return err
			}
			at, err := flagInstant("from", from)
			if err != nil {
				return err
			}
			t, err := calendar.ParseTarget(target)
			if err != nil {
				return app.WrongUse(err)
			}
			due, err := cal.DueTarget(at, t)
			if err != nil {
				return err
			}
			warning := t.Warning(cal)
			if a.Format == "json" {
				v := map[string]any{"due": reckon.Text(due)}
				if warning != "" {
					v["warnings"] = []string{warning}
				}
				return a.Printer().JSON(v)
			}
			p := a.Printer()
			p.Line("%s from then: due %s, local time %s", words.Target(t.String()), reckon.Text(due), inZone(cal, due))
			if warning != "" {
				p.Line("Note: %s", warning)
			}
			a.working(cal, at, due)
			return nil
		}}
	c.Flags().StringVar(&file, "calendar", "", "the file of the coverage calendar (YAML)")
	c.Flags().StringVar(&from, "from", "", "when the clock starts, with a zone offset")
	c.Flags().StringVar(&target, "target", "", "the target: 45m, 4h, 1h30m, 2d or 3bd")
	return c
}

func (a *Commands) reckonSpan() *cobra.Command {
	var file, from, to string
	c := &cobra.Command{Use: "span", Short: "Calculate the covered time between two times", Args: cobra.NoArgs,
		Example: "  roundhouse reckon span --calendar office.yaml --from 2026-12-23T14:30:00+01:00 --to " +
			"2026-12-28T09:00:00+01:00",
		RunE: func(*cobra.Command, []string) error {
			cal, err := readCalendar(file)
			if err != nil {
				return err
			}
			x, err := flagInstant("from", from)
			if err != nil {
				return err
			}
			y, err := flagInstant("to", to)
			if err != nil {
				return err
			}
			n := cal.Span(x, y)
			if a.Format == "json" {
				return a.Printer().JSON(map[string]any{"seconds": n})
			}
			a.Printer().Line("%d covered seconds, %s", n, signed(n))
			a.working(cal, min(x, y), max(x, y))
			return nil
		}}
	c.Flags().StringVar(&file, "calendar", "", "the file of the coverage calendar (YAML)")
	c.Flags().StringVar(&from, "from", "", "the start, with a zone offset")
	c.Flags().StringVar(&to, "to", "", "the end, with a zone offset")
	return c
}

func signed(n int64) string {
	if n < 0 {
		return "minus " + words.Span(-n)
	}
	return words.Span(n)
}

func inZone(c *calendar.Calendar, at int64) string {
	return time.Unix(at, 0).In(c.Location()).Format("Mon 2006-01-02 15:04:05 -07:00")
}

// working shows what was counted: windows, closed dates, changes of clocks.
func (a *Commands) working(c *calendar.Calendar, from, to int64) {
	const lines = 40
	p := a.Printer()
	ws := c.Windows(from, to, lines+1)
	p.Line("\nCounted in %s", c.Location())
	for i, w := range ws {
		if i == lines {
			p.Line("  and further windows")
			break
		}
		p.Line("  %s to %s  %10s", inZone(c, w.Open), inZone(c, w.Close), words.Span(w.Close-w.Open))
	}
	if len(ws) == 0 {
		p.Line("  nothing: there is no window in between")
	}
	day := func(at int64) string { return time.Unix(at, 0).In(c.Location()).Format(time.DateOnly) }
	d := c.Definition()
	closed := slices.Sorted(slices.Values(d.Closed))
	for _, date := range closed {
		if _, own := d.Extra[date]; !own && date >= day(from) && date <= day(to) {
			p.Line("Closed on %s", date)
		}
	}
	for date, windows := range d.Extra {
		if date >= day(from) && date <= day(to) {
			p.Line("On %s: %s instead", date, strings.Join(windows, ", "))
		}
	}
	for _, t := range c.Transitions(from, to) {
		p.Line("Clocks change on %s by %+d min", inZone(c, t.At), (t.After-t.Before)/60)
	}
}

func (a *Commands) reckonDeadlines() *cobra.Command {
	return &cobra.Command{Use: "deadlines FILE", Short: "Calculate every deadline of a history and explain it",
		Args:    cobra.ExactArgs(1),
		Example: "  roundhouse reckon deadlines case.json\n  roundhouse reckon deadlines case.json -o json",
		RunE: func(_ *cobra.Command, args []string) error {
			b, err := app.ReadBounded(args[0])
			if err != nil {
				return err
			}
			q, err := reckon.ParseDeadlinesFile(b)
			if err != nil {
				return fmt.Errorf("%s: %w", args[0], err)
			}
			p := a.Printer()
			if a.Format == "json" {
				answer, err := q.Answer()
				if err != nil {
					return err
				}
				return p.JSON(answer)
			}
			return printDeadlines(p, q)
		}}
}

func (a *Commands) reckonSeverity() *cobra.Command {
	var f severity.Facts
	var within float64
	c := &cobra.Command{Use: "severity", Short: "Grade facts by severity", Args: cobra.NoArgs,
		Example: "  roundhouse reckon severity --environment production --effect stopped --reach many --workaround costly",
		RunE: func(cmd *cobra.Command, _ []string) error {
			if cmd.Flags().Changed("needed-within-hours") {
				f.NeededWithinHours = &within
			}
			g, err := severity.Of(f)
			if err != nil {
				return app.WrongUse(err)
			}
			if a.Format == "json" {
				return a.Printer().JSON(map[string]any{"severity": g.Level, "reasons": g.Reasons})
			}
			a.Printer().Line("Severity %d, %s, because %s", g.Level, g.Level, strings.Join(g.Reasons, "; "))
			return nil
		}}
	c.Flags().StringVar(&f.Environment, "environment", "", "production or other")
	c.Flags().StringVar(&f.Effect, "effect", "", "stopped, degraded, awkward or none")
	c.Flags().StringVar(&f.Reach, "reach", "", "everyone, many, few or one")
	c.Flags().StringVar(&f.Workaround, "workaround", "", "none, costly or easy")
	c.Flags().BoolVar(&f.Exposure, "exposure", false, "data is being lost or exposed right now")
	c.Flags().Float64Var(&within, "needed-within-hours", 0, "hours until the business needs it")
	return c
}

// errSomeErred makes the exit status 1; each line has said its own.
var errSomeErred = errors.New("some lines have errors; each says why")

func (a *Commands) reckonBatch() *cobra.Command {
	return &cobra.Command{Use: "batch FILE",
		Short:   "Answer questions from a file, one JSON object per line (- for standard input)",
		Args:    cobra.ExactArgs(1),
		Example: "  roundhouse reckon batch questions.jsonl\n  head -1 questions.jsonl | roundhouse reckon batch -",
		RunE: func(_ *cobra.Command, args []string) error {
			in := a.Stdin
			if args[0] != "-" {
				f, err := os.Open(args[0])
				if err != nil {
					return err
				}
				defer f.Close()
				in = f
			}
			return batch(in, a.Stdout)
		}}
}

func batch(in io.Reader, w io.Writer) error {
	r := bufio.NewReaderSize(in, 64<<10)
	o := bufio.NewWriter(w)
	defer o.Flush()
	erred := false
	var questions reckon.Batch
	for number := 1; ; number++ {
		line, long, err := readLine(r)
		if err != nil && err != io.EOF {
			return err
		}
		if text := strings.TrimSpace(string(line)); text != "" || long {
			answer, ok := reckon.TooLong(number, app.Most), false
			if !long {
				answer, ok = questions.Line([]byte(text))
			}
			erred = erred || !ok
			if _, err := o.Write(append(answer, '\n')); err != nil {
				return err
			}
		}
		if r.Buffered() == 0 { // whoever asks line by line is answered line by line
			if err := o.Flush(); err != nil {
				return err
			}
		}
		if err == io.EOF {
			break
		}
	}
	if erred {
		return errSomeErred
	}
	return nil
}

// readLine reads a line of any length and keeps it only while it is not too long.
func readLine(r *bufio.Reader) (line []byte, long bool, err error) {
	for {
		part, err := r.ReadSlice('\n')
		if !long {
			line = append(line, part...)
		}
		if len(line) > app.Most {
			line, long = nil, true
		}
		if err != bufio.ErrBufferFull {
			return line, long, err
		}
	}
}
