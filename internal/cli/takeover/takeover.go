// Package takeover has the commands for cases that vendors have already.
package takeover

import (
	"strings"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	clicases "roundhouse.example/internal/cli/cases"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
)

// Commands are the commands of the subject. Use New.
type Commands struct{ *clicases.Commands }

// New makes the commands for a terminal.
func New(a *app.App) *Commands { return &Commands{clicases.New(a)} }

// All are the commands, for the group case.
func (a *Commands) All() []*cobra.Command {
	return []*cobra.Command{a.caseAdd(), a.caseImport(), a.caseExport()}
}

// caseAdd adds a case that the vendor has already.
func (a *Commands) caseAdd() *cobra.Command {
	var b clientgen.ExistingCase
	var kind, filed, last, origin, move string
	texts := map[string]**string{}
	c := &cobra.Command{Use: "add TITLE", Short: "Add a case that the vendor has already", Args: cobra.ExactArgs(1),
		Long: "Adds a case that the vendor has already, from before this desk or opened for us by somebody else.\n" +
			"Its filing and the vendor's last reply are entered when they happened, so that a deadline that was kept\n" +
			"does not show as late. The terms are those in force when it was filed, or the contract's first. Nothing is\n" +
			"sent. To add many, use roundhouse case import.",
		Example: "  roundhouse case add \"Licence server rejects keys\" --vendor quillgate --reference QG-AB1234 " +
			"--filed-at \"3d ago\" --last-reply never --severity 3\n" +
			"  roundhouse case add \"Tunnel drops at night\" --vendor ninefathom --filed-at \"2026-11-02 09:00\" " +
			"--last-reply \"2026-11-03 14:20\" --level \"Circuit poor\" --origin vendor --opened-by \"Asha Menonkar\"",
		RunE: func(cmd *cobra.Command, args []string) error {
			if b.Vendor == "" || filed == "" || last == "" {
				return app.Usagef("--vendor, --filed-at and --last-reply are required: say which vendor has it, since when, " +
					"and when the vendor replied last (or never)")
			}
			at, err := a.When(cmd.Context(), filed)
			if err != nil {
				return err
			}
			b.Title, b.FiledAt = args[0], *at
			if !strings.EqualFold(last, "never") {
				if b.LastReply, err = a.When(cmd.Context(), last); err != nil {
					return err
				}
			}
			b.Kind, b.Origin, b.Move = app.Some(clientgen.CaseKind(kind)), app.Some(clientgen.Origin(origin)),
				app.Some(clientgen.Side(move))
			for flag, to := range texts {
				s, _ := cmd.Flags().GetString(flag)
				*to = app.Some(s)
			}
			if n, _ := cmd.Flags().GetInt("severity"); n != 0 {
				b.Severity = &n
			}
			c, err := a.Client()
			if err != nil {
				return err
			}
			res, err := c.TakeOverCase(cmd.Context(), &clientgen.TakeOverCaseParams{IdempotencyKey: client.Key()}, b)
			v, _, err := client.Read[clientgen.Case](c, res, err)
			if err != nil {
				return err
			}
			return a.AfterStep(v)
		}}
	f := c.Flags()
	f.StringVar(&b.Vendor, "vendor", "", "the vendor's key")
	f.StringVar(&filed, "filed-at", "", "when the vendor got it, like \"2026-11-02 09:00\" or 3d ago")
	f.StringVar(&last, "last-reply", "", "when the vendor replied last, or never")
	f.StringVar(&kind, "kind", "", "fault, question, capacity, money, licence, order, wish, work, part, visit or access")
	f.Int("severity", 0, "1 to 4; if left out, the severity that the vendor's level is for")
	f.StringVar(&origin, "origin", "", "who opened it: us, vendor, partner or colleague")
	f.StringVar(&move, "move", "", "whose move it is: ours or theirs")
	for _, x := range existingTexts(&b) {
		f.String(x.flag, "", x.help)
		texts[x.flag] = x.to
	}
	return c
}

type existingText struct {
	flag string
	to   **string
	help string
}

// existingTexts are the fields of an existing case that are texts, by their flags.
func existingTexts(b *clientgen.ExistingCase) []existingText {
	return []existingText{{"reference", &b.Reference, "the vendor reference"},
		{"ticket", &b.Ticket, "our own ticket's number"},
		{"level", &b.Level, "the vendor's level; what the severity maps to if left out"},
		{"owner", &b.Owner, "who owns it here, by email address; you if left out"},
		{"opened-by", &b.OpenedBy, "the name of the person who opened it"},
		{"maker", &b.Maker, "the vendor behind the reseller that is given as vendor"},
		{"asset", &b.Asset, "the affected asset, by any number or name"},
		{"account", &b.Account, "the account"},
		{"contract", &b.Contract, "the contract"}, {"status", &b.VendorStatus, "the vendor's status word"},
		{"story", &b.Story, "what happened so far"}}
}

// caseImport is that of any table, but for what a row does.
func (a *Commands) caseImport() *cobra.Command {
	c := a.TableImport("case", "cases")
	c.Short = "Add cases that vendors have already, from a table: all of them or none"
	c.Long = "Reads a table (- for standard input): CSV in UTF-8 with commas, semicolons or tabs, and a header row.\n" +
		"Required columns are vendor, title, filed_at and last_reply (a time, or never), and either level or severity.\n" +
		"A row whose vendor and reference the desk knows changes nothing. If one row is refused, nothing is added.\n" +
		"--dry-run says what would happen, row by row. roundhouse case export writes a table with all columns."
	return c
}

func (a *Commands) caseExport() *cobra.Command {
	c := a.TableExport("case", "cases")
	c.Short = "Export live cases as a table (CSV) that another desk can import"
	return c
}
