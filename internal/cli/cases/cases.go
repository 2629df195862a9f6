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
	c := app.Group("case", "Support cases", a.caseOpen(), a.caseEdit(), a.caseList(), a.caseShow(), a.caseReply(),
		a.caseNote(), a.caseCall(), a.caseDeadlines(), a.caseDecide(), a.caseSent(), a.caseReference())
	for _, s := range steps {
		c.AddCommand(a.stepCommand(s))
	}
	return c
}

// loaded is a case with the ETag that guards its head.
type loaded struct {
	*client.Client
	clientgen.Case
	etag string
}

func (a *Commands) load(ctx context.Context, name string) (loaded, error) {
	c, err := a.Client()
	if err != nil {
		return loaded{}, err
	}
	res, err := c.GetCase(ctx, name)
	v, etag, err := client.Read[clientgen.Case](c, res, err)
	return loaded{c, v, etag}, err
}
