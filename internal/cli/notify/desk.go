// Package notify has the commands for what people and other programs are told of.
package notify

import "roundhouse.example/internal/cli/app"

// Commands are the commands of the subject. Use New.
type Commands struct{ *app.App }

// New makes the commands for a terminal.
func New(a *app.App) *Commands { return &Commands{a} }
