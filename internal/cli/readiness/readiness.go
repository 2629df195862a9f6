// Package readiness has the command that says what is not ready.
package readiness

import (
	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/core/words"
)

// Command is the command readiness.
func Command(a *app.App) *cobra.Command {
	return &cobra.Command{Use: "readiness", Short: "List what is not ready, with the step that fixes each",
		Long: "Lists what is missing, before a case needs it: at vendors with a contract in force, targets for a level, a\n" +
			"ladder, or somebody to call outside the vendor's hours; and gaps in the rota of the next 14 days, if a\n" +
			"level needs a contact round the clock. roundhouse check says the same.",
		Example: "  roundhouse readiness\n  roundhouse readiness -o json", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.Client()
			if err != nil {
				return err
			}
			res, err := c.ListGaps(cmd.Context())
			list, _, err := client.Read[clientgen.Readiness](c, res, err)
			if err != nil {
				return err
			}
			p := a.Printer()
			if a.Format == "json" {
				return p.JSON(list)
			}
			var lines []Line
			for _, g := range list.Gaps {
				lines = append(lines, Line{string(g.Kind), g.Text, g.Remedy, g.Command})
			}
			Print(p, lines)
			return nil
		}}
}

// Line is one thing that is missing.
type Line struct {
	Kind    string `json:"kind"`
	Text    string `json:"text"`
	Remedy  string `json:"remedy"`
	Command string `json:"command"`
}

// Print says what is missing, by kind.
func Print(p *out.Printer, lines []Line) {
	if len(lines) == 0 {
		p.Line("Everything is ready.")
		return
	}
	kind := ""
	for _, l := range lines {
		if l.Kind != kind {
			if kind != "" {
				p.Line("")
			}
			kind = l.Kind
			p.Line("%s", words.Gaps.Of(kind))
		}
		p.Line("  %s.\n    %s: %s", l.Text, l.Remedy, l.Command)
	}
}
