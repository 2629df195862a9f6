// Package drafts has the commands for cases that are not filed yet: open, edit, check, review; and to file one again.
package drafts

import (
	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	clicases "roundhouse.example/internal/cli/cases"
	"roundhouse.example/internal/cli/takeover"
)

// Commands are the commands of the subject. Use New.
type Commands struct{ *clicases.Commands }

// New makes the commands for a terminal.
func New(a *app.App) *Commands { return &Commands{clicases.New(a)} }

// Cases is the command group case, with the commands for drafts in it.
func (a *Commands) Cases() *cobra.Command {
	c := a.Commands.Cases()
	c.AddCommand(a.caseOpen(), a.caseEdit(), a.caseCheck(), a.caseReview(), a.caseWhom(), a.caseMaker(), a.caseRefile())
	c.AddCommand(takeover.New(a.App).All()...)
	return c
}
