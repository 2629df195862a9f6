// Package drafts has the commands for cases that are not filed yet: open, edit, check, review; and
// for those that vendors have already.
package drafts

import (
	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	clicases "roundhouse.example/internal/cli/cases"
)

// Commands are the commands of the subject. Use New.
type Commands struct{ *clicases.Commands }

// New makes the commands for a terminal.
func New(a *app.App) *Commands { return &Commands{clicases.New(a)} }

// Cases is the command group case, with the commands for drafts in it.
func (a *Commands) Cases() *cobra.Command {
	c := a.Commands.Cases()
	c.AddCommand(a.caseOpen(), a.caseEdit(), a.caseCheck(), a.caseReview(), a.caseAdd(),
		a.caseImport(), a.caseExport())
	return c
}
