package register

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"net/url"
	"os"
	"strings"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/core/pack"
)

// vendorExport writes what is known of a vendor as a pack.
func (a *Commands) vendorExport() *cobra.Command {
	return &cobra.Command{Use: "export VENDOR", Short: "Write a vendor as a pack: one file to share, review and change",
		Args: cobra.ExactArgs(1),
		Long: "Writes all that is known of a vendor as one YAML file, with the hours that it names. What is secret " +
			"or ours\nalone (who of us may do what there, partners, notes, whom to go to first) stays out of it; other " +
			"texts go as\nthey were written, so read it before you share it.",
		Example: "  roundhouse vendor export tallow > tallow.yaml",
		RunE: func(cmd *cobra.Command, args []string) error {
			return a.copied(cmd.Context(), "/vendors/"+url.PathEscape(args[0])+"/pack")
		}}
}

// copied prints what a path of the API answers with, as it is.
func (a *Commands) copied(ctx context.Context, path string) error {
	c, err := a.Client()
	if err != nil {
		return err
	}
	text, err := c.Text(ctx, path)
	if err == nil {
		_, err = io.WriteString(a.Stdout, text)
	}
	return err
}

// vendorCheck holds a pack against the schema and the rules; it needs no service.
func (a *Commands) vendorCheck() *cobra.Command {
	return &cobra.Command{Use: "check FILE",
		Short: "Say what is wrong with a vendor pack, all of it at once; no service is needed", Args: cobra.ExactArgs(1),
		Long: "Checks a pack (- for standard input) and says each mistake with its line and its field. Warnings " +
			"leave the\nstatus 0; anything wrong makes it 1. An editor that knows JSON Schema does most of this while one " +
			"types:\ngive it what roundhouse vendor schema prints.",
		Example: "  roundhouse vendor check tallow.yaml\n  roundhouse vendor export tallow | roundhouse vendor check -",
		RunE: func(_ *cobra.Command, args []string) error {
			_, err := a.readPack(args[0], true)
			return err
		}}
}

// readPack reads a pack, says what is wrong with it, and (alone) what it is.
func (a *Commands) readPack(named string, alone bool) ([]byte, error) {
	from, name := a.Stdin, "standard input"
	if named != "-" {
		f, err := os.Open(named)
		if err != nil {
			return nil, err
		}
		defer f.Close()
		from, name = f, named
	}
	file, err := io.ReadAll(io.LimitReader(from, pack.MaxBytes+1))
	if err != nil {
		return nil, err
	}
	p, findings := pack.Read(file)
	wrong := 0
	for _, f := range findings {
		if !f.Warning {
			wrong++
		}
	}
	if a.Format == "json" && (alone || wrong > 0) {
		type finding struct {
			Line    int    `json:"line,omitempty"`
			Field   string `json:"field,omitempty"`
			Detail  string `json:"detail"`
			Warning bool   `json:"warning,omitempty"`
		}
		out := []finding{}
		for _, f := range findings {
			out = append(out, finding(f))
		}
		if err := a.Printer().JSON(out); err != nil {
			return nil, err
		}
	} else if a.Format != "json" {
		for _, f := range findings {
			a.Printer().Line("%s:%s", name, f)
		}
	}
	switch {
	case wrong > 0:
		return nil, fmt.Errorf("%s has %s", name, app.Number(wrong, "mistake"))
	case alone && a.Format != "json":
		a.Printer().Line("%s is a pack of %s (%s) with %s and %s.", name, p.Vendor.Name, p.Vendor.Key,
			app.Number(len(p.Vendor.Levels), "level"), app.Number(len(p.Calendars), "calendar"))
	}
	return file, nil
}

// vendorImport takes a pack in; what it would do is shown first.
func (a *Commands) vendorImport() *cobra.Command {
	var yes bool
	c := &cobra.Command{Use: "import FILE",
		Short: "Import a vendor pack: what differs is shown first, then changed, all of it or nothing",
		Args:  cobra.ExactArgs(1),
		Long: "Holds a pack (- for standard input) against what the desk knows of the vendor and shows each " +
			"difference: + new,\n- gone, ~ changed. Only what differs is changed, after a yes; what is ours alone stays. " +
			"It can be repeated.\nHours that other vendors may count in are never changed by a pack; a vendor's own count " +
			"anew from tomorrow.",
		Example: "  roundhouse vendor import tallow.yaml\n  roundhouse vendor import tallow.yaml --yes",
		RunE: func(cmd *cobra.Command, args []string) error {
			file, err := a.readPack(args[0], false)
			if err != nil {
				return err
			}
			c, err := a.Client()
			if err != nil {
				return err
			}
			ask := func(body map[string]any) (r clientgen.PackRead, err error) {
				_, err = c.Do(cmd.Context(), "POST", "/packs", body, map[string]string{"Idempotency-Key": *client.Key()}, &r)
				return r, err
			}
			seen, err := ask(map[string]any{"pack": string(file), "look": true})
			if err != nil {
				return err
			}
			if a.Format != "json" {
				a.showPackRead(seen)
			}
			if len(seen.Differences) == 0 || !yes && !a.agreed("Change it so?") {
				if a.Format == "json" {
					return a.Printer().JSON(seen)
				}
				if len(seen.Differences) > 0 {
					a.Printer().Line("Nothing was changed. Repeat it with --yes to change it so.")
				}
				return nil
			}
			done, err := ask(map[string]any{"pack": string(file), "seen": seen.Seen})
			if err != nil {
				return err
			}
			if a.Format == "json" {
				return a.Printer().JSON(done)
			}
			again := ""
			if done.ReckonedAnew > 0 {
				again = fmt.Sprintf("; being recalculated: %s", app.Number(done.ReckonedAnew, "case"))
			}
			a.Printer().Line("%s is in%s.", done.Name, again)
			return nil
		}}
	c.Flags().BoolVar(&yes, "yes", false, "change what differs without asking")
	return c
}

func (a *Commands) showPackRead(r clientgen.PackRead) {
	p := a.Printer()
	switch {
	case r.New:
		p.Line("%s (%s) is new here:", r.Name, r.Key)
	case len(r.Differences) == 0:
		p.Line("%s (%s) is here just as the pack says; there is nothing to do.", r.Name, r.Key)
	default:
		p.Line("%s (%s) would change in %s:", r.Name, r.Key, app.Number(len(r.Differences), "thing"))
	}
	for _, x := range r.Differences {
		p.Line("  %s", pack.Difference{Field: x.Field, Was: app.Deref(x.Was), Will: app.Deref(x.Will)})
	}
	for _, n := range r.Notes {
		p.Line("%s", n)
	}
}

// agreed asks on a terminal; elsewhere nobody is there to say yes.
func (a *Commands) agreed(question string) bool {
	f, ok := a.Stdin.(*os.File)
	if !ok || !term.IsTerminal(int(f.Fd())) {
		return false
	}
	fmt.Fprintf(a.Stderr, "%s [y/N] ", question)
	line, _ := bufio.NewReader(f).ReadString('\n')
	return strings.EqualFold(strings.TrimSpace(line), "y") || strings.EqualFold(strings.TrimSpace(line), "yes")
}

// vendorSchema prints the JSON Schema of packs.
func (a *Commands) vendorSchema() *cobra.Command {
	return &cobra.Command{Use: "schema", Short: "Print the JSON Schema of vendor packs, for editors", Args: cobra.NoArgs,
		Example: "  roundhouse vendor schema > vendor-pack.schema.json",
		RunE: func(*cobra.Command, []string) error {
			_, err := a.Stdout.Write(pack.Schema)
			return err
		}}
}
