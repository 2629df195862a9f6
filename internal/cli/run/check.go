package run

import (
	"context"
	"errors"
	"fmt"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/cli/readiness"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/ready"
	"roundhouse.example/internal/desk/record"
	"roundhouse.example/internal/localpg"
	"roundhouse.example/internal/service"
)

// Check is the command check.
func (a *Commands) Check() *cobra.Command {
	var database, data string
	var rebuild bool
	c := &cobra.Command{Use: "check", Short: "Recalculate every case from its record and list what differs",
		Args: cobra.NoArgs,
		Long: "Recalculates deadlines, state, move and next date of every case from its record, compares them with " +
			"what is\nstored, and checks that every live case has a next date. It also says what is not ready: targets, " +
			"ladders,\nwhom to call outside hours, the rota. It changes nothing without --rebuild and can run beside the " +
			"service. The exit status\nis 1 if something differs.",
		Example: "  roundhouse check --data .roundhouse/demo\n" +
			"  roundhouse check --database postgres://desk@db.company.example/roundhouse -o json",
		RunE: func(cmd *cobra.Command, _ []string) error {
			if err := app.Configured(cmd.Flags()); err != nil {
				return err
			}
			ctx := cmd.Context()
			url, done, err := existing(ctx, database, data)
			if err != nil {
				return err
			}
			defer done()
			return a.runCheck(ctx, url, rebuild)
		}}
	app.ConfigFlag(c.Flags())
	c.Flags().StringVar(&database, "database", "", "URL of a PostgreSQL; the private one under --data if left out")
	c.Flags().StringVar(&data, "data", ".roundhouse", "directory of the private PostgreSQL")
	c.Flags().BoolVar(&rebuild, "rebuild", false, "store what the record says")
	return c
}

// existing is a database that is there already: by its URL, or a private one,
// which is started where nobody runs it.
func existing(ctx context.Context, database, data string) (url string, done func(), err error) {
	if database != "" {
		return database, func() {}, nil
	}
	dir := filepath.Join(data, "postgres")
	if !localpg.Exists(dir) {
		return "", nil, fmt.Errorf("there is no database under %s: name another directory with --data (the demo's is "+
			".roundhouse/demo), or a PostgreSQL with --database", data)
	}
	return Private(ctx, dir)
}

// Private is a PostgreSQL of our own: the one that runs, else one that is started
// until done is called.
func Private(ctx context.Context, dir string) (url string, done func(), err error) {
	pg, err := localpg.Start(ctx, localpg.Options{Dir: dir})
	if errors.Is(err, localpg.ErrInUse) {
		url, err = localpg.Running(dir)
		return url, func() {}, err
	} else if err != nil {
		return "", nil, err
	}
	return pg.URL, func() { _ = pg.Stop() }, nil
}

func (a *Commands) runCheck(ctx context.Context, url string, rebuild bool) error {
	d, err := service.Attach(ctx, url)
	if err != nil {
		return unreachable(err)
	}
	defer d.Close()
	sum, err := d.Record.Check(ctx)
	if err != nil {
		return unreachable(err)
	}
	gaps, err := d.Readiness.All(ctx, d.Store.DB, func(int64) bool { return true })
	if err != nil {
		return unreachable(err)
	}
	p := a.Printer()
	if a.Format == "json" {
		if err := p.JSON(checked{sum, notReady(gaps)}); err != nil {
			return err
		}
	} else {
		for _, f := range sum.Findings {
			p.Line("%s  %s: stored %s, recalculated %s", f.Case, f.What, f.Stored, f.Replayed)
		}
		p.Line("%s checked, %d of them live, %s, %s: %s", app.Number(sum.Cases, "case"), sum.Live,
			app.Number(sum.Deadlines, "deadline"), app.Number(sum.Dated, "dated item"), verdict(len(sum.Findings)))
		p.Line("Not checked, because the record does not hold it: %s.", strings.Join(sum.NotChecked, ", "))
		if len(gaps) > 0 {
			p.Line("\nWhat is not ready\n")
			readiness.Print(p, notReady(gaps))
		}
	}
	if len(sum.Findings) == 0 {
		return nil
	}
	if !rebuild {
		return errors.New("what is stored differs from the record; --rebuild corrects it")
	}
	differing := sum.Differing()
	if err := d.Cases.Rebuild(ctx, differing); err != nil {
		return err
	}
	if a.Format != "json" {
		p.Line("%s rebuilt from the record.", app.Number(len(differing), "case"))
	}
	return nil
}

// checked is what check says to programs.
type checked struct {
	record.Checked
	NotReady []readiness.Line `json:"not_ready"`
}

func notReady(gaps []ready.Gap) []readiness.Line {
	out := make([]readiness.Line, len(gaps))
	for i, g := range gaps {
		out[i] = readiness.Line{Kind: string(g.Kind), Text: g.Text, Remedy: g.Remedy, Command: g.Command}
	}
	return out
}

// unreachable says in one line that the database is away, where that is what err means.
func unreachable(err error) error {
	if !desk.Unavailable(err) {
		return err
	}
	return fmt.Errorf("the database cannot be reached: %s", strings.Join(strings.Fields(err.Error()), " "))
}

func verdict(findings int) string {
	switch findings {
	case 0:
		return "everything matches, and every live case has a next date."
	case 1:
		return "1 difference."
	}
	return fmt.Sprintf("%d differences.", findings)
}
