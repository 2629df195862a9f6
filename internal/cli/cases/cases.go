package cases

import (
	"context"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
)

// Cases is the command group case.
func (a *Commands) Cases() *cobra.Command {
	c := app.Group("case", "Support cases", a.caseShow(),
		a.caseDeadlines(), a.caseDecide(), a.caseSent(), a.caseReference(), a.caseConsent())
	for _, s := range steps {
		c.AddCommand(a.stepCommand(s))
	}
	return c
}

// Loaded is a case with the ETag that guards its head.
type Loaded struct {
	*client.Client
	clientgen.Case
	ETag string
}

// Load reads a case by any name that it has.
func (a *Commands) Load(ctx context.Context, name string) (Loaded, error) {
	return a.LoadAt(ctx, name, clientgen.GetCaseParams{})
}

// LoadAt reads a case by its number or any reference, as of a moment.
func (a *Commands) LoadAt(ctx context.Context, name string, as clientgen.GetCaseParams) (Loaded, error) {
	c, err := a.Client()
	if err != nil {
		return Loaded{}, err
	}
	res, err := c.GetCase(ctx, name, &as)
	v, etag, err := client.Read[clientgen.Case](c, res, err)
	return Loaded{c, v, etag}, err
}
