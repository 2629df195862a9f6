// Package cli is the command line: roundhouse NOUN VERB. All of it but serve,
// demo and standin goes through the API's client.
package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"maps"
	"os"
	"os/exec"
	"os/signal"
	"slices"
	"strings"
	"syscall"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
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

// usage is an error of how a command was called.
type usage struct{ error }

func usagef(format string, args ...any) error { return usage{fmt.Errorf(format, args...)} }

type app struct {
	stdin          io.Reader
	stdout, stderr io.Writer
	format         string
	url, token     string
}

// Main runs a command and gives its exit status.
func Main(args []string) int {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	a := &app{stdin: os.Stdin, stdout: os.Stdout, stderr: os.Stderr}
	root := a.root()
	root.SetArgs(args)
	err := root.ExecuteContext(ctx)
	if err == nil {
		return Done
	}
	fmt.Fprintln(a.stderr, "roundhouse:", out.Plain(err.Error()))
	if hint := hintFor(err); hint != "" {
		fmt.Fprintln(a.stderr, hint)
	}
	return status(err)
}

func status(err error) int {
	var u usage
	var gone *client.Unreachable
	var not *missing
	var no *refused
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
	case errors.As(err, &u), strings.HasPrefix(err.Error(), "unknown command"), strings.HasPrefix(err.Error(), "unknown flag"),
		strings.HasPrefix(err.Error(), "unknown shorthand"), strings.Contains(err.Error(), "arg(s)"), strings.HasPrefix(err.Error(), "required flag"),
		strings.HasPrefix(err.Error(), "invalid argument"), strings.HasPrefix(err.Error(), "flag needs"):
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
	case ok && p.Kind() == "not-found":
		return "roundhouse case list shows the cases, roundhouse vendor list the vendors."
	}
	return ""
}

func (a *app) root() *cobra.Command {
	root := &cobra.Command{
		Use:           "roundhouse",
		Short:         "One desk for every support case that a company has open with its vendors",
		Long:          "Roundhouse keeps every support case that a company has open with every vendor it\nbuys from: opens it right, files it, keeps both sides' promises by exact clocks,\nand says at any moment whose move it is and what to do next.",
		Example:       "  roundhouse demo\n  roundhouse today\n  roundhouse case show C-1001",
		SilenceUsage:  true,
		SilenceErrors: true,
	}
	root.PersistentFlags().StringVarP(&a.format, "output", "o", "table", "table for people, json for programs, csv for spreadsheets")
	root.PersistentFlags().StringVar(&a.url, "url", os.Getenv("ROUNDHOUSE_URL"), "address of the service (ROUNDHOUSE_URL; else where you signed in)")
	root.PersistentPreRunE = func(c *cobra.Command, _ []string) error {
		if a.format == "csv" && !slices.Contains([]string{"list", "today", "find", "deadlines", "holds"}, c.Name()) {
			return usagef("csv is for lists; use table or json here")
		}
		if a.format != "table" && a.format != "json" && a.format != "csv" {
			return usagef("--output is table, json or csv, not %q", a.format)
		}
		return nil
	}
	root.SetFlagErrorFunc(func(c *cobra.Command, err error) error {
		return usage{fmt.Errorf("%w (see %s --help)", err, c.CommandPath())}
	})
	root.AddCommand(a.serve(), a.demo(), a.standin(), a.reckon(), a.check(), a.login(), a.today(), a.cases(), a.vendors(), a.find(), a.assets(), a.products(), a.accounts(), a.contracts(), a.calendars(), a.policy(), a.tokens(), a.people(), a.secrets(), a.keys(), &cobra.Command{
		Use: "version", Short: "Say which roundhouse this is", Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			fmt.Fprintln(a.stdout, "roundhouse", Version)
			return nil
		}})
	a.completions(root)
	return root
}

// completions lets the shell offer names wherever a command takes one.
func (a *app) completions(c *cobra.Command) {
	for _, kind := range []string{"case", "vendor"} {
		if strings.Contains(c.Use+" ", " "+strings.ToUpper(kind)+" ") && c.ValidArgsFunction == nil {
			c.ValidArgsFunction = a.complete(kind)
		}
		if c.Flags().Lookup(kind) != nil {
			_ = c.RegisterFlagCompletionFunc(kind, a.completeFlag(kind))
		}
	}
	for _, sub := range c.Commands() {
		a.completions(sub)
	}
}

func group(use, short string, subs ...*cobra.Command) *cobra.Command {
	c := &cobra.Command{Use: use, Short: short, Args: cobra.NoArgs, RunE: func(c *cobra.Command, _ []string) error { return c.Help() }}
	c.AddCommand(subs...)
	return c
}

func (a *app) printer() *out.Printer { return out.New(a.stdout, a.format) }

