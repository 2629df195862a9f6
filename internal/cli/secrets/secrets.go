package secrets

import (
	"context"
	"fmt"
	"net/url"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/core/words"
)

// secretFields are the members that flags set.
var secretNoun = app.Noun{Name: "secret", Fields: []app.FieldFlag{
	{Member: "vendor", Kind: "text", Help: "the vendor that asks for it; leave out for a secret of our own"},
	{Member: "label", Kind: "text", Help: "what the vendor calls it"},
	{Member: "kind", Kind: "text", Help: "passphrase, password, api-key, pin or other", Values: words.SecretKinds},
	{Member: "hosts", Kind: "list",
		Help: "a host that it may be sent to, such as desk.corvane.example:8443; repeat for several"},
	{Member: "readers", Kind: "list",
		Help: "email address of a person who may reveal it; if left out, everybody who may reveal secrets"},
	{Member: "holder", Kind: "text", Help: "which of our people holds it"},
	{Member: "place", Kind: "text", Help: "where the paper copy is"}, {Member: "note", Kind: "text", Help: "a note"}}}

// Secrets is the command group secret.
func (a *Commands) Secrets() *cobra.Command {
	return app.Group("secret", "Secrets: passphrases, keys, passwords", a.secretList(), a.secretShow(),
		a.secretAdd(), a.secretChange(), a.secretReveal(), a.secretRemove())
}

func (a *Commands) secretList() *cobra.Command {
	var vendor string
	c := &cobra.Command{Use: "list", Short: "List secrets without their values", Args: cobra.NoArgs,
		Example: "  roundhouse secret list\n  roundhouse secret list --vendor corvane",
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.Client()
			if err != nil {
				return err
			}
			q := ""
			if vendor != "" {
				q = "?" + url.Values{"vendor": {vendor}}.Encode()
			}
			var all clientgen.Secrets
			if _, err := c.Do(cmd.Context(), "GET", "/secrets"+q, nil, nil, &all); err != nil {
				return err
			}
			p := a.Printer()
			if a.Format == "json" {
				return p.JSON(all.Items)
			}
			if len(all.Items) == 0 && a.Format == "table" {
				p.Line("There are no secrets yet; roundhouse secret add adds one.")
				return nil
			}
			times := a.Times(cmd.Context())
			if a.Format == "table" {
				p.Line("Times in %s\n", times.Name())
			}
			var rows [][]string
			for _, s := range all.Items {
				f := s.Facts
				revealed := ""
				if s.RevealedAt != nil {
					revealed = times.Short(s.RevealedAt)
				}
				rows = append(rows, []string{f.Name, app.Deref(f.Vendor), f.Label, secretKept(s),
					strings.Join(app.Deref(f.Hosts), ", "), app.Deref(f.Holder), revealed})
			}
			p.Table([]out.Column{{Name: "name"}, {Name: "vendor", Drop: 4}, {Name: "label", Main: true, Drop: 1},
				{Name: "kept", Shrink: true}, {Name: "may be sent to", Shrink: true}, {Name: "holder", Drop: 3},
				{Name: "last revealed", Drop: 2}}, rows)
			return nil
		}}
	c.Flags().StringVar(&vendor, "vendor", "", "only of this vendor")
	return c
}

func secretKept(s clientgen.Secret) string {
	if s.InVault {
		return "in the vault"
	}
	return app.FirstOf(app.Deref(s.Facts.Place), "with its holder")
}

