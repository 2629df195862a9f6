package drafts

import (
	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	clicases "roundhouse.example/internal/cli/cases"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
)

// caseRefile withdraws a case and files it again under what it belongs to.
func (a *Commands) caseRefile() *cobra.Command {
	var by clicases.ByFlags
	var disclose, reason, vendor, maker, asset, account, contract string
	c := &cobra.Command{Use: "refile CASE",
		Short: "Withdraw a case and file it again under another account, contract or vendor", Args: cobra.ExactArgs(1),
		Long: "Withdraws a live case, tells its vendor why, and files it again where it belongs, in one step.\n" +
			"Each of the two cases refers to the other. Conditions that were confirmed stay confirmed. If\n" +
			"something required is missing for the new case, it stays a draft.",
		Example: "  roundhouse case refile C-1077 --account saltmarsh-lab --reason \"It is the lab that is slow\"",
		RunE: func(cmd *cobra.Command, args []string) error {
			if reason == "" {
				return app.Usagef("say why with --reason: the vendor is told")
			}
			l, err := a.Load(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			b := clientgen.Refiling{Reason: reason, Vendor: app.Some(vendor), Maker: app.Some(maker), Channel: by.Via(),
				Link: app.Some(by.Link), DiscloseReason: app.Some(disclose)}
			for _, x := range []struct {
				kind, name string
				to         **int64
			}{{"asset", asset, &b.Asset}, {"account", account, &b.Account}, {"contract", contract, &b.Contract}} {
				if x.name == "" {
					continue
				}
				hit, err := a.Named(cmd.Context(), l.Client, x.kind, x.name)
				if err != nil {
					return err
				}
				*x.to = &hit.Id
			}
			res, err := l.Refile(cmd.Context(), l.Line.Number,
				&clientgen.RefileParams{IfMatch: &l.ETag, IdempotencyKey: client.Key()}, b)
			v, _, err := client.Read[clientgen.Case](l.Client, res, err)
			if err != nil {
				return err
			}
			if a.Format == "table" {
				a.Printer().Line("%s is withdrawn and filed again as %s.\n", l.Line.Number, v.Line.Number)
			}
			return a.AfterStep(v)
		}}
	clicases.DiscloseFlag(c, &disclose)
	f := c.Flags()
	f.StringVar(&reason, "reason", "", "why; the vendor is told")
	f.StringVar(&account, "account", "", "the right account")
	f.StringVar(&contract, "contract", "", "the right contract; if left out it follows from the account")
	f.StringVar(&asset, "asset", "", "the right asset, by any number or name")
	f.StringVar(&vendor, "vendor", "", "the right vendor")
	f.StringVar(&maker, "maker", "", "the vendor behind the reseller")
	by.Add(c)
	for _, kind := range []string{"asset", "account", "contract", "vendor"} {
		_ = c.RegisterFlagCompletionFunc(kind, a.CompleteFlag(kind))
	}
	return c
}
