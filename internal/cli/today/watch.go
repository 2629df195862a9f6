package today

import (
	"context"
	"strings"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/core/words"
)

// Watch is the command watch.
func (a *Commands) Watch() *cobra.Command {
	var vendor string
	var severity int
	var stop bool
	c := &cobra.Command{Use: "watch [CASE]",
		Short: "Watch a case, a vendor or a severity; without one, list what you watch",
		Args:  cobra.MaximumNArgs(1),
		Example: "  roundhouse watch\n  roundhouse watch C-1075\n  roundhouse watch --vendor tallow\n" +
			"  roundhouse watch --severity 1\n  roundhouse watch C-1075 --stop",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.Client()
			if err != nil {
				return err
			}
			what := clientgen.NewWatch{Vendor: app.Some(vendor), Severity: app.Some(severity)}
			if len(args) == 1 {
				what.Case = &args[0]
			}
			return a.watch(cmd.Context(), c, what, stop)
		}}
	c.Flags().StringVar(&vendor, "vendor", "", "all cases of this vendor")
	c.Flags().IntVar(&severity, "severity", 0, "all cases of this severity")
	c.Flags().BoolVar(&stop, "stop", false, "stop watching it")
	return c
}

func (a *Commands) watch(ctx context.Context, c *client.Client, what clientgen.NewWatch, stop bool) error {
	var res clientgen.Watches
	var err error
	switch {
	case what == clientgen.NewWatch{} && stop:
		return app.Usagef("say what to stop watching: a case, --vendor or --severity")
	case what == clientgen.NewWatch{} || stop:
		answer, failed := c.ListWatches(ctx)
		res, _, err = client.Read[clientgen.Watches](c, answer, failed)
	default:
		answer, failed := c.StartWatching(ctx, &clientgen.StartWatchingParams{IdempotencyKey: client.Key()}, what)
		res, _, err = client.Read[clientgen.Watches](c, answer, failed)
	}
	if err != nil {
		return err
	}
	if stop {
		return a.stopWatching(ctx, c, what, res.Items)
	}
	p := a.Printer()
	if a.Format == "json" {
		return p.JSON(res.Items)
	}
	if len(res.Items) == 0 {
		p.Line("You watch nothing. Watch a case with roundhouse watch CASE.")
		return nil
	}
	var rows [][]string
	for _, w := range res.Items {
		rows = append(rows, watched(w))
	}
	p.Table([]out.Column{{Name: "watched"}, {Name: "what", Main: true}}, rows)
	return nil
}

// watched is what a watch is of, and what that is called.
func watched(w clientgen.Watch) []string {
	switch {
	case w.Case != nil:
		return []string{*w.Case, app.Deref(w.Title)}
	case w.Vendor != nil:
		return []string{*w.Vendor, "All cases of " + app.Deref(w.VendorName)}
	}
	s := app.Raw(w.Severity)
	return []string{"severity " + s, "All cases of severity " + s + ", " + words.Severities.Of(s)}
}

func (a *Commands) stopWatching(ctx context.Context, c *client.Client, what clientgen.NewWatch,
	list []clientgen.Watch) error {
	name := app.Deref(what.Case)
	if name != "" { // by any number that it has
		res, err := c.GetCase(ctx, name, nil)
		v, _, err := client.Read[clientgen.Case](c, res, err)
		if err != nil {
			return err
		}
		name = v.Line.Number
	}
	for _, w := range list {
		if name != "" && app.Deref(w.Case) == name ||
			what.Vendor != nil && strings.EqualFold(app.Deref(w.Vendor), *what.Vendor) ||
			what.Severity != nil && app.Deref(w.Severity) == *what.Severity {
			res, err := c.StopWatching(ctx, w.Id)
			if _, _, err := client.Read[struct{}](c, res, err); err != nil {
				return err
			}
			a.Printer().Line("You do not watch %s any more.", watched(w)[0])
			return nil
		}
	}
	return app.Usagef("you do not watch that; roundhouse watch lists what you watch")
}
