// Package cli is the terminal: commands by subject over the client.
package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/signal"
	"slices"
	"strings"
	"syscall"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/agenda"
	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/cli/converse"
	"roundhouse.example/internal/cli/dates"
	"roundhouse.example/internal/cli/drafts"
	"roundhouse.example/internal/cli/escalation"
	"roundhouse.example/internal/cli/files"
	"roundhouse.example/internal/cli/hours"
	"roundhouse.example/internal/cli/links"
	"roundhouse.example/internal/cli/lists"
	"roundhouse.example/internal/cli/notify"
	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/cli/outages"
	"roundhouse.example/internal/cli/people"
	"roundhouse.example/internal/cli/readiness"
	"roundhouse.example/internal/cli/reckon"
	"roundhouse.example/internal/cli/register"
	"roundhouse.example/internal/cli/rota"
	"roundhouse.example/internal/cli/run"
	"roundhouse.example/internal/cli/secrets"
	"roundhouse.example/internal/cli/today"
	"roundhouse.example/internal/client"
)

// Version is set when a release is built.
var Version = "development"

// The exit statuses.
const (
	Done        = 0
	Failed      = 1
	WrongUse    = 2
	NotFound    = 3
	Refused     = 4
	Unreachable = 5
)

// Main runs a command and gives its exit status.
func Main(args []string) int {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	return execute(ctx, &app.App{Stdin: os.Stdin, Stdout: os.Stdout, Stderr: os.Stderr}, args)
}

// execute runs a command for a terminal, says what was wrong, and gives the exit status.
func execute(ctx context.Context, a *app.App, args []string) int {
	root := Root(a)
	root.SetArgs(args)
	err := root.ExecuteContext(ctx)
	if err == nil {
		return Done
	}
	fmt.Fprintln(a.Stderr, "roundhouse:", out.Plain(err.Error()))
	if hint := hintFor(err); hint != "" {
		fmt.Fprintln(a.Stderr, hint)
	}
	return status(err)
}

func status(err error) int {
	var u app.Usage
	var gone *client.Unreachable
	var not *app.Missing
	var no *app.Refused
	if p, ok := client.IsProblem(err); ok {
		switch p.Status {
		case 400:
			return WrongUse
		case 404:
			return NotFound
		case 503:
			return Unreachable
		case 403, 409, 412, 422, 428:
			return Refused
		}
		return Failed
	}
	switch {
	case errors.As(err, &not):
		return NotFound
	case errors.As(err, &no):
		return Refused
	case errors.As(err, &gone):
		return Unreachable
	case errors.As(err, &u):
		return WrongUse
	}
	return Failed
}

// hintFor says what to do next.
func hintFor(err error) string {
	var gone *client.Unreachable
	p, ok := client.IsProblem(err)
	switch {
	case errors.As(err, &gone):
		return "Is it running? roundhouse demo starts one; ROUNDHOUSE_URL names another."
	case ok && p.Kind() == "not-signed-in":
		return "Sign in with: roundhouse login URL --email you@company.example"
	case ok && p.Kind() == "step-refused" && p.Detail != nil && strings.Contains(*p.Detail, "sent"):
		return "roundhouse case show CASE lists what is on its way, and how to decide about it."
	case ok && p.Errors != nil && len(*p.Errors) == 1 && (*p.Errors)[0].Field == "reason":
		return "Give it with --text."
	case ok && p.Kind() == "must-not-leave":
		lines := []string{}
		for _, e := range app.Deref(p.Errors) {
			lines = append(lines, "  "+out.Plain(e.Detail))
		}
		return strings.Join(append(lines, "To send it anyway: --disclose \"WHY\"."), "\n")
	case ok && p.Kind() == "confirm-files":
		return "To send it as intended: --confirm-files."
	case ok && p.Kind() == "not-found":
		return "roundhouse case list shows the cases, roundhouse vendor list the vendors."
	}
	return ""
}

// listed are the commands that print a list, which can be CSV.
var listed = []string{"list", "today", "find", "deadlines", "holds", "scan", "files", "dates", "views"}

