// Package converse has the commands with which one writes on a case: to the vendor, for colleagues, and what was said.
package converse

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/cli/cases"
	"roundhouse.example/internal/cli/dates"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/core/casework"
)

// Commands are those of this package.
type Commands struct{ *cases.Commands }

// New gives them.
func New(a *app.App) *Commands { return &Commands{cases.New(a)} }

// All are the commands.
func (a *Commands) All() []*cobra.Command {
	return []*cobra.Command{a.reply(), a.note(), a.call(), a.summary()}
}

// summary writes down where a case stands.
func (a *Commands) summary() *cobra.Command {
	var clear bool
	c := a.write("summary CASE", "Say where a case stands; it is shown at the top of the case",
		`roundhouse case summary C-1075 --text "They are looking at the log; we will hear on Friday"`,
		func(cases.Loaded) error { return nil },
		func(ctx context.Context, l cases.Loaded, text string) (clientgen.Entry, error) {
			if clear {
				text = ""
			}
			res, err := l.SetSummary(ctx, l.Line.Number, &clientgen.SetSummaryParams{IdempotencyKey: client.Key()},
				clientgen.NewSummary{Text: text})
			e, _, err := client.Read[clientgen.Entry](l.Client, res, err)
			return e, err
		})
	c.Flags().BoolVar(&clear, "clear", false, "clear it")
	return c
}

