package people

import (
	"fmt"
	"net/http"
	"net/http/cookiejar"
	"os"
	"time"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
)

// Login is the command login.
func (a *Commands) Login() *cobra.Command {
	var email, name string
	c := &cobra.Command{
		Use: "login URL", Short: "Sign in, and keep a token of your own for the commands", Args: cobra.ExactArgs(1),
		Example: "  roundhouse login http://127.0.0.1:8080 --email ragna@saltmarsh.example\n  echo harbour-light-1 | " +
			"roundhouse login http://127.0.0.1:8080 --email ragna@saltmarsh.example",
		RunE: func(cmd *cobra.Command, args []string) error {
			if email == "" {
				return app.Usagef("say who you are with --email")
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
			fmt.Fprintf(a.Stdout, "Signed in as %s (%s). The token is kept in %s.\n", me.Person.Name, me.Person.Role, file)
			return nil
		},
	}
	host, _ := os.Hostname()
	c.Flags().StringVar(&email, "email", os.Getenv("ROUNDHOUSE_EMAIL"), "your email address")
	c.Flags().StringVar(&name, "token-name", "command line on "+host, "what the token is called in the list of tokens")
	return c
}

// Password is asked for on a terminal, else read as a line of standard input.
func (a *Commands) Password() (string, error) { return a.Unseen("Password: ") }

// Tokens is the command group token.
func (a *Commands) Tokens() *cobra.Command {
	add := &cobra.Command{Use: "add NAME", Short: "Make a token for a program; its secret is shown once",
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
			a.Printer().Line("%s\nThis is token %d, %q. It is shown this once.", made.Secret, made.Token.Id, made.Token.Name)
			return nil
		}}
	list := &cobra.Command{Use: "list", Short: "List your tokens", Args: cobra.NoArgs,
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
			now := time.Now()
			for _, t := range all.Items {
				state := "in use"
				if t.RevokedAt != nil {
					state = "revoked"
				}
				rows = append(rows, []string{fmt.Sprint(t.Id), t.Name, state, out.Time(&t.CreatedAt, now),
					out.Time(t.LastUsedAt, now)})
			}
			p.Table([]out.Column{{Name: "id", Right: true}, {Name: "name", Shrink: true}, {Name: "state"}, {Name: "made"},
				{Name: "last used"}}, rows)
			return nil
		}}
	revoke := &cobra.Command{Use: "revoke ID", Short: "End one of your tokens at once", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			var id int64
			if _, err := fmt.Sscan(args[0], &id); err != nil || id < 1 {
				return app.Usagef("%q is not a token's id; see roundhouse token list", args[0])
			}
			c, err := a.Client()
			if err != nil {
				return err
			}
			res, err := c.RevokeToken(cmd.Context(), id)
			if _, _, err = client.Read[struct{}](c, res, err); err == nil {
				a.Printer().Line("Token %d is revoked.", id)
			}
			return err
		}}
	return app.Group("token", "Your keys for programs", add, list, revoke)
}
