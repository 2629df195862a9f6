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
	return &cobra.Command{Use: "export VENDOR", Short: "Export a vendor as a pack: one file to share, review and edit",
		Args: cobra.ExactArgs(1),
		Long: "Writes what is known of a vendor as one YAML file, with the calendars that it names. Secrets and what " +
			"only concerns\nus (our access, partners, notes, who to go to first) are left out. Other texts are included as " +
			"written, so read\nthe file before you share it.",
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
		Short: "Check a vendor pack and list every mistake; no service is needed", Args: cobra.ExactArgs(1),
		Long: "Checks a pack (- for standard input) and lists each mistake with its line and field. The exit status " +
			"is 1 if there\nis a mistake and 0 if there are only warnings. An editor with JSON Schema support checks most " +
			"of this as you type:\ngive it the output of roundhouse vendor schema.",
		Example: "  roundhouse vendor check tallow.yaml\n  roundhouse vendor export tallow | roundhouse vendor check -",
		RunE: func(_ *cobra.Command, args []string) error {
			_, err := a.importPack(args[0], true)
			return err
		}}
}

// importPack reads a pack, says what is wrong with it, and (alone) what it is.
func (a *Commands) importPack(named string, alone bool) ([]byte, error) {
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
		a.Printer().Line("%s is a valid pack for %s (%s) with %s and %s.", name, p.Vendor.Name, p.Vendor.Key,
			app.Number(len(p.Vendor.Levels), "level"), app.Number(len(p.Calendars), "calendar"))
	}
	return file, nil
}

// vendorImport takes a pack in; what it would do is shown first.
func (a *Commands) vendorImport() *cobra.Command {
	var yes bool
	c := &cobra.Command{Use: "import FILE",
		Short: "Import a vendor pack: shows the differences, then applies all of them or none",
		Args:  cobra.ExactArgs(1),
		Long: "Compares a pack (- for standard input) with what the desk knows of the vendor and shows each difference: " +
			"+ added,\n- removed, ~ changed. The differences are applied after you agree; what concerns only us is kept. A " +
			"pack never\nchanges a calendar that other vendors use; the vendor's own calendars change from tomorrow.",
		Example: "  roundhouse vendor import tallow.yaml\n  roundhouse vendor import tallow.yaml --yes",
		RunE: func(cmd *cobra.Command, args []string) error {
			file, err := a.importPack(args[0], false)
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
			seen, err := ask(map[string]any{"pack": string(file), "dry_run": true})
			if err != nil {
				return err
			}
			if a.Format != "json" {
				a.showPackRead(seen)
			}
			if len(seen.Differences) == 0 || !yes && !a.agreed("Apply these changes?") {
				if a.Format == "json" {
					return a.Printer().JSON(seen)
				}
				if len(seen.Differences) > 0 {
					a.Printer().Line("Nothing was changed. To apply the changes, repeat it with --yes.")
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
			if done.Recalculated > 0 {
				again = fmt.Sprintf("; being recalculated: %s", app.Number(done.Recalculated, "case"))
			}
			a.Printer().Line("%s is imported%s.", done.Name, again)
			return nil
		}}
	c.Flags().BoolVar(&yes, "yes", false, "apply the changes without asking")
	return c
}

func (a *Commands) showPackRead(r clientgen.PackRead) {
	p := a.Printer()
	switch {
	case r.New:
		p.Line("%s (%s) is new:", r.Name, r.Key)
	case len(r.Differences) == 0:
		p.Line("%s (%s) already matches the pack; there is nothing to do.", r.Name, r.Key)
	default:
		p.Line("%s (%s): %s", r.Name, r.Key, app.Number(len(r.Differences), "difference"))
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
