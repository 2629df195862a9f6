// Package today has the command that says what needs doing next.
package today

import (
	"context"

	"roundhouse.example/internal/cli/app"
)

// Commands are the commands of the subject. Use New.
type Commands struct {
	*app.App
	// Run runs another command in the same terminal, for the step of a line; it says itself what was wrong.
	Run func(ctx context.Context, args []string) int
}

// New makes the commands for a terminal.
func New(a *app.App) *Commands { return &Commands{App: a} }
