package links

import (
	"context"
	"fmt"
	"maps"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/core/words"
)

// Links is the command group link.
func (a *Commands) Links() *cobra.Command {
	return app.Group("link", "Links to vendors' APIs and to our mail server", a.list(), a.add(), a.change(), a.try(),
		a.remove())
}

func (a *Commands) all(ctx context.Context) (*client.Client, []clientgen.DeskLink, error) {
	c, err := a.Client()
	if err != nil {
		return nil, nil, err
	}
	res, err := c.ListLinks(ctx)
	all, _, err := client.Read[clientgen.Links](c, res, err)
	return c, all.Items, err
}

func (a *Commands) one(ctx context.Context, name string) (*client.Client, clientgen.DeskLink, error) {
	c, all, err := a.all(ctx)
	if err != nil {
		return nil, clientgen.DeskLink{}, err
	}
	for _, l := range all {
		if l.Name == name {
			return c, l, nil
		}
	}
	return nil, clientgen.DeskLink{},
		&app.Missing{Text: fmt.Sprintf("there is no link %q; roundhouse link list shows them", name)}
}

func (a *Commands) list() *cobra.Command {
	return &cobra.Command{Use: "list", Short: "List links, and which vendors they serve", Args: cobra.NoArgs,
		Example: "  roundhouse link list",
		RunE: func(cmd *cobra.Command, _ []string) error {
			_, all, err := a.all(cmd.Context())
			if err != nil {
				return err
			}
			p := a.Printer()
			if a.Format == "json" {
				return p.JSON(all)
			}
			var rows [][]string
			for _, l := range all {
				rows = append(rows, []string{l.Name, words.Channels.Of(string(l.Kind)), l.Address, strings.Join(l.Vendors, ", "),
					app.Deref(l.Problem)})
			}
			p.Table([]out.Column{{Name: "link"}, {Name: "kind"}, {Name: "address", Shrink: true}, {Name: "vendors", Main: true},
				{Name: "problem", Shrink: true, Drop: 1}}, rows)
			return nil
		}}
}

// mailFlags are the settings of a link for email, by their flags.
var mailFlags = []struct{ flag, setting, help string }{
	{"from", "from", "the desk's email address"},
	{"name", "name", "the sender's name after the person's, such as our company"},
	{"user", "user", "the name to sign in with"},
	{"secret", "secret", "the secret with the password; roundhouse secret list shows them"},
	{"auth", "auth", "how to sign in: plain, login or cram-md5; what the server offers if left out"},
}

func flags(f *pflag.FlagSet) {
	f.String("address", "", "smtps://HOST:465 (TLS), smtp://HOST:587 (STARTTLS), or the address of an API")
	f.StringArray("vendor", nil, "a vendor that it serves; repeat for several")
	for _, x := range mailFlags {
		f.String(x.flag, "", "for email: "+x.help)
	}
	f.Bool("clear", false, "for email: no TLS; for a mail server on this machine only")
	f.Int("timeout-seconds", 0, "for email: how long to wait for each answer (default 30)")
	f.String("authority", "", "for email: a file with a certificate in PEM to trust")
	f.String("settings", "", "for an API: a YAML or JSON file that describes how to call it (- for standard input)")
}

// given puts what flags say into settings.
func (a *Commands) given(f *pflag.FlagSet, settings map[string]any) error {
	if file, _ := f.GetString("settings"); file != "" {
		read := map[string]any{}
		if err := a.Members(file, &read); err != nil {
			return err
		}
		maps.Copy(settings, read)
	}
	for _, x := range mailFlags {
		if f.Changed(x.flag) {
			settings[x.setting], _ = f.GetString(x.flag)
		}
	}
	if f.Changed("clear") {
		settings["clear"], _ = f.GetBool("clear")
	}
	if f.Changed("timeout-seconds") {
		settings["timeout_seconds"], _ = f.GetInt("timeout-seconds")
	}
	if file, _ := f.GetString("authority"); file != "" {
		pem, err := app.ReadBounded(file)
		if err != nil {
			return err
		}
		settings["authority"] = string(pem)
	}
	return nil
}