// write is what reply, note and call share. may says before anything is written why it
// could not be sent, so that no editor opens in vain.
func (a *Commands) write(use, short, example string, may func(cases.Loaded) error,
	send func(ctx context.Context, l cases.Loaded, text string) (clientgen.Entry, error)) *cobra.Command {
	var text string
	c := &cobra.Command{Use: use, Short: short, Args: cobra.ExactArgs(1), Example: "  " + example,
		RunE: func(cmd *cobra.Command, args []string) error {
			l, err := a.Load(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			if err := may(l); err != nil {
				return err
			}
			body := text
			if !wordless(cmd) || text != "" { // else it has something to say
				about := fmt.Sprintf("%s  %s\nwith %s", l.Line.Number, l.Line.Title, l.Line.Vendor)
				if body, err = a.ReadText(text, about); err != nil {
					return err
				}
			}
			e, err := send(cmd.Context(), l, body)
			if err != nil && text != body {
				return app.KeepText("text", body, err)
			} else if err != nil {
				return err
			}
			if a.Format == "json" {
				return a.Printer().JSON(e)
			}
			a.Said(l, e)
			return nil
		}}
	c.Flags().StringVarP(&text, "text", "t", "", "the text (- reads it from standard input; if left out, $EDITOR opens)")
	return c
}

// wordless says whether a command needs no text.
func wordless(cmd *cobra.Command) bool {
	untold, _ := cmd.Flags().GetBool("untold")
	clear, _ := cmd.Flags().GetBool("clear")
	return untold || clear
}

func (a *Commands) reply() *cobra.Command {
	var move string
	var dated dates.Along
	var by cases.ByFlags
	var blind, untold bool
	var disclose string
	var files app.FileFlags
	c := a.write("reply CASE", "Write to the vendor", "roundhouse case reply C-1075 --text \"The log is below\"\n"+
		"  roundhouse case reply C-1077 --text \"The graph of two weeks\" --enclose 2\n"+
		"  roundhouse case reply C-1075 --text \"Which build is it?\" --we-ask \"The build number by 2d\"",
		func(l cases.Loaded) error {
			if s := string(l.Line.State); s != "filed" && s != "open" && s != "fix-offered" {
				return &app.Refused{Text: fmt.Sprintf("%s is %s, so no message can be sent to %s; to write a note: "+
					"roundhouse case note %s", l.Line.Number, casework.State(s).Called(), l.Line.Vendor, l.Line.Number)}
			}
			return nil
		}, func(ctx context.Context, l cases.Loaded, text string) (clientgen.Entry, error) {
			set, err := dated.Dates(ctx, a.App)
			if err != nil {
				return clientgen.Entry{}, err
			}
			body := clientgen.NewMessage{Dates: set, Keeps: dated.Kept(), Text: &text, Untold: &untold,
				Move: app.Some(clientgen.Side(move)),
				Seen: &l.Line.LastEntry, Channel: by.Via(), Link: app.Some(by.Link), DiscloseReason: app.Some(disclose),
				Files: files.Sent(), ConfirmFiles: app.Some(files.Confirm)}
			if blind {
				body.Seen = nil
			}
			res, err := l.SendMessage(ctx, l.Line.Number, &clientgen.SendMessageParams{IdempotencyKey: client.Key()}, body)
			e, _, err := client.Read[clientgen.Entry](l.Client, res, err)
			return e, err
		})
	by.Add(c)
	files.Add(c)
	dated.Add(c, "answers", "numbers of the dates that this answers", "we-ask")
	cases.DiscloseFlag(c, &disclose)
	c.Flags().StringVar(&move, "move", "", "whose move it is afterwards, if not the usual one: ours or theirs")
	c.Flags().BoolVar(&untold, "untold", false, "add what has been completed since the vendor was last told")
	c.Flags().BoolVar(&blind, "unseen", false, "send even if the vendor has written in the meantime")
	return c
}

func (a *Commands) note() *cobra.Command {
	return a.write("note CASE", "Write a note; it is internal and never sent",
		"roundhouse case note C-1075 --text \"Ask the contractor first\"", func(cases.Loaded) error {
			return nil
		}, func(ctx context.Context, l cases.Loaded, text string) (clientgen.Entry, error) {
			res, err := l.AddNote(ctx, l.Line.Number, &clientgen.AddNoteParams{IdempotencyKey: client.Key()},
				clientgen.NewNote{Text: text})
			e, _, err := client.Read[clientgen.Entry](l.Client, res, err)
			return e, err
		})
}

func (a *Commands) call() *cobra.Command {
	var with, at, move, by, status string
	var dated dates.Along
	may := func(l cases.Loaded) error {
		t, err := a.When(context.Background(), at)
		switch {
		case err != nil:
			return err
		case strings.TrimSpace(with) == "":
			return app.Usagef("say who you spoke to, or who wrote, with --with")
		case t != nil && t.After(a.Now(context.Background())):
			return app.Usagef("--at is in the future: give the time when it happened")
		case !slices.Contains([]string{"phone", "chat", "email", "portal"}, by):
			return app.Usagef("--by must be phone, chat, email or portal, not %q", by)
		case move != "" && move != "ours" && move != "theirs":
			return app.Usagef("--move must be ours or theirs, not %q", move)
		}
		return nil
	}
	c := a.write("call CASE", "Record what the vendor said in a call, a chat, an email or on its portal",
		"roundhouse case call C-1092 --by portal --with \"Support desk\" --status \"With merchant\" --text \"Which "+
			"release is it?\"\n "+
			" roundhouse case call C-1088 --with \"Imke Vandersloot\" --at \"20m ago\""+
			" --text \"She will call back at two\" --promised \"A call back by 2h\"", may,
		func(ctx context.Context, l cases.Loaded, text string) (clientgen.Entry, error) {
			t, err := a.When(ctx, at)
			if err != nil {
				return clientgen.Entry{}, err
			}
			set, err := dated.Dates(ctx, a.App)
			if err != nil {
				return clientgen.Entry{}, err
			}
			res, err := l.AddCall(ctx, l.Line.Number, &clientgen.AddCallParams{IdempotencyKey: client.Key()},
				clientgen.NewCall{Text: text, With: with, At: t, Move: app.Some(clientgen.Side(move)),
					By: app.Some(clientgen.NewCallBy(by)), Status: app.Some(status), Dates: set, Keeps: dated.Kept()})
			e, _, err := client.Read[clientgen.Entry](l.Client, res, err)
			return e, err
		})
	c.Flags().StringVar(&with, "with", "", "who you spoke to, or who wrote")
	c.Flags().StringVar(&by, "by", "phone", "phone, chat, email or portal")
	c.Flags().StringVar(&status, "status", "", "the vendor's status word, if it gave one")
	c.Flags().StringVar(&at, "at", "", "when it was; now if left out")
	c.Flags().StringVar(&move, "move", "", "whose move it is afterwards: ours or theirs")
	dated.Add(c, "keeps", "numbers of the promises and other dates that this keeps", "promised", "they-ask", "we-ask")
	c.PreRunE = func(*cobra.Command, []string) error {
		if with == "" {
			return app.Usagef("say who you spoke to, or who wrote, with --with")
		}
		return nil
	}
	return c
}
