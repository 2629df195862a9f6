// Package links has the commands for the ways to vendors that work by themselves.
package links

import "roundhouse.example/internal/cli/app"

// Commands are the commands of the subject. Use New.
type Commands struct{ *app.App }

// New makes the commands for a terminal.
func New(a *app.App) *Commands { return &Commands{a} }
