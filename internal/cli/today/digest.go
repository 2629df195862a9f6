package today

import (
	"strings"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
)

// Digest is the command digest.
func (a *Commands) Digest() *cobra.Command {
	var since string
	c := &cobra.Command{Use: "digest", Short: "What happened, what is late, what falls due, and who has what",
		Args: cobra.NoArgs,
		Long: "Shows what has happened in the last day (or since --since), what is late, what falls due by noon\n" +
			"tomorrow, and who has what: for a change of shift, or once a day.",
		Example: "  roundhouse digest\n  roundhouse digest --since \"8h ago\"",
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.Client()
			if err != nil {
				return err
			}
			from, err := a.When(cmd.Context(), since)
			if err != nil {
				return err
			}
			if from != nil && from.After(a.Now(cmd.Context())) {
				return app.Usagef("--since is in the future: give an earlier time, like \"8h ago\"")
			}
			res, err := c.GetDigest(cmd.Context(), &clientgen.GetDigestParams{Since: from})
			d, _, err := client.Read[clientgen.Digest](c, res, err)
			if err != nil {
				return err
			}
			if a.Format == "json" {
				return a.Printer().JSON(d)
			}
			a.printDigest(d, a.Times(cmd.Context()))
			return nil
		}}
	c.Flags().StringVar(&since, "since", "", "since when, like \"8h ago\"; a day ago if left out")
	return c
}

func (a *Commands) printDigest(d clientgen.Digest, times out.Times) {
	p := a.Printer()
	p.Line("Since %s; times in %s\n", times.Short(&d.Since), times.Name())
	section := func(title, none string, rows [][]string, columns ...out.Column) {
		p.Line("%s", title)
		if len(rows) == 0 {
			p.Line("%s", none)
		} else {
			p.Table(columns, rows)
		}
		p.Line("")
	}
	var rows [][]string
	for _, x := range d.Happened {
		sev := "-"
		if x.Severity != nil {
			sev = app.Raw(x.Severity)
		}
		rows = append(rows, []string{sev, x.Case, x.Title, x.Vendor, strings.Join(x.What, ", ")})
	}
	section("What happened", "Nothing.", rows, out.Column{Name: "severity"}, out.Column{Name: "case"},
		out.Column{Name: "title", Main: true}, out.Column{Name: "vendor", Shrink: true, Drop: 1},
		out.Column{Name: "what", Shrink: true})
	marks := func(list []clientgen.DueMark) (rows [][]string) {
		for _, x := range list {
			rows = append(rows, []string{times.Short(&x.Mark.At), x.Mark.Case, x.Mark.Title, x.Vendor, x.Mark.What,
				out.Move(string(x.Mark.Owed))})
		}
		return rows
	}
	columns := []out.Column{{Name: "due"}, {Name: "case"}, {Name: "title", Main: true},
		{Name: "vendor", Shrink: true, Drop: 1}, {Name: "what", Shrink: true}, {Name: "owed by"}}
	section("Late", "Nothing is late.", marks(d.Late), columns...)
	section("Due by "+times.Short(&d.Until), "Nothing.", marks(d.Due), columns...)
	rows = nil
	for _, x := range d.Held {
		rows = append(rows, []string{app.FirstOf(x.Name, "nobody"), app.Raw(&x.Live), app.Raw(&x.OnUs), app.Raw(&x.Severe),
			app.Raw(&x.Late)})
	}
	section("Who has what", "There are no live cases.", rows, out.Column{Name: "owner", Main: true},
		out.Column{Name: "live", Right: true}, out.Column{Name: "waiting on us", Right: true},
		out.Column{Name: "severity 1 and 2", Right: true}, out.Column{Name: "late", Right: true})
}
