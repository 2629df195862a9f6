package cli

import (
	"encoding/json"
	"fmt"
	"io"
	"net/url"
	"os"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/pack"
	"roundhouse.example/internal/core/register"
)

// vendorExport writes what is known of a vendor as a pack.
func (a *app) vendorExport() *cobra.Command {
	return &cobra.Command{Use: "export VENDOR", Short: "Write a vendor as a pack: one file to share, review and change", Args: cobra.ExactArgs(1),
		Long:    "Writes all that is known of a vendor as one YAML file, with the hours that it names. What is secret or ours\nalone (who of us may do what there, partners, notes, whom to go to first) stays out of it.",
		Example: "  roundhouse vendor export tallow > tallow.yaml",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, all, err := a.allCalendars(cmd.Context())
			if err != nil {
				return err
			}
			var v struct {
				Key   string          `json:"key"`
				Facts register.Vendor `json:"facts"`
			}
			if _, err := c.Do(cmd.Context(), "GET", "/vendors/"+url.PathEscape(args[0]), nil, nil, &v); err != nil {
				return err
			}
			hours := map[string]calendar.Definition{}
			for _, x := range all {
				if len(x.Versions) == 0 || x.Vendor != nil && *x.Vendor != "" && *x.Vendor != v.Key {
					continue
				}
				raw, err := json.Marshal(x.Versions[len(x.Versions)-1].Definition)
				if err != nil {
					return err
				}
				var def calendar.Definition
				if err := json.Unmarshal(raw, &def); err != nil {
					return err
				}
				hours[x.Name] = def
			}
			file, err := pack.Of(v.Facts, hours).Write()
			if err == nil {
				_, err = a.stdout.Write(file)
			}
			return err
		}}
}

// vendorCheck holds a pack against the schema and the rules; it needs no service.
func (a *app) vendorCheck() *cobra.Command {
	return &cobra.Command{Use: "check FILE", Short: "Say what is wrong with a vendor pack, all of it at once; no service is needed", Args: cobra.ExactArgs(1),
		Long:    "Checks a pack (- for standard input) and says each mistake with its line and its field. Warnings leave the\nstatus 0; anything wrong makes it 1. An editor that knows JSON Schema does most of this while one types:\ngive it what roundhouse vendor schema prints.",
		Example: "  roundhouse vendor check tallow.yaml\n  roundhouse vendor export tallow | roundhouse vendor check -",
		RunE: func(_ *cobra.Command, args []string) error {
			from, name := a.stdin, "standard input"
			if args[0] != "-" {
				f, err := os.Open(args[0])
				if err != nil {
					return err
				}
				defer f.Close()
				from, name = f, args[0]
			}
			file, err := io.ReadAll(io.LimitReader(from, pack.MaxBytes+1))
			if err != nil {
				return err
			}
			p, findings := pack.Read(file)
			wrong := 0
			for _, f := range findings {
				if !f.Warning {
					wrong++
				}
			}
			if a.format == "json" {
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
				if err := a.printer().JSON(out); err != nil {
					return err
				}
			} else {
				for _, f := range findings {
					a.printer().Line("%s:%s", name, f)
				}
			}
			switch {
			case wrong > 0:
				return fmt.Errorf("%s has %s", name, number(wrong, "mistake"))
			case a.format != "json":
				a.printer().Line("%s is a pack of %s (%s) with %s and %s.", name, p.Vendor.Name, p.Vendor.Key, number(len(p.Vendor.Levels), "level"), number(len(p.Calendars), "calendar"))
			}
			return nil
		}}
}

// vendorSchema prints the JSON Schema of packs.
func (a *app) vendorSchema() *cobra.Command {
	return &cobra.Command{Use: "schema", Short: "Print the JSON Schema of vendor packs, for editors", Args: cobra.NoArgs, Example: "  roundhouse vendor schema > vendor-pack.schema.json",
		RunE: func(*cobra.Command, []string) error {
			_, err := a.stdout.Write(pack.Schema)
			return err
		}}
}
