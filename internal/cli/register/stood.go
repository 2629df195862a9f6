package register

import (
	"context"
	"fmt"
	"time"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
)

// standing are the commands of a kind of record that is shown as it stood, too.
func (a *Commands) standing(n app.Noun) *cobra.Command {
	var at string
	c := a.Noun(n)
	for _, show := range c.Commands() {
		if show.Name() != "show" {
			continue
		}
		show.Example += "\n" + show.Example + " --at \"30d ago\""
		show.Flags().StringVar(&at, "at", "", "with the targets that were in force then; all else is as it is now")
		now := show.RunE
		show.RunE = func(cmd *cobra.Command, args []string) error {
			if at == "" {
				return now(cmd, args)
			}
			return a.stood(cmd.Context(), n, args[0], at)
		}
	}
	return c
}

// stood shows a record with the targets that were in force at a time.
func (a *Commands) stood(ctx context.Context, n app.Noun, name, at string) error {
	then, err := a.When(ctx, at)
	if err != nil {
		return err
	}
	c, r, _, err := a.LoadRecord(ctx, n, name)
	if err != nil {
		return err
	}
	path := fmt.Sprintf("%s/%s?at=%s", n.Path, r.Text("id"), then.UTC().Format(time.RFC3339))
	r = nil
	if _, err := c.Do(ctx, "GET", path, nil, nil, &r); err != nil {
		return err
	}
	if a.Format == "table" {
		times := a.Times(ctx)
		since := ": there were none yet."
		if t, err := time.Parse(time.RFC3339, r.Text("targets_since")); err == nil {
			since = ", in force from " + times.Full(t) + " on."
		}
		a.Printer().Line("Targets as they stood on %s%s Everything else is as it is now.\n", times.Full(*then), since)
	}
	return a.PrintRecord(n, r)
}
