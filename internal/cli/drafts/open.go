package drafts

import (
	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	clicases "roundhouse.example/internal/cli/cases"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
)

func (a *Commands) caseOpen() *cobra.Command {
	var d draftFlags
	var vendor string
	var by clicases.ByFlags
	var file, confirm bool
	c := &cobra.Command{Use: "open TITLE", Short: "Open a case as a draft; --file files it at once",
		Args: cobra.ExactArgs(1),
		Example: "  roundhouse case open --vendor corvane \"Console signs people out\" --environment production " +
			"--effect degraded --reach few \\\n    --workaround easy --happened \"Every few minutes since this " +
			"morning\" --answer tenant=saltmarsh-prod --file\n  roundhouse case open --asset \"Array Gannetholm-2\" " +
			"\"Controller B restarts\" --effect degraded --reach few --workaround costly",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.Client()
			if err != nil {
				return err
			}
			n := clientgen.NewCase{Title: args[0], Vendor: app.Some(vendor)}
			if err := d.fill(a, cmd, c, &n); err != nil {
				return err
			}
			if vendor == "" && n.Asset == nil {
				return app.Usagef("name the vendor with --vendor or an asset with --asset; roundhouse vendor list shows the " +
					"vendors")
			}
			res, err := c.OpenCase(cmd.Context(), &clientgen.OpenCaseParams{IdempotencyKey: client.Key()}, n)
			v, etag, err := client.Read[clientgen.Case](c, res, err)
			if err != nil {
				return d.kept(err)
			}
			l := clicases.Loaded{Client: c, Case: v, ETag: etag}
			if confirm {
				if err := a.Confirm(cmd.Context(), l, []string{v.Line.Number}); err != nil {
					return err
				}
				if l, err = a.Load(cmd.Context(), v.Line.Number); err != nil {
					return err
				}
			}
			if file {
				after, err := l.Take(cmd.Context(), clientgen.Step{Step: "file", Channel: by.Via(), Link: app.Some(by.Link)})
				if err != nil {
					return a.keptAsDraft(v, err)
				}
				return a.AfterStep(after)
			}
			return a.AfterStep(l.Case)
		}}
	f := c.Flags()
	f.StringVar(&vendor, "vendor", "", "the vendor's key or name; not needed with --asset")
	d.flags(a, c)
	f.Lookup("kind").DefValue = "fault"
	f.BoolVar(&file, "file", false, "file it at once")
	by.Add(c)
	f.BoolVar(&confirm, "confirm", false, "confirm all conditions of the vendor's level")
	_ = c.RegisterFlagCompletionFunc("vendor", a.CompleteFlag("vendor"))
	return c
}
