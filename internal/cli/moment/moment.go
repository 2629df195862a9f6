// Package moment has the flags with which what is read is shown as it stood.
package moment

import (
	"context"
	"time"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
)

// Flags say as of when something is shown. Use Add.
type Flags struct {
	at    string
	known bool
}

// Add puts the flags on a command that reads.
func (f *Flags) Add(c *cobra.Command) {
	c.Flags().StringVar(&f.at, "at", "", "as it stood at this time, like \"2026-12-01 08:00\" or \"3d ago\"")
	c.Flags().BoolVar(&f.known, "known", false, "with --at, by what was known then: leaves out what was recorded later")
}

// Of is the moment that was asked for; nil for now.
func (f *Flags) Of(ctx context.Context, a *app.App) (at *time.Time, known *bool, err error) {
	if f.known && f.at == "" {
		return nil, nil, app.Usagef("--known goes with --at: say as of when")
	}
	if at, err = a.When(ctx, f.at); err != nil || at == nil {
		return nil, nil, err
	}
	return at, app.Some(f.known), nil
}

// Head heads what is shown as of a moment.
func Head(ctx context.Context, a *app.App, at *time.Time) {
	if at != nil && a.Format == "table" {
		a.Printer().Line("As it stood on %s\n", a.Times(ctx).Full(*at))
	}
}
