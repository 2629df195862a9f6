package cases

import (
	"fmt"
	"time"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
)

func (a *Commands) deadlineTable(list []clientgen.Deadline, now time.Time) {
	p := a.Printer()
	if a.Format == "csv" {
		a.deadlineCSV(list)
		return
	}
	var rows [][]string
	for _, d := range list {
		late := ""
		if d.LateSeconds != nil {
			late = app.Span(*d.LateSeconds) + " late"
		}
		rows = append(rows, []string{string(d.Deadline), string(d.Side), app.Deref(d.Label), d.Target,
			p.Standing(string(d.Standing)), out.Time(d.Due, now), app.Span(d.CountedSeconds) + " of " +
				app.Span(d.TargetSeconds), late})
	}
	p.Table([]out.Column{{Name: "deadline"}, {Name: "side", Drop: 2}, {Name: "level", Drop: 3}, {Name: "within"},
		{Name: "standing"}, {Name: "due"}, {Name: "counted", Drop: 1}, {Name: ""}}, rows)
}

func (a *Commands) deadlineCSV(list []clientgen.Deadline) {
	var rows [][]string
	for _, d := range list {
		rows = append(rows, []string{string(d.Deadline), string(d.Side), fmt.Sprint(d.Rank), app.Deref(d.Label), d.Target,
			d.Calendar, string(d.Standing), app.Raw(&d.Started), app.Raw(d.Due), app.Raw(d.Ended),
			fmt.Sprint(d.CountedSeconds), fmt.Sprint(d.TargetSeconds), app.Raw(d.LateSeconds)})
	}
	a.Printer().Table(app.Columns("deadline", "side", "rank", "level", "target", "calendar", "standing", "started", "due",
		"ended", "counted_seconds", "target_seconds", "late_seconds"), rows)
}

func (a *Commands) caseDeadlines() *cobra.Command {
	var explain bool
	var at string
	c := &cobra.Command{Use: "deadlines CASE",
		Short: "Show a case's deadlines; --explain with each counted and each paused span", Args: cobra.ExactArgs(1),
		Example: "  roundhouse case deadlines C-1001 --explain\n  roundhouse case deadlines C-1001 --at 2026-11-20T09:00:00Z",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.Client()
			if err != nil {
				return err
			}
			asOf, err := app.When(at, time.Now())
			if err != nil {
				return err
			}
			res, err := c.ListDeadlines(cmd.Context(), args[0], &clientgen.ListDeadlinesParams{AsOf: asOf})
			all, _, err := client.Read[clientgen.Deadlines](c, res, err)
			if err != nil {
				return err
			}
			p := a.Printer()
			if a.Format == "json" {
				return p.JSON(all)
			}
			if len(all.Items) == 0 && a.Format == "table" {
				p.Line("No clock has started: nothing has been filed, or nothing is promised.")
				return nil
			}
			if !explain || a.Format == "csv" {
				a.deadlineTable(all.Items, all.AsOf)
				return nil
			}
			for _, d := range all.Items {
				p.Line("%s, %s: %s", d.Deadline, p.Standing(string(d.Standing)), app.Deref(d.Words))
				for _, s := range d.Segments {
					mark := "paused "
					if s.Counted {
						mark = "counted"
					}
					p.Line("  %s  %s to %s  %10s covered  %s", mark, s.From.UTC().Format("2006-01-02 15:04:05Z"),
						s.To.UTC().Format("2006-01-02 15:04:05Z"), app.Span(s.CoveredSeconds), s.Why)
				}
				if d.Due != nil {
					p.Line("  due      %s", d.Due.UTC().Format("2006-01-02 15:04:05Z"))
				}
			}
			p.Line("\nBy version %s of the rules; time zones %s.", all.Rules, all.Zones)
			return nil
		}}
	c.Flags().BoolVar(&explain, "explain", false, "with each counted and each paused span")
	c.Flags().StringVar(&at, "at", "", "as they stood at an instant")
	return c
}
