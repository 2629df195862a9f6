// Package run has the commands that run something: the service, the demo, the simulated vendors, the check.
package run

import "roundhouse.example/internal/cli/app"

// Commands are the commands of the subject. Use New.
type Commands struct{ *app.App }

// New makes the commands for a terminal.
func New(a *app.App) *Commands { return &Commands{a} }
