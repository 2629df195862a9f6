package cases

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/core/disclosure"
	"roundhouse.example/internal/core/files"
	"roundhouse.example/internal/core/words"
)

func (a *Commands) onTheWay(c clientgen.Case) {
	for _, d := range c.OnTheWay {
		what := words.EntryKinds.Of("message")
		switch {
		case app.Deref(d.OnlyFiles):
			what = enclosed(app.Deref(d.Files))
		case d.Step != nil:
			what = words.Steps.Of(*d.Step)
		}
		if d.State == "to-send" {
			a.toSend(c, d, what)
			continue
		}
		line := fmt.Sprintf("%s (delivery %d): %s", what, d.Id, words.Deliveries.Of(string(d.State)))
		if d.Attempts > 1 {
			line += fmt.Sprintf(" after %d attempts", d.Attempts)
		}
		if d.Problem != nil {
			line += "; " + *d.Problem
		}
		a.Printer().Line("%s", line)
		if app.Deref(d.NeedsPerson) || d.State == "unsure" {
			a.Printer().Line("  decide with: roundhouse case decide %s arrived|send-again|send-yourself|dont-send%s",
				c.Line.Number, among(c, d))
		}
	}
}

// enclosed names files that go with something: file 1, app.log.
func enclosed(files []clientgen.EnclosedFile) string {
	var names []string
	for _, f := range files {
		names = append(names, fmt.Sprintf("file %d, %s", f.Number, app.FirstOf(app.Deref(f.Name), "a sensitive file")))
	}
	return app.Capital(strings.Join(names, "; "))
}

// among names a delivery to the command decide, where the case has several.
func among(c clientgen.Case, d clientgen.Delivery) string {
	if len(c.OnTheWay) < 2 {
		return ""
	}
	return fmt.Sprintf(" --delivery %d", d.Id)
}

// toSend shows what a person sends to the vendor, ready to be pasted or read out.
func (a *Commands) toSend(c clientgen.Case, d clientgen.Delivery, what string) {
	p := a.Printer()
	p.Line("To be sent by you to %s, %s (delivery %d: %s):", c.Line.Vendor, words.By(string(app.Deref(d.Channel))), d.Id,
		words.Inline(what))
	for _, w := range app.Deref(d.Ways) {
		line := []string{"  " + w.Address}
		for _, s := range []*string{w.Area, w.Calendar} {
			if s != nil {
				line = append(line, *s)
			}
		}
		if app.Deref(w.Urgent) {
			line = append(line, "urgent only")
		}
		p.Line("%s", strings.Join(line, ", "))
	}
	p.Line("")
	for _, line := range strings.Split(strings.TrimRight(app.Deref(d.Text), "\n"), "\n") {
		p.Line("  %s", line)
	}
	for _, name := range disclosure.Placeholders(app.Deref(d.Text)) {
		p.Line("\nReplace %s with what this shows: roundhouse secret reveal %s --case %s", disclosure.Placeholder(name),
			name, c.Line.Number)
	}
	if list := app.Deref(d.Files); len(list) > 0 {
		p.Line("\nSend with it, in this order (roundhouse case fetch %s FILE saves one):", c.Line.Number)
		for _, f := range list {
			p.Line("  %s (%s)", enclosed([]clientgen.EnclosedFile{f}), files.Bytes(f.Bytes))
		}
	}
	number := ""
	if c.Line.Reference == nil {
		number = " --reference VENDOR-REFERENCE"
	}
	p.Line("\nWhen you have sent it: roundhouse case sent %s%s", c.Line.Number, number)
	p.Line("If it should not be sent: roundhouse case decide %s dont-send%s", c.Line.Number, among(c, d))
}

