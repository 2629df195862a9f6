package cli

import (
	"context"
	"fmt"
	"net/url"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client/clientgen"
)

// secretFields are the members that flags set.
var secretNoun = noun{name: "secret", fields: []fieldFlag{
	{"vendor", "text", "the vendor that it is told to; none where it is our own"}, {"label", "text", "what the vendor calls it"}, {"kind", "text", "passphrase, password, api-key, pin or other"},
	{"hosts", "list", "a host that it may be sent to, such as desk.corvane.example:8443; once for each"}, {"readers", "list", "mail address of one who may reveal it; none: all who may reveal secrets"},
	{"holder", "text", "who of ours holds it"}, {"place", "text", "where the paper is"}, {"note", "text", "anything else"}}}

func (a *app) secrets() *cobra.Command {
	return group("secret", "What must not be known: passphrases, keys, passwords", a.secretList(), a.secretShow(), a.secretAdd(), a.secretChange(), a.secretReveal(), a.secretRemove())
}

func (a *app) secretList() *cobra.Command {
	var vendor string
	c := &cobra.Command{Use: "list", Short: "List secrets, without what they are", Args: cobra.NoArgs, Example: "  roundhouse secret list\n  roundhouse secret list --vendor corvane",
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.client()
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
			p := a.printer()
			if a.format == "json" {
				return p.JSON(all.Items)
			}
			if len(all.Items) == 0 && a.format == "table" {
				p.Line("There is no secret yet; roundhouse secret add begins one.")
				return nil
			}
			var rows [][]string
			for _, s := range all.Items {
				f := s.Facts
				revealed := ""
				if s.RevealedAt != nil {
					revealed = s.RevealedAt.Local().Format("2006-01-02 15:04")
				}
				rows = append(rows, []string{f.Name, deref(f.Vendor), f.Label, secretKept(s), firstOf(strings.Join(deref(f.Hosts), " "), "nowhere"), deref(f.Holder), revealed})
			}
			p.Table([]out.Column{{Name: "name"}, {Name: "vendor"}, {Name: "label", Shrink: true}, {Name: "kept", Shrink: true}, {Name: "may go to", Shrink: true}, {Name: "holder"}, {Name: "last shown"}}, rows)
			return nil
		}}
	c.Flags().StringVar(&vendor, "vendor", "", "only this vendor's")
	return c
}

func secretKept(s clientgen.Secret) string {
	if s.InVault {
		return "in the vault"
	}
	return firstOf(deref(s.Facts.Place), "with its holder")
}