// client is signed in by ROUNDHOUSE_TOKEN or by what login kept.
func (a *app) client() (*client.Client, error) {
	url, token := a.url, os.Getenv("ROUNDHOUSE_TOKEN")
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

// configured lets ROUNDHOUSE_NAME stand for --name where the flag is not given,
// and after it what the file of --config says.
func configured(flags *pflag.FlagSet) error {
	if err := environment(flags); err != nil {
		return err
	}
	file, err := flags.GetString("config")
	if err != nil || file == "" {
		return err
	}
	raw, err := readBounded(file)
	if err != nil {
		return err
	}
	var said map[string]any
	if err := readYAML(file, raw, &said); err != nil {
		return err
	}
	for _, name := range slices.Sorted(maps.Keys(said)) {
		f := flags.Lookup(name)
		if f == nil || name == "config" || name == "help" {
			return usagef("%s: %s is not a setting of this command; its flags are, without their dashes", file, name)
		}
		if f.Changed {
			continue
		}
		text := fmt.Sprint(said[name])
		if list, ok := said[name].([]any); ok {
			var parts []string
			for _, x := range list {
				parts = append(parts, fmt.Sprint(x))
			}
			text = strings.Join(parts, ",")
		}
		if err := flags.Set(name, text); err != nil {
			return usagef("%s: %s: %v", file, name, err)
		}
	}
	return nil
}

func configFlag(flags *pflag.FlagSet) {
	flags.String("config", "", "a YAML file with settings named like the flags; flags and the environment come before it")
}

// environment lets ROUNDHOUSE_NAME stand for --name where the flag is not given.
func environment(flags *pflag.FlagSet) error {
	var err error
	flags.VisitAll(func(f *pflag.Flag) {
		name := "ROUNDHOUSE_" + strings.ToUpper(strings.ReplaceAll(f.Name, "-", "_"))
		if v, ok := os.LookupEnv(name); ok && !f.Changed && err == nil && f.Name != "help" && f.Name != "url" && f.Name != "output" {
			if e := flags.Set(f.Name, v); e != nil {
				err = usagef("%s: %v", name, e)
			}
		}
	})
	return err
}

// keepText keeps what somebody wrote and was refused, and says where.
func keepText(text string, err error) error {
	f, kept := os.CreateTemp("", "roundhouse-kept-*.txt") // 0600
	if kept == nil {
		_, kept = f.WriteString(text)
		kept = errors.Join(kept, f.Close())
	}
	if kept != nil {
		return fmt.Errorf("%w\nYour text could not be kept in a file (%v); here it is:\n%s", err, kept, text)
	}
	return fmt.Errorf("%w\nYour text is kept in %s: repeat the command with --text - < %s", err, f.Name(), f.Name())
}

// text takes a text from --text, from standard input where it is "-", or from
// the editor, beginning with a template.
func (a *app) text(given, template string) (string, error) {
	switch {
	case given == "-":
		b, err := io.ReadAll(io.LimitReader(a.stdin, 1<<20))
		return strings.TrimSpace(string(b)), err
	case given != "":
		return given, nil
	}
	editor := os.Getenv("EDITOR")
	if editor == "" {
		return "", usagef("say it with --text, pipe it in with --text -, or set EDITOR")
	}
	f, err := os.CreateTemp("", "roundhouse-*.txt")
	if err != nil {
		return "", err
	}
	defer os.Remove(f.Name())
	fmt.Fprintf(f, "\n%s\n%s", scissors, template)
	f.Close()
	cmd := exec.Command("sh", "-c", editor+` "$1"`, "sh", f.Name())
	cmd.Stdin, cmd.Stdout, cmd.Stderr = os.Stdin, os.Stdout, os.Stderr
	if err := cmd.Run(); err != nil {
		return "", fmt.Errorf("the editor: %w", err)
	}
	b, err := os.ReadFile(f.Name())
	if err != nil {
		return "", err
	}
	body, _, _ := strings.Cut(string(b), scissors)
	if body = strings.TrimSpace(body); body == "" {
		return "", fmt.Errorf("nothing was written, so nothing was done")
	}
	return body, nil
}

const scissors = "---- what stands below this line is left out ----"

// when reads an instant: RFC 3339 with its zone, a local date and time, or a
// length from now such as 90m or 2d.
func when(s string, now time.Time) (*time.Time, error) {
	if s == "" {
		return nil, nil
	}
	for _, layout := range []string{time.RFC3339, "2006-01-02 15:04", "2006-01-02T15:04", time.DateOnly} {
		if t, err := time.ParseInLocation(layout, s, time.Local); err == nil {
			return &t, nil
		}
	}
	if days, ok := strings.CutSuffix(s, "d"); ok {
		var n int
		if _, err := fmt.Sscanf(days, "%d", &n); err == nil {
			t := now.AddDate(0, 0, n)
			return &t, nil
		}
	}
	if d, err := time.ParseDuration(s); err == nil {
		t := now.Add(d)
		return &t, nil
	}
	return nil, usagef("%q is not an instant: write 2026-12-01T08:00:00Z, 2026-12-01 08:00 (here), or a length from now such as 90m or 2d", s)
}

func deref[T any](p *T) T {
	if p == nil {
		var zero T
		return zero
	}
	return *p
}

func some[T comparable](v T) *T {
	var zero T
	if v == zero {
		return nil
	}
	return &v
}

func severityText(l clientgen.CaseLine) string {
	if l.Severity == nil {
		return "-"
	}
	return fmt.Sprintf("%d %s", *l.Severity, deref(l.SeverityWord))
}