func (a *Commands) caseDecide() *cobra.Command {
	var reference, at, by, reason string
	var delivery int64
	c := &cobra.Command{Use: "decide CASE arrived|send-again|send-yourself|dont-send|refused",
		Short: "Decide what to do with a delivery that may not have arrived", Args: cobra.ExactArgs(2),
		Example: "  roundhouse case decide C-1093 dont-send\n  roundhouse case decide C-1093 arrived --reference PT-40733",
		RunE: func(cmd *cobra.Command, args []string) error {
			word := clientgen.DecisionDecision(args[1])
			if !word.Valid() {
				return app.Usagef("the decision must be arrived, send-again, send-yourself, dont-send or refused, not %q", args[1])
			}
			t, err := a.When(cmd.Context(), at)
			if err != nil {
				return err
			}
			l, err := a.Load(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			id, err := l.undecided(delivery)
			if err != nil {
				return err
			}
			res, err := l.DecideDelivery(cmd.Context(), l.Line.Number, id,
				&clientgen.DecideDeliveryParams{IdempotencyKey: client.Key()},
				clientgen.Decision{Decision: word, Reason: app.Some(reason), Reference: app.Some(reference), At: t,
					Channel: app.Some(clientgen.DecisionChannel(by))})
			v, _, err := client.Read[clientgen.Case](l.Client, res, err)
			if err != nil {
				return err
			}
			return a.AfterStep(v)
		}}
	c.Flags().Int64Var(&delivery, "delivery", 0, "the number of the delivery, if there are several")
	c.Flags().StringVar(&reference, "reference", "", "the vendor reference, if a filing arrived")
	c.Flags().StringVar(&at, "at", "", "when it arrived")
	c.Flags().StringVarP(&reason, "text", "t", "", "for refused, what the vendor said when it refused to reopen the case")
	c.Flags().StringVar(&by, "by", "", "for send-yourself: portal, email, phone or chat")
	return c
}

// undecided is the delivery that is named, or the only one that there is.
func (l Loaded) undecided(named int64) (int64, error) {
	var ids []string
	for _, d := range l.OnTheWay {
		if d.Id == named || named == 0 && len(l.OnTheWay) == 1 {
			return d.Id, nil
		}
		ids = append(ids, fmt.Sprint(d.Id))
	}
	switch {
	case len(ids) == 0:
		return 0, &app.Refused{Text: fmt.Sprintf("nothing in %s is being sent, so there is nothing to decide", l.Line.Number)}
	case named == 0:
		return 0, app.Usagef("%s has several deliveries: name one with --delivery: %s", l.Line.Number,
			strings.Join(ids, ", "))
	}
	return 0, &app.Missing{Text: fmt.Sprintf("%s has no delivery %d; it has %s", l.Line.Number, named,
		strings.Join(ids, ", "))}
}

func (a *Commands) caseSent() *cobra.Command {
	var reference, at string
	c := &cobra.Command{Use: "sent CASE", Short: "Mark as sent what you sent to the vendor yourself",
		Args: cobra.ExactArgs(1),
		Long: "Marks the message that you sent yourself as sent. From then on the case waits on the vendor and\nits " +
			"clocks run. If several are to be sent, this marks the oldest.",
		Example: "  roundhouse case sent C-1093 --reference PT-40733\n" +
			"  roundhouse case sent C-1093 --at \"20m ago\"",
		RunE: func(cmd *cobra.Command, args []string) error {
			t, err := a.When(cmd.Context(), at)
			if err != nil {
				return err
			}
			l, err := a.Load(cmd.Context(), args[0])
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
				if err := a.AfterStep(v); err != nil {
					return err
				}
				if v.Line.Reference == nil {
					a.Printer().Line("There is no vendor reference yet. Add it when you have it: roundhouse case reference "+
						"%s VENDOR-REFERENCE", l.Line.Number)
				}
				return nil
			}
			if reference != "" && l.Line.Reference == nil {
				return &app.Refused{Text: fmt.Sprintf("you have nothing more to send in %s; to add the vendor "+
					"reference: roundhouse case reference %s %s", l.Line.Number, l.Line.Number, reference)}
			}
			if l.Line.Reference == nil && l.Line.State != "draft" {
				return &app.Refused{Text: fmt.Sprintf("you have nothing more to send in %s; the vendor reference is "+
					"still missing, add it when you have it: roundhouse case reference %s VENDOR-REFERENCE", l.Line.Number,
					l.Line.Number)}
			}
			return &app.Refused{Text: fmt.Sprintf("you have nothing to send in %s; roundhouse case show %s shows "+
				"what is being sent", l.Line.Number, l.Line.Number)}
		}}
	c.Flags().StringVar(&reference, "reference", "", "the vendor reference")
	c.Flags().StringVar(&at, "at", "", "when it was sent; now if left out")
	return c
}