func (a *app) secretShow() *cobra.Command {
	return &cobra.Command{Use: "show NAME", Short: "Show what is known of a secret, and who saw it when", Args: cobra.ExactArgs(1), Example: "  roundhouse secret show corvane-passphrase",
		RunE: func(cmd *cobra.Command, args []string) error {
			s, _, err := a.secret(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			return a.printSecret(s)
		}}
}

func (a *app) secret(ctx context.Context, name string) (s clientgen.Secret, tag string, err error) {
	c, err := a.client()
	if err != nil {
		return s, "", err
	}
	tag, err = c.Do(ctx, "GET", "/secrets/"+url.PathEscape(name), nil, nil, &s)
	return s, tag, err
}

func (a *app) printSecret(s clientgen.Secret) error {
	p := a.printer()
	if a.format == "json" {
		return p.JSON(s)
	}
	f := s.Facts
	p.Line("%s: %s (%s), %s", f.Name, f.Label, f.Kind, secretKept(s))
	for _, x := range []struct{ label, value string }{{"vendor", deref(f.Vendor)}, {"may be sent to", firstOf(strings.Join(deref(f.Hosts), ", "), "nowhere; it is read out")}, {"for", strings.Join(deref(f.Readers), ", ")},
		{"holder", deref(f.Holder)}, {"paper", deref(f.Place)}, {"note", deref(f.Note)}, {"in texts", "{secret " + f.Name + "}"}, {"not for you", deref(s.WhyNot)}} {
		if x.value != "" {
			p.Line("%-15s %s", x.label, x.value)
		}
	}
	if uses := deref(s.Uses); len(uses) > 0 {
		p.Line("\nWhat was done with it")
		var rows [][]string
		for _, u := range uses {
			what := strings.TrimSpace(strings.Join([]string{deref(u.Case), deref(u.Host), deref(u.Why)}, " "))
			rows = append(rows, []string{u.At.Local().Format("2006-01-02 15:04:05"), u.Act, firstOf(deref(u.Person), "the service"), what})
		}
		p.Table([]out.Column{{Name: "when"}, {Name: "what"}, {Name: "by"}, {Name: "for", Shrink: true}}, rows)
	}
	return nil
}

// secretFlags are the flags that name a secret's members.
func secretFlags(f *pflag.FlagSet) {
	factFlags(f, secretNoun)
	f.Lookup("from").Hidden = true
}

func (a *app) secretAdd() *cobra.Command {
	var paper bool
	c := &cobra.Command{Use: "add NAME", Short: "Add a secret; its value is asked for, or read from standard input", Args: cobra.ExactArgs(1),
		Long:    "Adds a secret. The value is asked for without showing it, or read as a line of standard input; it never stands on\nthe command line. It can be sent only to the hosts named here, which stay bound to the value. With --paper the\nvault gets no value: only who holds it, or where the paper is. Texts to the vendor say {secret NAME}.",
		Example: "  roundhouse secret add corvane-passphrase-2 --vendor corvane --label \"Second passphrase\" --kind passphrase --host desk.corvane.example\n  roundhouse secret add tallow-safe-word --vendor tallow --label \"Safe word\" --kind passphrase --paper --place \"Safe at Ern\"",
		RunE: func(cmd *cobra.Command, args []string) error {
			facts, err := a.given(cmd.Flags(), secretNoun)
			if err != nil {
				return err
			}
			facts["name"] = args[0]
			body := map[string]any{"facts": facts}
			if !paper {
				if body["value"], err = a.unseen("Secret: "); err != nil {
					return err
				}
			}
			c, err := a.client()
			if err != nil {
				return err
			}
			var s clientgen.Secret
			if _, err := c.Do(cmd.Context(), "POST", "/secrets", body, nil, &s); err != nil {
				return err
			}
			return a.printSecret(s)
		}}
	secretFlags(c.Flags())
	c.Flags().BoolVar(&paper, "paper", false, "the vault gets no value: a person or a paper holds it")
	return c
}

func (a *app) secretChange() *cobra.Command {
	var value, paper bool
	c := &cobra.Command{Use: "change NAME", Short: "Change what is known of a secret, or with --value the value itself", Args: cobra.ExactArgs(1),
		Long:    "Changes a secret. Where it may be sent, and whose it is, change only together with --value.",
		Example: "  roundhouse secret change corvane-passphrase --note \"changed every spring\"\n  roundhouse secret change corvane-passphrase --value --host desk.corvane.example",
		RunE: func(cmd *cobra.Command, args []string) error {
			patch, err := a.given(cmd.Flags(), secretNoun)
			if err != nil {
				return err
			}
			switch {
			case value && paper:
				return usagef("--value and --paper do not go together")
			case value:
				if patch["value"], err = a.unseen("Secret: "); err != nil {
					return err
				}
			case paper:
				patch["value"] = nil
			}
			if len(patch) == 0 {
				return usagef("say what to change")
			}
			_, tag, err := a.secret(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			c, err := a.client()
			if err != nil {
				return err
			}
			var s clientgen.Secret
			if _, err := c.Do(cmd.Context(), "PATCH", "/secrets/"+url.PathEscape(args[0]), patch, map[string]string{"If-Match": tag}, &s); err != nil {
				return err
			}
			return a.printSecret(s)
		}}
	secretFlags(c.Flags())
	c.Flags().BoolVar(&value, "value", false, "give it another value, which is asked for or read from standard input")
	c.Flags().BoolVar(&paper, "paper", false, "take the value out of the vault")
	return c
}

func (a *app) secretReveal() *cobra.Command {
	var forCase, why string
	c := &cobra.Command{Use: "reveal NAME", Short: "Show one secret; it is kept on record that you saw it", Args: cobra.ExactArgs(1), Example: "  roundhouse secret reveal corvane-passphrase --why \"asked for on the phone\"",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.client()
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
			if a.format == "json" {
				return a.printer().JSON(v)
			}
			fmt.Fprintln(a.stdout, v.Value)
			return nil
		}}
	c.Flags().StringVar(&forCase, "case", "", "the case that it is for")
	c.Flags().StringVar(&why, "why", "", "why you need to see it")
	return c
}

func (a *app) secretRemove() *cobra.Command {
	return &cobra.Command{Use: "remove NAME", Short: "Take a secret out, value and all; what was done with it stays on record", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			_, tag, err := a.secret(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			c, err := a.client()
			if err != nil {
				return err
			}
			if _, err := c.Do(cmd.Context(), "DELETE", "/secrets/"+url.PathEscape(args[0]), nil, map[string]string{"If-Match": tag}, nil); err != nil {
				return err
			}
			if a.format == "table" {
				a.printer().Line("Removed.")
			}
			return nil
		}}
}

// keyTime writes since when a key counts.
func keyTime(t *time.Time) string {
	if t == nil {
		return ""
	}
	return ", since " + t.Local().Format("2006-01-02 15:04")
}