func (a *Commands) secretShow() *cobra.Command {
	return &cobra.Command{Use: "show NAME", Short: "Show a secret without its value, and who saw it when",
		Args: cobra.ExactArgs(1), Example: "  roundhouse secret show corvane-passphrase",
		RunE: func(cmd *cobra.Command, args []string) error {
			s, _, err := a.secret(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			return a.printSecret(cmd.Context(), s)
		}}
}

func (a *Commands) secret(ctx context.Context, name string) (s clientgen.Secret, tag string, err error) {
	c, err := a.Client()
	if err != nil {
		return s, "", err
	}
	tag, err = c.Do(ctx, "GET", "/secrets/"+url.PathEscape(name), nil, nil, &s)
	return s, tag, err
}

func (a *Commands) printSecret(ctx context.Context, s clientgen.Secret) error {
	p := a.Printer()
	if a.Format == "json" {
		return p.JSON(s)
	}
	f := s.Facts
	p.Line("%s: %s (%s), %s", f.Name, f.Label, words.Inline(words.SecretKinds.Of(f.Kind)), secretKept(s))
	for _, x := range []struct{ label, value string }{{"vendor", app.Deref(f.Vendor)},
		{"may be sent to", app.FirstOf(strings.Join(app.Deref(f.Hosts), ", "), "nowhere; it is only read out")},
		{"may be revealed by", strings.Join(app.Deref(f.Readers), ", ")},
		{"holder", app.Deref(f.Holder)}, {"paper copy", app.Deref(f.Place)}, {"note", app.Deref(f.Note)},
		{"in texts", "{secret " + f.Name + "}"}, {"not for you", app.Deref(s.WhyNot)}} {
		if x.value != "" {
			p.Line("%-18s %s", x.label, x.value)
		}
	}
	if uses := app.Deref(s.Uses); len(uses) > 0 {
		times := a.Times(ctx)
		p.Line("\nHistory, times in %s", times.Name())
		var rows [][]string
		for _, u := range uses {
			what := strings.TrimSpace(strings.Join([]string{app.Deref(u.Case), app.Deref(u.Host), app.Deref(u.Why)}, " "))
			rows = append(rows, []string{times.Full(u.At), words.SecretActs.Of(u.Act),
				app.FirstOf(app.Deref(u.Person), "the service"), what})
		}
		p.Table([]out.Column{{Name: "when"}, {Name: "what"}, {Name: "by"}, {Name: "for", Shrink: true}}, rows)
	}
	return nil
}

// secretFlags are the flags that name a secret's members.
func secretFlags(f *pflag.FlagSet) {
	app.FactFlags(f, secretNoun)
	f.Lookup("from").Hidden = true
}

func (a *Commands) secretAdd() *cobra.Command {
	var paper bool
	c := &cobra.Command{Use: "add NAME", Short: "Add a secret; its value is asked for, or read from standard input",
		Args: cobra.ExactArgs(1),
		Long: "Adds a secret. You are asked for the value, which is not shown as you type it, or it is read as a line of\n" +
			"standard input; it is never given on the command line. It can be sent only to the hosts named here. With\n" +
			"--paper no value is stored: only who holds it, or where the paper copy is. Write {secret NAME} in texts to the\n" +
			"vendor.",
		Example: "  roundhouse secret add corvane-passphrase-2 --vendor corvane --label \"Second passphrase\" --kind " +
			"passphrase --host desk.corvane.example\n" +
			"  roundhouse secret add tallow-safe-word --vendor tallow --label \"Safe word\" --kind passphrase --paper " +
			"--place \"Safe at Ern\"",
		RunE: func(cmd *cobra.Command, args []string) error {
			facts, err := a.Given(cmd.Flags(), secretNoun)
			if err != nil {
				return err
			}
			facts["name"] = args[0]
			body := map[string]any{"facts": facts}
			if !paper {
				if body["value"], err = a.Unseen("Secret: "); err != nil {
					return err
				}
			}
			c, err := a.Client()
			if err != nil {
				return err
			}
			var s clientgen.Secret
			if _, err := c.Do(cmd.Context(), "POST", "/secrets", body, nil, &s); err != nil {
				return err
			}
			return a.printSecret(cmd.Context(), s)
		}}
	secretFlags(c.Flags())
	c.Flags().BoolVar(&paper, "paper", false, "store no value: a person or a paper holds it")
	return c
}

func (a *Commands) secretChange() *cobra.Command {
	var value, paper bool
	c := &cobra.Command{Use: "change NAME", Short: "Change a secret, or with --value its value",
		Args: cobra.ExactArgs(1),
		Long: "Changes a secret. The hosts and the vendor can change only together with --value.",
		Example: "  roundhouse secret change corvane-passphrase --note \"Changed every spring\"\n" +
			"  roundhouse secret change corvane-passphrase --value --host desk.corvane.example",
		RunE: func(cmd *cobra.Command, args []string) error {
			patch, err := a.Given(cmd.Flags(), secretNoun)
			if err != nil {
				return err
			}
			switch {
			case value && paper:
				return app.Usagef("--value and --paper cannot be used together")
			case value:
				if patch["value"], err = a.Unseen("Secret: "); err != nil {
					return err
				}
			case paper:
				patch["value"] = nil
			}
			if len(patch) == 0 {
				return app.Usagef("say what to change with flags; see roundhouse secret change --help")
			}
			_, tag, err := a.secret(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			c, err := a.Client()
			if err != nil {
				return err
			}
			var s clientgen.Secret
			if _, err := c.Do(cmd.Context(), "PATCH", "/secrets/"+url.PathEscape(args[0]), patch,
				map[string]string{"If-Match": tag}, &s); err != nil {
				return err
			}
			return a.printSecret(cmd.Context(), s)
		}}
	secretFlags(c.Flags())
	c.Flags().BoolVar(&value, "value", false, "set a new value, which is asked for or read from standard input")
	c.Flags().BoolVar(&paper, "paper", false, "remove the value from the vault")
	return c
}

func (a *Commands) secretReveal() *cobra.Command {
	var forCase, why string
	c := &cobra.Command{Use: "reveal NAME", Short: "Reveal a secret; it is recorded that you saw it",
		Args: cobra.ExactArgs(1), Example: "  roundhouse secret reveal corvane-passphrase --why \"Asked for on the phone\"",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.Client()
			if err != nil {
				return err
			}
			body := map[string]any{}
			if forCase != "" {
				body["case"] = forCase
			}
			if why != "" {
				body["why"] = why
			}
			var v clientgen.Revealed
			if _, err := c.Do(cmd.Context(), "POST", "/secrets/"+url.PathEscape(args[0])+"/reveal", body, nil, &v); err != nil {
				return err
			}
			if a.Format == "json" {
				return a.Printer().JSON(v)
			}
			fmt.Fprintln(a.Stdout, v.Value)
			return nil
		}}
	c.Flags().StringVar(&forCase, "case", "", "the case that it is needed for")
	c.Flags().StringVar(&why, "why", "", "why you need to see it")
	return c
}

func (a *Commands) secretRemove() *cobra.Command {
	return &cobra.Command{Use: "remove NAME",
		Short: "Remove a secret and its value; its history stays on record", Args: cobra.ExactArgs(1),
		Example: "  roundhouse secret remove tallow-safe-word",
		RunE: func(cmd *cobra.Command, args []string) error {
			_, tag, err := a.secret(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			c, err := a.Client()
			if err != nil {
				return err
			}
			if _, err := c.Do(cmd.Context(), "DELETE", "/secrets/"+url.PathEscape(args[0]), nil,
				map[string]string{"If-Match": tag}, nil); err != nil {
				return err
			}
			if a.Format == "table" {
				a.Printer().Line("Removed.")
			}
			return nil
		}}
}

// since writes since when a key is in use.
func (a *Commands) since(ctx context.Context, t *time.Time) string {
	if t == nil {
		return ""
	}
	times := a.Times(ctx)
	return " since " + times.Full(*t) + " (" + times.Name() + ")"
}