func (a *Commands) caseReference() *cobra.Command {
	var of string
	b := clientgen.ReferenceChange{Whose: new(clientgen.ReferenceOwner), Role: new(clientgen.ReferenceRole),
		Keep: new(bool), Remove: new(bool)}
	c := &cobra.Command{Use: "reference CASE NUMBER",
		Short: "Add, correct or remove a number that somebody gave a case", Args: cobra.ExactArgs(2),
		Example: "  roundhouse case reference C-1092 PT-40719\n" +
			"  roundhouse case reference C-1085 BW-5521 --whose reseller --of Brackwater\n" +
			"  roundhouse case reference C-1085 BW-5521 --whose reseller --remove",
		RunE: func(cmd *cobra.Command, args []string) error {
			l, err := a.Load(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			b.Value, b.Of = args[1], app.Some(of)
			res, err := l.SetReference(cmd.Context(), l.Line.Number,
				&clientgen.SetReferenceParams{IdempotencyKey: client.Key()}, b)
			v, _, err := client.Read[clientgen.Case](l.Client, res, err)
			if err != nil {
				return err
			}
			if a.Format == "table" {
				a.Printer().Line("%s is known by:", v.Line.Number)
				for _, r := range v.References {
					a.Printer().Line("  %s: %s", words.Reference(string(r.Whose), string(r.Role), app.Deref(r.Of)), r.Value)
				}
			}
			return a.AfterStep(v)
		}}
	f := c.Flags()
	f.StringVar((*string)(b.Whose), "whose", "vendor", "vendor, ours, reseller, other-vendor or upload")
	f.StringVar((*string)(b.Role), "role", "current", "current, former or merged-into")
	f.StringVar(&of, "of", "", "the name of the company that it belongs to, such as a reseller")
	f.BoolVar(b.Keep, "keep", false, "keep the number that was current as a former one")
	f.BoolVar(b.Remove, "remove", false, "remove the number")
	return c
}

// Said says what has become of a message, a note or a call that was written.
func (a *Commands) Said(l Loaded, e clientgen.Entry) {
	what := "Entry %d of %s is being sent to " + l.Line.Vendor + "."
	switch {
	case e.Delivery == nil:
		what = "Entry %d of %s is saved."
	case e.Delivery.State == "to-send":
		what = "Entry %d of %s is to be sent by you to " + l.Line.Vendor + ", " +
			words.By(app.Deref((*string)(e.Delivery.Channel))) + ": see roundhouse case show " + l.Line.Number + "."
	}
	a.Printer().Line(what, e.Number, l.Line.Number)
	if e.Warning != nil {
		a.Printer().Line("Warning: %s", *e.Warning)
	}
}

// briefedWords say whom a briefing was for, and whether it has left.
func briefedWords(b *clientgen.Briefed) string {
	if b == nil {
		return ""
	}
	text := "to " + strings.Join(b.To, ", ")
	switch {
	case b.Copied:
		return text + ", not emailed from here"
	case app.Deref(b.Lost) > 0:
		return text + fmt.Sprintf(": %d of %d emails could not be sent (%s)", *b.Lost, len(b.To), app.Deref(b.Problem))
	case app.Deref(b.Sent) < len(b.To):
		return text + fmt.Sprintf(": %d of %d emails sent", app.Deref(b.Sent), len(b.To))
	}
	return text + ", emailed"
}
