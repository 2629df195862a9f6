// Package app is what all commands need: the sign-in, printing, the editor, settings, and the
// commands that every kind of record has alike.
package app

import (
	"context"
	"fmt"
	"io"
	"os"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
)

// App is what all commands work with: where they read and print, in which format, and which
// service they ask, as whom.
type App struct {
	Stdin          io.Reader
	Stdout, Stderr io.Writer
	// Format is table, json or csv.
	Format     string
	URL, Token string
	// ZoneName is the time zone of --zone; empty for the reader's own.
	ZoneName string
	zone     *time.Location
	me       *clientgen.Me
	ahead    time.Duration // of the desk's clock before this machine's
}

// Watched says whether somebody sees how far a command has come: it may then write over its own line on Stderr.
func (a *App) Watched() bool {
	screen, ok := a.Stderr.(*os.File)
	return ok && term.IsTerminal(int(screen.Fd())) && a.Format != "json"
}

// Zone is the reader's time zone: that of --zone, else the person's own as the service has it, else this machine's.
func (a *App) Zone(ctx context.Context) (*time.Location, error) {
	if a.zone != nil {
		return a.zone, nil
	}
	if a.ZoneName == "" {
		a.zone = a.ownZone(ctx)
		return a.zone, nil
	}
	named, err := time.LoadLocation(a.ZoneName)
	if err != nil {
		return nil, Usagef("--zone: %q is not a known time zone; name one like Europe/Oslo", a.ZoneName)
	}
	a.zone = named
	return named, nil
}

// ownZone is the person's zone as the service has it; this machine's where it has none, or cannot be asked.
func (a *App) ownZone(ctx context.Context) *time.Location {
	me := a.asked(ctx)
	if Deref(me.Person.Zone) == "" {
		return time.Local
	}
	own, err := time.LoadLocation(*me.Person.Zone)
	if err != nil {
		return time.Local
	}
	return own
}

// asked is what the service says of who asks; the zero value where it cannot be asked. It is asked once.
func (a *App) asked(ctx context.Context) clientgen.Me {
	if a.me == nil {
		a.me = new(clientgen.Me)
		if c, err := a.Client(); err == nil {
			if _, err := c.Do(ctx, "GET", "/me", nil, nil, a.me); err == nil {
				a.ahead = time.Until(a.me.Now)
			}
		}
	}
	return *a.me
}

// Now is the time by which the desk goes: this machine's where it cannot be asked.
func (a *App) Now(ctx context.Context) time.Time {
	a.asked(ctx)
	return time.Now().Add(a.ahead)
}

// Times writes instants in the reader's zone.
func (a *App) Times(ctx context.Context) out.Times {
	zone, err := a.Zone(ctx)
	if err != nil { // --zone is checked before a command runs
		zone = time.UTC
	}
	return out.Times{Zone: zone, Now: a.Now(ctx)}
}

// When reads an instant that a flag gives, in the reader's zone where it names none.
func (a *App) When(ctx context.Context, s string) (*time.Time, error) {
	if s == "" {
		return nil, nil
	}
	zone, err := a.Zone(ctx)
	if err != nil {
		return nil, err
	}
	return when(s, a.Now(ctx), zone)
}

// In is the instant a number of hours from now.
func (a *App) In(ctx context.Context, hours int) *time.Time {
	return new(a.Now(ctx).Add(time.Duration(hours) * time.Hour))
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
