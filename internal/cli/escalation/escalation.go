// Package escalation has the commands with which one asks a vendor for what it owes: by chasing a case, and by
// escalating it along the vendor's ladder.
package escalation

import (
	"context"
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/cli/cases"
	"roundhouse.example/internal/cli/dates"
	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/core/words"
)

// Commands are those of this package.
type Commands struct{ *cases.Commands }

// New gives them.
func New(a *app.App) *Commands { return &Commands{cases.New(a)} }

// All are the commands, for the group case.
func (a *Commands) All() []*cobra.Command {
	return []*cobra.Command{a.ladder(), a.escalate(), a.chase(), a.brief()}
}

func (a *Commands) ladder() *cobra.Command {
	var rung int
	c := &cobra.Command{Use: "ladder CASE", Short: "Show the vendor's escalation ladder for a case",
		Long: "Shows whom a case can be escalated to at its vendor, how to reach them, what was raised already and\n" +
			"what came of it, with a draft of what to say.",
		Example: "  roundhouse case ladder C-1075\n  roundhouse case ladder C-1075 --rung 2", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			l, err := a.Load(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			ladder, err := a.read(cmd.Context(), l, rung)
			if err != nil {
				return err
			}
			if a.Format == "json" {
				return a.Printer().JSON(ladder)
			}
			a.show(cmd.Context(), l, ladder)
			return nil
		}}
	c.Flags().IntVar(&rung, "rung", 0, "the rung to draft for, from 1; the one advised if left out")
	return c
}

func (a *Commands) read(ctx context.Context, l cases.Loaded, rung int) (clientgen.Ladder, error) {
	res, err := l.ReadLadder(ctx, l.Line.Number, &clientgen.ReadLadderParams{Rung: app.Some(rung)})
	ladder, _, err := client.Read[clientgen.Ladder](l.Client, res, err)
	return ladder, err
}

// show prints a ladder for people.
func (a *Commands) show(ctx context.Context, l cases.Loaded, ladder clientgen.Ladder) {
	p, times := a.Printer(), a.Times(ctx)
	p.Line("%s  %s", l.Line.Number, l.Line.Title)
	open := "closed now"
	if ladder.Open {
		open = "open now"
	}
	if ladder.Until != nil {
		open += ", until " + times.Short(ladder.Until)
	}
	p.Line("%s, %s\nTimes in %s", l.Line.Vendor, open, times.Name())
	if len(ladder.Rungs) == 0 {
		p.Line("\nThis vendor has no ladder yet. Add its rungs with roundhouse vendor change %s --edit.", l.Line.VendorKey)
		return
	}
	for _, r := range ladder.Rungs {
		p.Line("\n%d  %s", r.Rung, called(r.Role, r.Name))
		line := func(label, text string) {
			if text != "" {
				p.Line("   %-20s %s", label, text)
			}
		}
		line("how to reach them", r.How)
		line("what to tell them", app.Deref(r.Told))
		if r.Reply != nil {
			line("they answer within", words.Target(*r.Reply))
		}
		if len(r.When) == 0 {
			line("due", words.NoCondition)
		} else {
			line("due when", strings.Join(r.When, ", or "))
		}
		if x := ladder.Advice; x != nil && x.Rung == r.Rung {
			line("advised now", "because "+x.Why)
		}
		for _, z := range r.Raised {
			line("raised", raisedWords(p, z, times))
		}
	}
	if ladder.MayNot != nil {
		p.Line("\nNote: %s.", *ladder.MayNot)
	}
	if d := ladder.Draft; d != nil {
		p.Line("\nDraft for rung %d:\n\n%s\n", d.Rung, indent(d.Text))
		p.Line("To escalate: roundhouse case escalate %s --rung %d", l.Line.Number, d.Rung)
	}
}

func raisedWords(p *out.Printer, z clientgen.RaisedRung, times out.Times) string {
	text := times.Short(&z.At)
	if z.By != nil {
		text += " by " + *z.By
	}
	text += fmt.Sprintf(" (entry %d)", z.Said)
	if app.Deref(z.BeforeReopening) {
		text += ", before it was reopened"
	}
	switch {
	case z.Due == nil:
	case z.EndedAt != nil:
		text += "; answer " + p.Standing(string(app.Deref(z.Standing))) + " " + times.Short(z.EndedAt)
	default:
		text += "; answer due " + times.Short(z.Due) + ", " + p.Standing(string(app.Deref(z.Standing)))
	}
	return text
}

func called(role string, name *string) string { return strings.TrimSpace(role + " " + app.Deref(name)) }

func indent(text string) string { return "   " + strings.ReplaceAll(text, "\n", "\n   ") }

// raise are the flags of escalate.
type raise struct {
	rung                                    int
	reason, text, who, at, by, answer, move string
	told, drafted, blind                    bool
	answered                                int
	route                                   string
	link, disclose                          string
	dated                                   dates.Along
}

