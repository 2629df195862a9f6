package people

import (
	"fmt"
	"net/http"
	"net/http/cookiejar"
	"os"
	"slices"
	"time"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/core/words"
)

// Login is the command login.
func (a *Commands) Login() *cobra.Command {
	var email, name string
	c := &cobra.Command{
		Use: "login URL", Short: "Sign in and keep a token for the other commands", Args: cobra.ExactArgs(1),
		Example: "  roundhouse login http://127.0.0.1:8080 --email ragna@saltmarsh.example\n  echo harbour-light-1 | " +
			"roundhouse login http://127.0.0.1:8080 --email ragna@saltmarsh.example",
		RunE: func(cmd *cobra.Command, args []string) error {
			if email == "" {
				return app.Usagef("--email is missing: give your email address")
			}
			password, err := a.Password()
			if err != nil {
				return err
			}
			c, err := client.New(args[0], "")
			if err != nil {
				return app.WrongUse(err)
			}
			jar, _ := cookiejar.New(nil)
			c.Client.Client = &http.Client{Timeout: 30 * time.Second, Jar: jar}
			ctx := cmd.Context()
			res, err := c.SignIn(ctx, &clientgen.SignInParams{}, clientgen.SignIn{Email: email, Password: password})
			me, _, err := client.Read[clientgen.Me](c, res, err)
			if err != nil {
				return err
			}
			res, err = c.AddToken(ctx, &clientgen.AddTokenParams{}, clientgen.NewToken{Name: name})
			made, _, err := client.Read[clientgen.MadeToken](c, res, err)
			if err != nil {
				return err
			}
			res, err = c.SignOut(ctx, &clientgen.SignOutParams{})
			if _, _, err := client.Read[struct{}](c, res, err); err != nil {
				return err
			}
			file, err := app.SaveLogin(app.Kept{URL: c.URL, Token: made.Secret})
			if err != nil {
				return err
			}
			fmt.Fprintf(a.Stdout, "Signed in as %s (%s). The token is kept in %s.\n", me.Person.Name,
				words.Inline(words.Roles.Of(string(me.Person.Role))), file)
			if app.Deref(me.Newcomer) {
				fmt.Fprintln(a.Stdout, "New here? Practise on a made-up case first: roundhouse rehearse")
			}
			return nil
		},
	}
	host, _ := os.Hostname()
	c.Flags().StringVar(&email, "email", os.Getenv("ROUNDHOUSE_EMAIL"), "your email address")
	c.Flags().StringVar(&name, "token-name", "command line on "+host, "the name of the token")
	return c
}

// Password is asked for on a terminal, else read as a line of standard input.
func (a *Commands) Password() (string, error) { return a.Unseen("Password: ") }

// Tokens is the command group token.
func (a *Commands) Tokens() *cobra.Command {
	add := &cobra.Command{Use: "add NAME", Short: "Create a token for a program; it is shown only once",
		Args:    cobra.ExactArgs(1),
		Example: "  roundhouse token add ticket-bridge",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.Client()
			if err != nil {
				return err
			}
			res, err := c.AddToken(cmd.Context(), &clientgen.AddTokenParams{}, clientgen.NewToken{Name: args[0]})
			made, _, err := client.Read[clientgen.MadeToken](c, res, err)
			if err != nil {
				return err
			}
			if a.Format == "json" {
				return a.Printer().JSON(made)
			}
			a.Printer().Line("%s\nThis is token %d, %q. It is shown only once: keep it now.", made.Secret, made.Token.Id,
				made.Token.Name)
			return nil
		}}
	list := &cobra.Command{Use: "list", Short: "List your tokens", Args: cobra.NoArgs, Example: "  roundhouse token list",
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.Client()
			if err != nil {
				return err
			}
			res, err := c.ListTokens(cmd.Context())
			all, _, err := client.Read[clientgen.Tokens](c, res, err)
			if err != nil {
				return err
			}
			p := a.Printer()
			if a.Format == "json" {
				return p.JSON(all.Items)
			}
			var rows [][]string
			times := a.Times(cmd.Context())
			if a.Format == "table" {
				p.Line("Times in %s\n", times.Name())
			}
			for _, t := range all.Items {
				state := "Active"
				if t.RevokedAt != nil {
					state = "Revoked"
				}
				rows = append(rows, []string{fmt.Sprint(t.Id), t.Name, state, times.Short(&t.CreatedAt),
					times.Short(t.LastUsedAt)})
			}
			p.Table([]out.Column{{Name: "id", Right: true}, {Name: "name", Shrink: true}, {Name: "state"}, {Name: "created"},
				{Name: "last used"}}, rows)
			return nil
		}}
	return app.Group("token", "Tokens that let programs act for you", add, list, a.revokeToken())
}

func (a *Commands) revokeToken() *cobra.Command {
	return &cobra.Command{Use: "revoke TOKEN", Short: "Revoke one of your tokens, by its name or id",
		Args:    cobra.ExactArgs(1),
		Example: "  roundhouse token revoke ticket-bridge",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.Client()
			if err != nil {
				return err
			}
			res, err := c.ListTokens(cmd.Context())
			all, _, err := client.Read[clientgen.Tokens](c, res, err)
			if err != nil {
				return err
			}
			named := slices.DeleteFunc(all.Items, func(t clientgen.Token) bool {
				return t.RevokedAt != nil || t.Name != args[0] && fmt.Sprint(t.Id) != args[0]
			})
			switch len(named) {
			case 0:
				return &app.Missing{Text: fmt.Sprintf("you have no active token %q; roundhouse token list shows yours", args[0])}
			case 1:
			default:
				return app.Usagef("you have several tokens %q: give the id; roundhouse token list shows it", args[0])
			}
			res, err = c.RevokeToken(cmd.Context(), named[0].Id)
			if _, _, err = client.Read[struct{}](c, res, err); err == nil {
				a.Printer().Line("Token %q is revoked.", named[0].Name)
			}
			return err
		}}
}