// Root is roundhouse with all its commands. Building it reads nothing and asks nobody.
func Root(a *app.App) *cobra.Command {
	root := &cobra.Command{
		Use:   "roundhouse",
		Short: "One desk for every support case that a company has open with its vendors",
		Long: "Roundhouse is one desk for every support case that a company has open with every vendor it\n" +
			"buys from. It helps you open a case well, files it, watches the deadlines of both sides to the\n" +
			"second, and always says who the case waits on and what to do next.",
		Example:       "  roundhouse demo\n  roundhouse today\n  roundhouse case show C-1077",
		SilenceUsage:  true,
		SilenceErrors: true,
		Args:          app.NoSuchCommand,
		RunE:          func(c *cobra.Command, _ []string) error { return c.Help() },
	}
	root.PersistentFlags().StringVarP(&a.Format, "output", "o", "table",
		"table for people, json for programs, csv for spreadsheets")
	root.PersistentFlags().StringVar(&a.URL, "url", os.Getenv("ROUNDHOUSE_URL"),
		"address of the service (ROUNDHOUSE_URL; else where you signed in)")
	root.PersistentFlags().StringVar(&a.ZoneName, "zone", "",
		"time zone for times, like Europe/Oslo; your own if left out")
	root.PersistentPreRunE = func(c *cobra.Command, _ []string) error {
		if a.ZoneName != "" {
			if _, err := a.Zone(c.Context()); err != nil {
				return err
			}
		}
		if a.Format == "csv" && !slices.Contains(listed, c.Name()) {
			return app.Usagef("csv is for lists; use table or json here")
		}
		if a.Format != "table" && a.Format != "json" && a.Format != "csv" {
			return app.Usagef("--output must be table, json or csv, not %q", a.Format)
		}
		return nil
	}
	root.SetFlagErrorFunc(func(c *cobra.Command, err error) error {
		return app.WrongUse(fmt.Errorf("%w (see %s --help)", err, c.CommandPath()))
	})
	r, who, reg, h, sec := run.New(a), people.New(a), register.New(a), hours.New(a), secrets.New(a)
	cases, file, day, told := drafts.New(a).Cases(), files.New(a), today.New(a), notify.New(a)
	day.Run = func(ctx context.Context, args []string) int {
		b := *a
		return execute(ctx, &b, args)
	}
	cases.AddCommand(file.Attach(), file.List(), file.Fetch(), file.NotNeeded(), file.Remove())
	cases.AddCommand(dates.New(a).All()...)
	cases.AddCommand(converse.New(a).All()...)
	cases.AddCommand(escalation.New(a).All()...)
	cases.AddCommand(agenda.New(a).All()...)
	cases.AddCommand(lists.New(a).All()...)
	root.AddCommand(r.Serve(), r.Demo(), r.Standin(), r.Rehearse(), reckon.New(a).Reckon(), r.Check(), who.Login(),
		day.Today(), day.Watch(), day.Digest(), told.Notifications(), told.Webhooks(), cases,
		reg.Vendors(), reg.Find(), reg.Assets(), reg.Products(), reg.Accounts(), reg.Contracts(), h.Calendars(), h.Policy(),
		file.Scan(), file.Papers(), rota.New(a).Rota(), links.New(a).Links(), outages.New(a).Outages(), readiness.Command(a),
		agenda.New(a).Agenda(),
		drafts.New(a).Consents(),
		who.Tokens(), who.People(), sec.Secrets(), sec.Keys(), &cobra.Command{
			Use: "version", Short: "Print the version", Args: cobra.NoArgs, Example: "  roundhouse version",
			RunE: func(*cobra.Command, []string) error {
				fmt.Fprintln(a.Stdout, "roundhouse", Version)
				return nil
			}})
	completions(a, root)
	typed(root)
	fitHelp(root, out.New(a.Stdout, "table").Width)
	return root
}

// typed makes every error of how a command was called one of wrong use.
func typed(c *cobra.Command) {
	if args := c.Args; args != nil {
		c.Args = func(c *cobra.Command, given []string) error {
			err := args(c, given)
			if err != nil && !c.HasSubCommands() {
				err = fmt.Errorf("write it as: %s", c.UseLine())
			}
			if err != nil {
				return app.WrongUse(err)
			}
			return nil
		}
	}
	for _, sub := range c.Commands() {
		typed(sub)
	}
}

// completions lets the shell offer names wherever a command takes one.
func completions(a *app.App, c *cobra.Command) {
	for _, kind := range []string{"case", "vendor"} {
		if strings.Contains(c.Use+" ", " "+strings.ToUpper(kind)+" ") && c.ValidArgsFunction == nil {
			c.ValidArgsFunction = a.Complete(kind)
		}
		if c.Flags().Lookup(kind) != nil {
			_ = c.RegisterFlagCompletionFunc(kind, a.CompleteFlag(kind))
		}
	}
	for _, sub := range c.Commands() {
		completions(a, sub)
	}
}
