// Package register has the commands for vendors, their packs, and what we have from them.
package register

import "roundhouse.example/internal/cli/app"

// Commands are the commands of the subject. Use New.
type Commands struct{ *app.App }

// New makes the commands for a terminal.
func New(a *app.App) *Commands { return &Commands{a} }
