// Package app is what all commands need: the sign-in, printing, the editor, settings, and the
// commands that every kind of record has alike.
package app

import (
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client"
)

// App is what all commands work with: where they read and print, in which format, and which
// service they ask, as whom.
type App struct {
	Stdin          io.Reader
	Stdout, Stderr io.Writer
	// Format is table, json or csv.
	Format     string
	URL, Token string
}

// Group is a command that only holds others.
func Group(use, short string, subs ...*cobra.Command) *cobra.Command {
	c := &cobra.Command{Use: use, Short: short, Args: NoSuchCommand, RunE: func(c *cobra.Command, _ []string) error {
		return c.Help()
	}}
	c.AddCommand(subs...)
	return c
}

// Printer prints in the format that was asked for.
func (a *App) Printer() *out.Printer { return out.New(a.Stdout, a.Format) }

// Client is signed in by ROUNDHOUSE_TOKEN or by what login kept.
func (a *App) Client() (*client.Client, error) {
	url, token := a.URL, os.Getenv("ROUNDHOUSE_TOKEN")
	if url == "" || token == "" {
		kept, err := loadLogin()
		if err != nil && url == "" {
			return nil, fmt.Errorf("not signed in: run roundhouse login URL, or set ROUNDHOUSE_URL and ROUNDHOUSE_TOKEN")
		}
		if url == "" || url == kept.URL {
			url = kept.URL
			if token == "" {
				token = kept.Token
			}
		}
	}
	return client.New(url, token)
}

// NoSuchCommand refuses a command that there is not, and names those that are nearly it.
func NoSuchCommand(c *cobra.Command, args []string) error {
	if len(args) == 0 {
		return nil
	}
	c.SuggestionsMinimumDistance = 2
	words := fmt.Sprintf("unknown command %q for %q", args[0], c.CommandPath())
	if near := c.SuggestionsFor(args[0]); len(near) > 0 {
		words += "; did you mean " + strings.Join(near, ", ") + "?"
	}
	return Usagef("%s", words)
}
