package drafts

import (
	"context"
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
)

// caseWhom says which vendors a matter may belong to.
func (a *Commands) caseWhom() *cobra.Command {
	return &cobra.Command{Use: "whom WORDS", Short: "Suggest which vendor a problem belongs to, and why",
		Args: cobra.MinimumNArgs(1), Example: "  roundhouse case whom \"The ticket shop shows no cabins\"",
		RunE: func(cmd *cobra.Command, args []string) error {
			list, err := a.whoseIs(cmd.Context(), strings.Join(args, " "))
			if err != nil {
				return err
			}
			if a.Format == "json" {
				return a.Printer().JSON(list)
			}
			if len(list) == 0 {
				a.Printer().Line("Nothing that the desk knows matches any of these words: the problem may not belong to any " +
					"vendor. roundhouse vendor list shows all vendors.")
			}
			for _, c := range list {
				a.Printer().Line("%s", whomWords(c))
			}
			return nil
		}}
}

func (a *Commands) whoseIs(ctx context.Context, text string) ([]clientgen.Candidate, error) {
	c, err := a.Client()
	if err != nil {
		return nil, err
	}
	res, err := c.Whom(ctx, &clientgen.WhomParams{Words: text})
	list, _, err := client.Read[clientgen.Candidates](c, res, err)
	return list.Items, err
}

// whomWords is a candidate in one line.
func whomWords(c clientgen.Candidate) string {
	text := fmt.Sprintf("%-12s %s (%s)", c.Vendor, c.Name, strings.Join(c.Why, "; "))
	if f := c.First; f != nil {
		text += "; go to " + f.Name + " first"
		if f.Direct {
			text += ", although going to it directly is allowed"
		}
	}
	return text
}

// caseMaker records the status of a case at the maker behind its reseller.
func (a *Commands) caseMaker() *cobra.Command {
	var at string
	c := &cobra.Command{Use: "maker CASE STATUS", Short: "Record a case's status at the maker behind its reseller",
		Args: cobra.ExactArgs(2),
		Long: "Records the status that the maker behind a reseller gives a case. No deadline changes: the case is\n" +
			"with the reseller. Record the maker's number with roundhouse case reference --whose other-vendor.",
		Example: "  roundhouse case maker C-1102 \"At the bench\"",
		RunE: func(cmd *cobra.Command, args []string) error {
			l, err := a.Load(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			when, err := a.When(cmd.Context(), at)
			if err != nil {
				return err
			}
			res, err := l.SetMakerStatus(cmd.Context(), l.Line.Number,
				&clientgen.SetMakerStatusParams{IdempotencyKey: client.Key()},
				clientgen.MakerStatus{Status: args[1], At: when})
			v, _, err := client.Read[clientgen.Case](l.Client, res, err)
			if err != nil {
				return err
			}
			if a.Format == "table" {
				a.Printer().Line("Status of %s at %s: %q", v.Line.Number, app.Deref(v.Maker), app.Deref(v.MakerStatus))
				return nil
			}
			return a.AfterStep(v)
		}}
	c.Flags().StringVar(&at, "at", "", "when it got this status; now if left out")
	return c
}
