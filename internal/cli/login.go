package cli

import (
	"bufio"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/cookiejar"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
)

// kept is what login leaves on the disk, readable by its owner alone.
type kept struct {
	URL   string `json:"url"`
	Token string `json:"token"`
}

func loginFile() (string, error) {
	dir, err := os.UserConfigDir()
	return filepath.Join(dir, "roundhouse", "login.json"), err
}

func loadLogin() (k kept, err error) {
	file, err := loginFile()
	if err != nil {
		return k, err
	}
	b, err := os.ReadFile(file)
	if err != nil {
		return k, err
	}
	return k, json.Unmarshal(b, &k)
}

func saveLogin(k kept) (string, error) {
	file, err := loginFile()
	if err != nil {
		return "", err
	}
	if err := os.MkdirAll(filepath.Dir(file), 0o700); err != nil {
		return "", err
	}
	b, err := json.Marshal(k)
	if err != nil {
		return "", err
	}
	return file, os.WriteFile(file, b, 0o600)
}

func (a *app) login() *cobra.Command {
	var email, name string
	c := &cobra.Command{
		Use: "login URL", Short: "Sign in, and keep a token of your own for the commands", Args: cobra.ExactArgs(1),
		Example: "  roundhouse login http://127.0.0.1:8080 --email ragna@saltmarsh.example\n  echo harbour-light-1 | roundhouse login http://127.0.0.1:8080 --email ragna@saltmarsh.example",
		RunE: func(cmd *cobra.Command, args []string) error {
			if email == "" {
				return usagef("say who you are with --email")
			}
			password, err := a.password()
			if err != nil {
				return err
			}
			c, err := client.New(args[0], "")
			if err != nil {
				return usage{err}
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
			file, err := saveLogin(kept{c.URL, made.Secret})
			if err != nil {
				return err
			}
			fmt.Fprintf(a.stdout, "Signed in as %s (%s). The token is kept in %s.\n", me.Person.Name, me.Person.Role, file)
			return nil
		},
	}
	host, _ := os.Hostname()
	c.Flags().StringVar(&email, "email", os.Getenv("ROUNDHOUSE_EMAIL"), "your mail address")
	c.Flags().StringVar(&name, "token-name", "command line on "+host, "what the token is called in the list of tokens")
	return c
}

// password is asked for on a terminal, else read as a line of standard input.
func (a *app) password() (string, error) { return a.unseen("Password: ") }

// unseen asks for what must not be seen; where nobody can be asked it is a line of standard input.
func (a *app) unseen(question string) (string, error) {
	if f, ok := a.stdin.(*os.File); ok && term.IsTerminal(int(f.Fd())) {
		fmt.Fprint(a.stderr, question)
		b, err := term.ReadPassword(int(f.Fd()))
		fmt.Fprintln(a.stderr)
		return string(b), err
	}
	line, err := bufio.NewReader(a.stdin).ReadString('\n')
	if line == "" && err != nil {
		return "", usagef("%s is read from standard input, and there was none", strings.ToLower(strings.TrimSuffix(question, ": ")))
	}
	return strings.TrimRight(line, "\r\n"), nil
}

func (a *app) tokens() *cobra.Command {
	add := &cobra.Command{Use: "add NAME", Short: "Make a token for a program; its secret is shown once", Args: cobra.ExactArgs(1),
		Example: "  roundhouse token add ticket-bridge",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.client()
			if err != nil {
				return err
			}
			res, err := c.AddToken(cmd.Context(), &clientgen.AddTokenParams{}, clientgen.NewToken{Name: args[0]})
			made, _, err := client.Read[clientgen.MadeToken](c, res, err)
			if err != nil {
				return err
			}
			if a.format == "json" {
				return a.printer().JSON(made)
			}
			a.printer().Line("%s\nThis is token %d, %q. It is shown this once.", made.Secret, made.Token.Id, made.Token.Name)
			return nil
		}}
	list := &cobra.Command{Use: "list", Short: "List your tokens", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.client()
			if err != nil {
				return err
			}
			res, err := c.ListTokens(cmd.Context())
			all, _, err := client.Read[clientgen.Tokens](c, res, err)
			if err != nil {
				return err
			}
			p := a.printer()
			if a.format == "json" {
				return p.JSON(all.Items)
			}
			var rows [][]string
			now := time.Now()
			for _, t := range all.Items {
				state := "in use"
				if t.RevokedAt != nil {
					state = "revoked"
				}
				rows = append(rows, []string{fmt.Sprint(t.Id), t.Name, state, out.Time(&t.CreatedAt, now), out.Time(t.LastUsedAt, now)})
			}
			p.Table([]out.Column{{Name: "id", Right: true}, {Name: "name", Shrink: true}, {Name: "state"}, {Name: "made"}, {Name: "last used"}}, rows)
			return nil
		}}
	revoke := &cobra.Command{Use: "revoke ID", Short: "End one of your tokens at once", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			var id int64
			if _, err := fmt.Sscan(args[0], &id); err != nil || id < 1 {
				return usagef("%q is not a token's id; see roundhouse token list", args[0])
			}
			c, err := a.client()
			if err != nil {
				return err
			}
			res, err := c.RevokeToken(cmd.Context(), id)
			if _, _, err = client.Read[struct{}](c, res, err); err == nil {
				a.printer().Line("Token %d is revoked.", id)
			}
			return err
		}}
	return group("token", "Your keys for programs", add, list, revoke)
}
