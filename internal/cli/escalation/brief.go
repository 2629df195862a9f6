package escalation

import (
	"context"
	"strings"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/cli/cases"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
)

func (a *Commands) brief() *cobra.Command {
	var text, disclose string
	var to, told []string
	var drafted bool
	c := &cobra.Command{Use: "brief CASE", Short: "Tell management and users where a case stands",
		Args: cobra.ExactArgs(1),
		Long: "Drafts a short status of a case, with nothing internal in it. Without --to or --told it prints the draft.\n" +
			"--to emails it; --told records whom you have told yourself. Both stay on the case, with who was told and when.\n" +
			"The draft opens in $EDITOR; --drafted takes it as it is.",
		Example: "  roundhouse case brief C-1085\n" +
			"  roundhouse case brief C-1085 --to tuva@saltmarsh.example --to harbour@saltmarsh.example --drafted\n" +
			"  roundhouse case brief C-1085 --told \"The morning meeting\" --text \"A crew is on its way.\"",
		RunE: func(cmd *cobra.Command, args []string) error {
			ctx := cmd.Context()
			switch {
			case len(to) > 0 && len(told) > 0:
				return app.Usagef("give --to or --told, not both: what is emailed and what is not are two briefings")
			case drafted && text != "":
				return app.Usagef("give --drafted or --text, not both")
			}
			l, err := a.Load(ctx, args[0])
			if err != nil {
				return err
			}
			res, err := l.DraftBriefing(ctx, l.Line.Number)
			draft, _, err := client.Read[clientgen.BriefingDraft](l.Client, res, err)
			if err != nil {
				return err
			}
			if len(to)+len(told) == 0 {
				if a.Format == "json" {
					return a.Printer().JSON(draft)
				}
				a.Printer().Line("%s", draft.Text)
				return nil
			}
			body := clientgen.NewBriefing{Text: text, To: to, DiscloseReason: app.Some(disclose)}
			if len(told) > 0 {
				body.To, body.Copied = told, new(true)
			}
			return a.tell(ctx, l, draft.Text, body, drafted)
		}}
	f := c.Flags()
	f.StringArrayVar(&to, "to", nil, "an email address to send it to; repeat for several")
	f.StringArrayVar(&told, "told", nil, "who you have told yourself; repeat for several")
	f.StringVarP(&text, "text", "t", "", "the text (- reads it from standard input)")
	f.BoolVar(&drafted, "drafted", false, "use the draft as it is")
	cases.DiscloseFlag(c, &disclose)
	return c
}

// tell sends a briefing, or records it, with the draft where nobody wrote another text.
func (a *Commands) tell(ctx context.Context, l cases.Loaded, draft string, body clientgen.NewBriefing,
	drafted bool) error {
	text := body.Text
	if body.Text = draft; !drafted {
		var err error
		if body.Text, err = a.EditText(text, draft, l.Line.Number+"  "+l.Line.Title); err != nil {
			return err
		}
	}
	res, err := l.TellBriefing(ctx, l.Line.Number, &clientgen.TellBriefingParams{IdempotencyKey: client.Key()}, body)
	e, _, err := client.Read[clientgen.Entry](l.Client, res, err)
	if err != nil && body.Text != "" && body.Text != text && body.Text != draft {
		return app.KeepText("text", body.Text, err)
	} else if err != nil {
		return err
	}
	if a.Format == "json" {
		return a.Printer().JSON(e)
	}
	what := "Entry %d of %s is being emailed to %s."
	if app.Deref(body.Copied) {
		what = "Entry %d of %s is saved; told: %s."
	}
	a.Printer().Line(what, e.Number, l.Line.Number, strings.Join(body.To, ", "))
	return nil
}
