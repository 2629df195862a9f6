package cases

import (
	"fmt"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/core/disclosure"
)

func (a *Commands) onTheWay(c clientgen.Case) {
	for _, d := range c.OnTheWay {
		what := app.Deref(d.Step)
		if what == "" {
			what = "message"
		}
		if d.State == "to-send" {
			a.toCarry(c, d, what)
			continue
		}
		line := fmt.Sprintf("On its way (delivery %d): %s, %s after %d attempts", d.Id, what, d.State, d.Attempts)
		if d.Problem != nil {
			line += "; " + *d.Problem
		}
		a.Printer().Line("%s", line)
		if app.Deref(d.NeedsPerson) || d.State == "unsure" {
			a.Printer().Line("  decide with: roundhouse case decide %s %d arrived|send-again|send-yourself|dont-send",
				c.Line.Number, d.Id)
		}
	}
}

// toCarry shows what a person takes to the vendor, ready to be pasted or read out.
func (a *Commands) toCarry(c clientgen.Case, d clientgen.Delivery, what string) {
	p := a.Printer()
	p.Line("To be sent by you to %s, by %s (delivery %d: %s):", c.Line.Vendor, app.Deref(d.Channel), d.Id, what)
	for _, w := range app.Deref(d.Ways) {
		words := []string{"  " + w.Address}
		for _, s := range []*string{w.Area, w.Calendar} {
			if s != nil {
				words = append(words, *s)
			}
		}
		if app.Deref(w.Urgent) {
			words = append(words, "urgent matters")
		}
		p.Line("%s", strings.Join(words, ", "))
	}
	p.Line("")
	for _, line := range strings.Split(strings.TrimRight(app.Deref(d.Text), "\n"), "\n") {
		p.Line("  %s", line)
	}
	for _, name := range disclosure.Placeholders(app.Deref(d.Text)) {
		p.Line("\nIn place of %s say what this shows: roundhouse secret reveal %s --case %s", disclosure.Placeholder(name),
			name, c.Line.Number)
	}
	number := ""
	if c.Line.Reference == nil {
		number = " --reference THEIR-NUMBER"
	}
	p.Line("\nWhen it has been sent: roundhouse case sent %s%s", c.Line.Number, number)
	p.Line("If it is not to be sent: roundhouse case decide %s %d give-up", c.Line.Number, d.Id)
}

func (a *Commands) caseDecide() *cobra.Command {
	var reference, at, by string
	c := &cobra.Command{Use: "decide CASE DELIVERY arrived|send-again|send-yourself|dont-send",
		Short: "Decide about something that may or may not have reached the vendor", Args: cobra.ExactArgs(3),
		Example: "  roundhouse case decide C-1001 7 arrived --reference CV-20417",
		RunE: func(cmd *cobra.Command, args []string) error {
			var id int64
			if _, err := fmt.Sscan(args[1], &id); err != nil {
				return app.Usagef("%q is not a delivery's number; case show lists those on their way", args[1])
			}
			word := clientgen.DecisionDecision(args[2])
			if !word.Valid() {
				return app.Usagef("decide arrived, send-again, send-yourself or dont-send, not %q", args[2])
			}
			t, err := app.When(at, time.Now())
			if err != nil {
				return err
			}
			c, err := a.Client()
			if err != nil {
				return err
			}
			res, err := c.DecideDelivery(cmd.Context(), args[0], id,
				&clientgen.DecideDeliveryParams{IdempotencyKey: client.Key()},
				clientgen.Decision{Decision: word, Reference: app.Some(reference), At: t,
					Channel: app.Some(clientgen.DecisionChannel(by))})
			v, _, err := client.Read[clientgen.Case](c, res, err)
			if err != nil {
				return err
			}
			return a.afterStep(v)
		}}
	c.Flags().StringVar(&reference, "reference", "", "the vendor's number, where a filing arrived")
	c.Flags().StringVar(&at, "at", "", "when it arrived")
	c.Flags().StringVar(&by, "by", "", "of send-yourself: portal, email, phone or chat")
	return c
}

func (a *Commands) caseSent() *cobra.Command {
	var reference, at string
	c := &cobra.Command{Use: "sent CASE", Short: "Mark as sent what you were to send to the vendor",
		Args: cobra.ExactArgs(1),
		Long: "Says that you have sent the vendor what was waiting for you. From then on it counts: the move is " +
			"theirs\nand their clocks run. Where several wait, the oldest is meant.",
		Example: "  roundhouse case sent C-1001 --reference 77-20417\n" +
			"  roundhouse case sent C-1001 --at \"2026-12-01 10:20\"",
		RunE: func(cmd *cobra.Command, args []string) error {
			t, err := app.When(at, time.Now())
			if err != nil {
				return err
			}
			l, err := a.load(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			for _, d := range l.OnTheWay {
				if d.State != "to-send" {
					continue
				}
				res, err := l.DecideDelivery(cmd.Context(), l.Line.Number, d.Id,
					&clientgen.DecideDeliveryParams{IdempotencyKey: client.Key()},
					clientgen.Decision{Decision: "arrived", Reference: app.Some(reference), At: t})
				v, _, err := client.Read[clientgen.Case](l.Client, res, err)
				if err != nil {
					return err
				}
				if err := a.afterStep(v); err != nil {
					return err
				}
				if v.Line.Reference == nil {
					a.Printer().Line("The vendor's number is not known yet. Add it when you have it: roundhouse case reference "+
						"%s THEIR-NUMBER", l.Line.Number)
				}
				return nil
			}
			if reference != "" && l.Line.Reference == nil {
				return &app.Refused{Text: fmt.Sprintf("nothing of %s waits to be sent by you any more; to add the vendor's "+
					"number: roundhouse case reference %s %s", l.Line.Number, l.Line.Number, reference)}
			}
			if l.Line.Reference == nil && l.Line.State != "draft" {
				return &app.Refused{Text: fmt.Sprintf("nothing of %s waits to be sent by you any more; the vendor's number is "+
					"still missing, add it when you have it: roundhouse case reference %s THEIR-NUMBER", l.Line.Number, l.Line.Number)}
			}
			return &app.Refused{Text: fmt.Sprintf("nothing of %s waits to be sent by you; roundhouse case show %s says "+
				"what is on its way", l.Line.Number, l.Line.Number)}
		}}
	c.Flags().StringVar(&reference, "reference", "", "the number that the vendor gave it")
	c.Flags().StringVar(&at, "at", "", "when it was sent; now if not said")
	return c
}

func (a *Commands) caseReference() *cobra.Command {
	return &cobra.Command{Use: "reference CASE NUMBER",
		Short: "Write down or correct the vendor's number of a filed case", Args: cobra.ExactArgs(2),
		Example: "  roundhouse case reference C-1001 77-20417",
		RunE: func(cmd *cobra.Command, args []string) error {
			l, err := a.load(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			res, err := l.ChangeCaseWithApplicationMergePatchPlusJSONBody(cmd.Context(), l.Line.Number,
				&clientgen.ChangeCaseParams{IfMatch: &l.etag}, clientgen.CaseChange{Reference: &args[1]})
			v, _, err := client.Read[clientgen.Case](l.Client, res, err)
			if err != nil {
				return err
			}
			if v.Line.Reference != nil && a.Format == "table" {
				a.Printer().Line("%s is %s at %s.", v.Line.Number, *v.Line.Reference, v.Line.Vendor)
			}
			return a.afterStep(v)
		}}
}
