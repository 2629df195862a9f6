// Package app is what all commands need: the sign-in, printing, the editor, settings, and the
// commands that every kind of record has alike.
package app

import (
	"fmt"
	"io"
	"os"

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
	c := &cobra.Command{Use: use, Short: short, Args: cobra.NoArgs, RunE: func(c *cobra.Command, _ []string) error { return c.Help() }}
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