func (a *Commands) escalate() *cobra.Command {
	var o raise
	c := &cobra.Command{Use: "escalate CASE", Short: "Escalate a case along the vendor's ladder", Args: cobra.ExactArgs(1),
		Long: "Escalates a case: by a message, or, with --told, by writing down that you have told them yourself. The\n" +
			"text is drafted from the record and opens in $EDITOR; --drafted takes it as it is. The answer is due by the\n" +
			"rung's time, counted from when the message left or the call was made. When it comes, record it with\n" +
			"roundhouse case call CASE --keeps rung-1, or give the entry that it came in with --answered.",
		Example: "  roundhouse case escalate C-1078 --rung 1 --drafted --reason \"Nobody answers the chase\"\n" +
			"  roundhouse case escalate C-1077 --rung 1 --told --text \"Told the shift lead that nobody has looked yet\" " +
			"--reason \"No word since this morning\" --answer \"Somebody will call back\" --promised \"A call back by 2h\"",
		RunE: func(cmd *cobra.Command, args []string) error {
			l, err := a.Load(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			if o.answered > 0 {
				return a.answered(cmd.Context(), l, o)
			}
			return a.raise(cmd.Context(), l, o)
		}}
	f := c.Flags()
	f.IntVar(&o.rung, "rung", 0, "the rung, from 1; the one advised if left out")
	f.StringVar(&o.reason, "reason", "", "why; required unless that rung is the one advised. Internal")
	f.StringVarP(&o.text, "text", "t", "", "what is said (- reads it from standard input)")
	f.BoolVar(&o.drafted, "drafted", false, "use the draft as it is")
	f.BoolVar(&o.told, "told", false, "you have told them yourself; nothing is sent")
	f.StringVar(&o.who, "who", "", "with --told, who it was, if not who the ladder names")
	f.StringVar(&o.at, "at", "", "with --told, when it was; now if left out")
	f.StringVar(&o.by, "how", "phone", "with --told, how: phone, chat, email or portal")
	f.StringVar(&o.answer, "answer", "", "with --told, what they answered at once")
	f.StringVar(&o.route, "by", "", "for a message: the channel, if not the usual one: api, portal, email, phone or chat")
	f.StringVar(&o.link, "link", "", "for a message: the link, if the vendor has several")
	f.StringVar(&o.move, "move", "", "whose move it is afterwards, if not the usual one: ours or theirs")
	f.BoolVar(&o.blind, "unseen", false, "send even if the vendor has written in the meantime")
	f.IntVar(&o.answered, "answered", 0, "the entry in which the answer came; ends the escalation")
	cases.DiscloseFlag(c, &o.disclose)
	o.dated.Promises(c)
	return c
}

func (a *Commands) raise(ctx context.Context, l cases.Loaded, o raise) error {
	switch {
	case !o.told && (o.who != "" || o.at != "" || o.answer != ""):
		return app.Usagef("--who, --at and --answer go with --told")
	case o.drafted && o.text != "":
		return app.Usagef("give --drafted or --text, not both")
	}
	ladder, err := a.read(ctx, l, o.rung)
	if err != nil {
		return err
	}
	draft := ladder.Draft
	switch {
	case len(ladder.Rungs) == 0:
		return &app.Refused{Text: l.Line.Vendor + " has no ladder yet: add its rungs with roundhouse vendor change " +
			l.Line.VendorKey + " --edit"}
	case draft == nil:
		return &app.Refused{Text: fmt.Sprintf("%s is %s: only a live case is escalated", l.Line.Number,
			words.Inline(words.States.Of(string(l.Line.State))))}
	}
	rung := ladder.Rungs[draft.Rung-1]
	text := draft.Text
	if !o.drafted {
		about := fmt.Sprintf("to %s (rung %d), %s\n%s  %s", called(rung.Role, rung.Name), rung.Rung, rung.How,
			l.Line.Number, l.Line.Title)
		if text, err = a.EditText(o.text, draft.Text, about); err != nil {
			return err
		}
	}
	body := clientgen.NewEscalation{Rung: draft.Rung, Text: text, Reason: app.Some(o.reason),
		Move: app.Some(clientgen.Side(o.move)), Channel: app.Some(clientgen.Channel(o.route)), Link: app.Some(o.link),
		DiscloseReason: app.Some(o.disclose)}
	if !o.blind {
		body.Seen = &l.Line.LastEntry
	}
	if o.told {
		at, err := a.When(ctx, o.at)
		if err != nil {
			return err
		}
		set, err := o.dated.Dates(ctx, a.App)
		if err != nil {
			return err
		}
		body.Told = &clientgen.ToldRung{Who: app.Some(o.who), At: at, By: app.Some(clientgen.ToldRungBy(o.by)),
			Answer: app.Some(o.answer), Dates: set}
	}
	res, err := l.RaiseRung(ctx, l.Line.Number, &clientgen.RaiseRungParams{IdempotencyKey: client.Key()}, body)
	e, _, err := client.Read[clientgen.Entry](l.Client, res, err)
	if err != nil && text != "" && text != o.text && text != draft.Text {
		return app.KeepText("text", text, err)
	} else if err != nil {
		return err
	}
	if a.Format == "json" {
		return a.Printer().JSON(e)
	}
	a.Said(l, e)
	after := "Escalated to %s (rung %d): see roundhouse case ladder %s."
	if e.Delivery != nil {
		after = "It counts as escalated to %s (rung %d) once it has arrived: see roundhouse case ladder %s."
	}
	a.Printer().Line(after, called(rung.Role, rung.Name), rung.Rung, l.Line.Number)
	return nil
}

// answered says in which entry the answer to the highest rung raised came.
func (a *Commands) answered(ctx context.Context, l cases.Loaded, o raise) error {
	item := ""
	for _, d := range app.Deref(l.Dates) {
		if d.Kind == "escalation" && d.EndedAt == nil && (o.rung == 0 || d.Item == fmt.Sprintf("rung-%d", o.rung)) {
			item = max(item, d.Item)
		}
	}
	if item == "" {
		return &app.Refused{Text: l.Line.Number + " is not waiting for an answer to an escalation"}
	}
	res, err := l.EndDate(ctx, l.Line.Number, item, &clientgen.EndDateParams{IdempotencyKey: client.Key()},
		clientgen.DateEnd{How: "kept", Entry: &o.answered, Text: app.Some(o.text)})
	e, _, err := client.Read[clientgen.Entry](l.Client, res, err)
	if err != nil {
		return err
	}
	if a.Format == "json" {
		return a.Printer().JSON(e)
	}
	a.Printer().Line("%s", e.Text)
	return nil
}

func (a *Commands) chase() *cobra.Command {
	var text, next string
	var drafted, blind bool
	var route cases.ByFlags
	var disclose string
	c := &cobra.Command{Use: "chase CASE", Short: "Ask the vendor for what it owes", Args: cobra.ExactArgs(1),
		Long: "Sends a message that asks the vendor for what it owes. It is drafted from the record and opens in $EDITOR;\n" +
			"--drafted sends it as it is. It asks for an answer by a date, which is when to chase next; each chase is counted.",
		Example: "  roundhouse case chase C-1078 --drafted\n" +
			"  roundhouse case chase C-1075 --text \"Any news of the trace?\" --next 4h",
		RunE: func(cmd *cobra.Command, args []string) error {
			ctx := cmd.Context()
			l, err := a.Load(ctx, args[0])
			if err != nil {
				return err
			}
			if drafted && text != "" {
				return app.Usagef("give --drafted or --text, not both")
			}
			res, err := l.DraftChase(ctx, l.Line.Number)
			draft, _, err := client.Read[clientgen.Chase](l.Client, res, err)
			if err != nil {
				return err
			}
			said := draft.Text
			if !drafted {
				if said, err = a.EditText(text, draft.Text, l.Line.Number+"  "+l.Line.Title+"\nwith "+l.Line.Vendor); err != nil {
					return err
				}
			}
			due := draft.By
			if next != "" {
				if due, err = a.When(ctx, next); err != nil {
					return err
				}
			}
			body := clientgen.NewMessage{Text: &said, Chases: new(true), Channel: route.Via(), Link: app.Some(route.Link),
				DiscloseReason: app.Some(disclose)}
			if !blind {
				body.Seen = &l.Line.LastEntry
			}
			if due != nil {
				body.Dates = &[]clientgen.NewDate{{Kind: "ask", Owed: new(clientgen.Side("theirs")), Text: &draft.Ask, Due: due}}
			}
			e, err := a.send(ctx, l, body)
			if err != nil && said != "" && said != text && said != draft.Text {
				return app.KeepText("text", said, err)
			} else if err != nil {
				return err
			}
			if a.Format == "json" {
				return a.Printer().JSON(e)
			}
			a.Said(l, e)
			if due != nil {
				a.Printer().Line("Chased %s since its last reply. Next: %s.", words.Times(draft.Chases+1),
					a.Times(ctx).Short(due))
			}
			return nil
		}}
	route.Add(c)
	cases.DiscloseFlag(c, &disclose)
	c.Flags().StringVarP(&text, "text", "t", "", "the text (- reads it from standard input)")
	c.Flags().BoolVar(&drafted, "drafted", false, "use the draft as it is")
	c.Flags().StringVar(&next, "next", "", "the time to ask for an answer by, if not the one proposed")
	c.Flags().BoolVar(&blind, "unseen", false, "send even if the vendor has written in the meantime")
	return c
}

func (a *Commands) send(ctx context.Context, l cases.Loaded, body clientgen.NewMessage) (clientgen.Entry, error) {
	res, err := l.SendMessage(ctx, l.Line.Number, &clientgen.SendMessageParams{IdempotencyKey: client.Key()}, body)
	e, _, err := client.Read[clientgen.Entry](l.Client, res, err)
	return e, err
}