func (a *Commands) add() *cobra.Command {
	var kind string
	c := &cobra.Command{Use: "add NAME", Short: "Add a link to our mail server, or to a vendor's API",
		Args: cobra.ExactArgs(1),
		Example: "  roundhouse link add harbour-mail --address smtps://mail.saltmarsh.example:465 " +
			"--from it@saltmarsh.example --vendor ledgerwell",
		RunE: func(cmd *cobra.Command, args []string) error {
			settings := map[string]any{}
			if err := a.given(cmd.Flags(), settings); err != nil {
				return err
			}
			c, err := a.Client()
			if err != nil {
				return err
			}
			address, _ := cmd.Flags().GetString("address")
			vendors, _ := cmd.Flags().GetStringArray("vendor")
			res, err := c.AddLink(cmd.Context(), &clientgen.AddLinkParams{IdempotencyKey: client.Key()},
				clientgen.NewLink{Name: args[0], Kind: clientgen.Channel(kind), Address: address, Settings: settings,
					Vendors: &vendors})
			l, _, err := client.Read[clientgen.DeskLink](c, res, err)
			if err != nil {
				return err
			}
			return a.said(l)
		}}
	c.Flags().StringVar(&kind, "kind", "email", "email or api")
	flags(c.Flags())
	return c
}

// said tells what a link is now.
func (a *Commands) said(l clientgen.DeskLink) error {
	if a.Format == "json" {
		return a.Printer().JSON(l)
	}
	serves := "no vendor yet"
	if len(l.Vendors) > 0 {
		serves = strings.Join(l.Vendors, ", ")
	}
	a.Printer().Line("Link %s (%s, %s) serves %s.", l.Name, words.Inline(words.Channels.Of(string(l.Kind))), l.Address,
		serves)
	return nil
}

func (a *Commands) change() *cobra.Command {
	c := &cobra.Command{Use: "change NAME", Short: "Change a link, or which vendors it serves", Args: cobra.ExactArgs(1),
		Example: "  roundhouse link change desk-email --vendor ledgerwell --vendor thornwatch",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, l, err := a.one(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			ch := clientgen.LinkChange{Settings: &l.Settings}
			if err := a.given(cmd.Flags(), l.Settings); err != nil {
				return err
			}
			if cmd.Flags().Changed("address") {
				s, _ := cmd.Flags().GetString("address")
				ch.Address = &s
			}
			if cmd.Flags().Changed("rename") {
				s, _ := cmd.Flags().GetString("rename")
				ch.Name = &s
			}
			if cmd.Flags().Changed("vendor") {
				list, _ := cmd.Flags().GetStringArray("vendor")
				if len(list) == 1 && list[0] == "" {
					list = []string{}
				}
				ch.Vendors = &list
			}
			res, err := c.ChangeLinkWithApplicationMergePatchPlusJSONBody(cmd.Context(), l.Id,
				&clientgen.ChangeLinkParams{IfMatch: app.Match(l.Version)}, ch)
			if l, _, err = client.Read[clientgen.DeskLink](c, res, err); err != nil {
				return err
			}
			return a.said(l)
		}}
	flags(c.Flags())
	c.Flags().String("rename", "", "a new name")
	c.Flags().Lookup("vendor").Usage = "a vendor that it serves, instead of those it serves now; \"\" for none"
	return c
}

func (a *Commands) try() *cobra.Command {
	return &cobra.Command{Use: "try NAME", Short: "Sign in to a mail server without sending anything",
		Args:    cobra.ExactArgs(1),
		Example: "  roundhouse link try desk-email",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, l, err := a.one(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			res, err := c.TryLink(cmd.Context(), l.Id)
			t, _, err := client.Read[clientgen.LinkTry](c, res, err)
			if err != nil {
				return err
			}
			if a.Format == "json" {
				return a.Printer().JSON(t)
			}
			if !t.Works {
				return fmt.Errorf("%s does not work: %s", l.Name, app.Deref(t.Problem))
			}
			a.Printer().Line("%s works.", l.Name)
			return nil
		}}
}

func (a *Commands) remove() *cobra.Command {
	return &cobra.Command{Use: "remove NAME", Short: "Remove a link that was never used", Args: cobra.ExactArgs(1),
		Example: "  roundhouse link remove harbour-mail",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, l, err := a.one(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			res, err := c.RemoveLink(cmd.Context(), l.Id, &clientgen.RemoveLinkParams{IfMatch: app.Match(l.Version)})
			if _, _, err = client.Read[struct{}](c, res, err); err != nil {
				return err
			}
			a.Printer().Line("Removed the link %s.", l.Name)
			return nil
		}}
}
