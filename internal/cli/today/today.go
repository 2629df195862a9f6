package today

import (
	"context"
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	clicases "roundhouse.example/internal/cli/cases"
	"roundhouse.example/internal/cli/lists"
	"roundhouse.example/internal/cli/moment"
	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
)

// Today is the command today.
func (a *Commands) Today() *cobra.Command {
	var whose lists.WhoseFlags
	var next string
	var limit int
	var follow bool
	var as moment.Flags
	c := &cobra.Command{Use: "today", Short: "What needs attention next, most pressing first", Args: cobra.NoArgs,
		Example: "  roundhouse today\n  roundhouse today --mine --next 8h\n  roundhouse today --watched -o json\n" +
			"  roundhouse today --at \"1d ago\"",
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.Client()
			if err != nil {
				return err
			}
			if follow {
				return a.follow(cmd.Context(), c, &whose)
			}
			if next != "" {
				return a.coming(cmd.Context(), c, &whose, next)
			}
			most, err := a.Limit(cmd, limit)
			if err != nil {
				return err
			}
			at, known, err := as.Of(cmd.Context(), a.App)
			if err != nil {
				return err
			}
			t, err := wholeToday(cmd.Context(), c, &whose, most, clientgen.GetTodayParams{At: at, Known: known})
			if err != nil {
				return err
			}
			moment.Head(cmd.Context(), a.App, at)
			return a.print(cmd.Context(), t)
		}}
	c.Flags().IntVar(&limit, "limit", 50, "maximum number of lines; json and csv show all if left out")
	c.Flags().StringVar(&next, "next", "", "list what is due within this time, like 8h, in order of time")
	c.Flags().BoolVar(&follow, "follow", false,
		"keep it on the screen, redraw it as things happen, and take a line's step with its key")
	whose.Add(c)
	as.Add(c)
	return c
}

// totals are how many cases there are of each sort, in a line.
func totals(t *clientgen.Today) string {
	return fmt.Sprintf("%d late, %d due soon, %d waiting on us, %d unread, %d severity 1, %d live", t.Late, t.DueSoon,
		t.OnUs, t.Unread, t.Stopped, t.Live)
}

// print prints Today in the format that was asked for.
func (a *Commands) print(ctx context.Context, t clientgen.Today) error {
	p := a.Printer()
	if a.Format == "json" {
		return p.JSON(t)
	}
	times := a.Times(ctx)
	p.Line("%s", totals(&t))
	p.Line("%d not delivered yet, %d without a reference, %d not confirmed, %d to be sorted", t.OnTheWay, t.NoReference,
		t.NotConfirmed, app.Deref(t.ToSort))
	p.Line("Times in %s", times.Name())
	if g := t.RotaGap; g != nil && a.Format == "table" {
		span := "from " + times.Short(&g.From)
		if g.Until != nil {
			span += " to " + times.Short(g.Until)
		}
		p.Line("Nobody can be reached round the clock %s.", span)
		p.Line("Needed by %s; see roundhouse rota list.", someCases(g.Cases, g.Needing))
	}
	if len(t.Lines) == 0 && a.Format == "table" {
		p.Line("\nNothing needs attention. Open a case with roundhouse case open.")
		a.belowCases(t, times)
		return nil
	}
	if a.Format == "csv" {
		return a.todayCSV(t)
	}
	p.Line("")
	var rows [][]string
	for _, l := range t.Lines {
		next := l.StepWords
		if l.Step == "look" && app.Deref(l.ItemKind) != "check-in" { // nothing is asked of anybody yet
			next = ""
		}
		rows = append(rows, []string{clicases.SeverityText(l.Case), l.Case.Number, l.Case.Title, l.Case.Vendor, l.Why,
			p.Standing(string(app.Deref(l.Standing))),
			times.Short(l.Due), out.Move(string(app.Deref(l.Case.Move))), app.Deref(l.Case.OwnerInitials), next})
	}
	p.Table([]out.Column{{Name: "severity"}, {Name: "case"}, {Name: "title", Main: true},
		{Name: "vendor", Shrink: true, Drop: 3}, {Name: "reason", Shrink: true}, {Name: "standing", Drop: 5},
		{Name: "due", Drop: 4}, {Name: "waiting on", Drop: 2}, {Name: "owner", Drop: 1}, {Name: "next"}}, rows)
	if more := t.Total - len(t.Lines); more > 0 {
		p.Line("and %d less pressing; raise --limit to see them", more)
	}
	a.belowCases(t, times)
	return nil
}

// someCases names cases where they are few.
func someCases(numbers []string, total int) string {
	if total > 3 {
		return app.Number(total, "case")
	}
	return strings.Join(numbers, ", ")
}

// wholeToday is Today up to a number of lines.
func wholeToday(ctx context.Context, c *client.Client, whose *lists.WhoseFlags, most int,
	p clientgen.GetTodayParams) (t clientgen.Today, err error) {
	p.Whose, p.Person = whose.Part()
	for {
		p.Limit = app.Some(min(500, most-len(t.Lines)))
		res, err := c.GetToday(ctx, &p)
		page, _, err := client.Read[clientgen.Today](c, res, err)
		if err != nil {
			return t, err
		}
		page.Lines, page.Contracts = append(t.Lines, page.Lines...), append(t.Contracts, page.Contracts...)
		page.Drafts = append(t.Drafts, page.Drafts...)
		t = page
		if t.Next == nil || len(t.Lines) >= most {
			return t, nil
		}
		p.Cursor = t.Next
	}
}

func (a *Commands) todayCSV(t clientgen.Today) error {
	var rows [][]string
	for _, l := range t.Lines {
		rows = append(rows, []string{app.Raw(l.Case.Severity), l.Case.Number, l.Case.Title, l.Case.VendorKey, l.Why,
			app.Raw(l.Standing), app.Raw(l.Due), app.Raw(l.Case.Move), app.Deref(l.Case.Owner), string(l.Step)})
	}
	a.Printer().Table(app.Columns("severity", "case", "title", "vendor", "why", "standing", "due", "move", "owner",
		"step"), rows)
	return nil
}

// belowCases are one's own drafts, then the contracts that end; programs read them with -o json.
func (a *Commands) belowCases(t clientgen.Today, times out.Times) {
	if len(t.Drafts) > 0 && a.Format != "csv" {
		p := a.Printer()
		p.Line("\nYour drafts")
		var rows [][]string
		for _, d := range t.Drafts {
			rows = append(rows, []string{d.Number, d.Title, d.Vendor, times.Short(&d.ChangedAt)})
		}
		p.Table([]out.Column{{Name: "case"}, {Name: "title", Main: true}, {Name: "vendor", Shrink: true}, {Name: "changed"}},
			rows)
	}
	a.endingContracts(t.Contracts)
}

// endingContracts come below the cases; programs read them with -o json.
func (a *Commands) endingContracts(list []clientgen.ContractLine) {
	if len(list) == 0 || a.Format == "csv" {
		return
	}
	p := a.Printer()
	p.Line("\nContracts")
	var rows [][]string
	for _, k := range list {
		rows = append(rows, []string{k.Number, k.Vendor, strings.Join(k.Words, ". ")})
	}
	p.Table([]out.Column{{Name: "contract"}, {Name: "vendor", Shrink: true}, {Name: "reason", Shrink: true}}, rows)
}
