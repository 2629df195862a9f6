package cases

import (
	"fmt"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/cli/moment"
	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/core/words"
)

func (a *Commands) deadlineTable(list []clientgen.Deadline, times out.Times) {
	p := a.Printer()
	if a.Format == "csv" {
		a.deadlineCSV(list)
		return
	}
	var rows [][]string
	for _, d := range list {
		late := ""
		if d.LateSeconds != nil {
			late = words.Span(*d.LateSeconds) + " late"
		}
		rows = append(rows, []string{words.Deadlines.Of(string(d.Deadline)), words.Sides.Of(string(d.Side)),
			app.Deref(d.Label), words.Target(d.Target), p.Standing(string(d.Standing)), times.Short(d.Due),
			words.Span(d.CountedSeconds) + " of " + words.Span(d.TargetSeconds), late})
	}
	p.Table([]out.Column{{Name: "deadline"}, {Name: "owed by", Drop: 2}, {Name: "level", Drop: 3}, {Name: "target"},
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
	var as moment.Flags
	c := &cobra.Command{Use: "deadlines CASE",
		Short: "Show the deadlines of a case; --explain shows every counted and paused span", Args: cobra.ExactArgs(1),
		Example: "  roundhouse case deadlines C-1085 --explain\n  roundhouse case deadlines C-1085 --at \"1h ago\"",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.Client()
			if err != nil {
				return err
			}
			asOf, known, err := as.Of(cmd.Context(), a.App)
			if err != nil {
				return err
			}
			res, err := c.ListDeadlines(cmd.Context(), args[0], &clientgen.ListDeadlinesParams{AsOf: asOf,
				Known: known})
			all, _, err := client.Read[clientgen.Deadlines](c, res, err)
			if err != nil {
				return err
			}
			p := a.Printer()
			if a.Format == "json" {
				return p.JSON(all)
			}
			if len(all.Items) == 0 && a.Format == "table" {
				p.Line("No clock has started: the case is not filed yet, or the contract has no targets for it.")
				return nil
			}
			times := a.Times(cmd.Context())
			if !explain || a.Format == "csv" {
				times.Now = all.AsOf
				if a.Format == "table" {
					p.Line("Times in %s\n", times.Name())
				}
				a.deadlineTable(all.Items, times)
				return nil
			}
			for _, d := range all.Items {
				p.Line("%s, %s: %s", words.Deadlines.Of(string(d.Deadline)), p.Standing(string(d.Standing)), app.Deref(d.Words))
				for _, s := range d.Segments {
					mark := "paused "
					if s.Counted {
						mark = "counted"
					}
					p.Line("  %s  %-46s  %10s covered  %s", mark, times.Full(s.From)+" to "+times.Full(s.To),
						words.Span(s.CoveredSeconds), s.Why)
				}
				if d.Due != nil {
					p.Line("  due      %s", times.Full(*d.Due))
				}
			}
			p.Line("\nTimes in %s. Rules version %s; time zone data %s.", times.Name(), all.Rules, all.Zones)
			return nil
		}}
	c.Flags().BoolVar(&explain, "explain", false, "show every counted and paused span")
	as.Add(c)
	return c
}
