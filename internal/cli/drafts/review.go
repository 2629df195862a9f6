package drafts

import (
	"fmt"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	clicases "roundhouse.example/internal/cli/cases"
	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/core/words"
)

// caseCheck says what a draft lacks. It is refused where something is required, so that a script can ask.
func (a *Commands) caseCheck() *cobra.Command {
	return &cobra.Command{Use: "check CASE", Short: "Say what a draft still lacks, and why that matters",
		Long: "Says what a draft still lacks, the most important first. The exit status is 4 if something required is\n" +
			"missing, and 0 if the draft can be filed. For a filed case, it says what its description lacks and what the\n" +
			"vendor has not been told yet: complete it with roundhouse case edit.",
		Args: cobra.ExactArgs(1), Example: "  roundhouse case check C-1090",
		RunE: func(cmd *cobra.Command, args []string) error {
			l, err := a.Load(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			if s := l.Line.State; s == "resolved" || s == "closed" || s == "withdrawn" {
				return &app.Refused{Text: l.Line.Number + " has ended, so nothing in it can be completed"}
			}
			if a.Format != "json" {
				a.Needs(l.Case)
				a.Untold(l.Case)
				a.Earlier(l.Case, a.Times(cmd.Context()))
			} else if err := a.Printer().JSON(l.Needs); err != nil {
				return err
			}
			return lacking(l.Case)
		}}
}

// lacking is nil where a draft can be filed.
func lacking(c clientgen.Case) error {
	n := 0
	if c.Line.State != "draft" {
		return nil // it has been filed as it was
	}
	for _, x := range c.Needs {
		if x.Weight == clientgen.NeedWeightRequired {
			n++
		}
	}
	if n == 0 {
		return nil
	}
	verb := "are"
	if n == 1 {
		verb = "is"
	}
	return &app.Refused{Text: fmt.Sprintf("%s cannot be filed yet: %s %s missing", c.Line.Number,
		app.Number(n, "required thing"), verb)}
}

func (a *Commands) loadDraft(cmd *cobra.Command, name string) (clicases.Loaded, error) {
	l, err := a.Load(cmd.Context(), name)
	if err == nil && l.Line.State != "draft" {
		err = &app.Refused{Text: fmt.Sprintf("%s is no longer a draft; roundhouse case show %s shows what was filed",
			l.Line.Number, l.Line.Number)}
	}
	return l, err
}

// caseReview shows a draft as the vendor will get it, before anything leaves.
func (a *Commands) caseReview() *cobra.Command {
	var by clicases.ByFlags
	c := &cobra.Command{Use: "review CASE", Short: "Show a draft as the vendor will get it, and what filing it starts",
		Long: "Shows the text that the vendor will get, its channel, what is missing, and the deadlines that start if you\n" +
			"file it now. Nothing is sent.",
		Args: cobra.ExactArgs(1), Example: "  roundhouse case review C-1090\n  roundhouse case review C-1090 --by phone",
		RunE: func(cmd *cobra.Command, args []string) error {
			l, err := a.loadDraft(cmd, args[0])
			if err != nil {
				return err
			}
			if a.Format == "json" {
				return a.Printer().JSON(l.Case)
			}
			route, err := routeOf(by, l.Case)
			if err != nil {
				return err
			}
			a.showReview(l.Case, route, a.Times(cmd.Context()))
			return lacking(l.Case)
		}}
	by.Add(c)
	return c
}

// routeOf is the way that the flags ask for, or the usual one; nil where there is none.
func routeOf(b clicases.ByFlags, c clientgen.Case) (*clientgen.Route, error) {
	var known []string
	for _, r := range app.Deref(c.Routes) {
		if (b.By == "" || string(r.Channel) == b.By) && (b.Link == "" || app.Deref(r.Link) == b.Link) {
			return &r, nil
		}
		known = append(known, string(r.Channel))
	}
	if len(known) == 0 {
		return nil, nil
	}
	return nil, app.Usagef("%s cannot be filed that way, only by %s", c.Line.Number, strings.Join(known, ", "))
}

func (a *Commands) showReview(c clientgen.Case, route *clientgen.Route, times out.Times) {
	p := a.Printer()
	how, verb := "", "will be sent"
	if route != nil {
		how = " " + words.By(string(route.Channel))
		if to := app.Deref(route.To); to != "" {
			how += " to " + to
		}
		if !route.Automatic {
			verb = "is to be sent by you"
		}
	}
	level := ""
	if c.LevelHeld != nil {
		level = fmt.Sprintf(", at level %q", c.LevelHeld.Label)
	}
	p.Line("%s %s to %s%s%s.\n", c.Line.Number, verb, c.Line.Vendor, how, level)
	if route != nil && route.Open != nil && !*route.Open {
		p.Line("Nobody is there now; it opens %s.\n", times.Short(route.Until))
	}
	if route != nil && app.Deref(route.UrgentOnly) {
		p.Line("%s takes only urgent cases %s.\n", c.Line.Vendor, words.By(string(route.Channel)))
	}
	title, texts := c.Line.Title, []string{app.Deref(c.Preview)}
	if route != nil && route.Messages != nil {
		title, texts = app.Deref(route.Title), *route.Messages
		p.Line("%s", limitWords(*route))
	}
	p.Line("%s\n\n%s\n", title, strings.TrimSpace(texts[0]))
	for i, text := range texts[1:] {
		p.Line("--- message %d of %d ---\n%s\n", i+2, len(texts), strings.TrimSpace(text))
	}
	a.showPromised(c, route, times)
	a.Needs(c)
	a.Earlier(c, times)
	next := "roundhouse case file " + c.Line.Number
	if route != nil && !route.Automatic {
		p.Line("\nNext: %s makes it ready to send; the deadlines start when you mark it as sent.", next)
		return
	}
	p.Line("\nNext: %s sends it; the deadlines start once it has arrived.", next)
}

// limitWords says what a channel's limits make of a message.
func limitWords(r clientgen.Route) string {
	text := "The channel does not take it as it is"
	if n := len(app.Deref(r.Messages)); n > 1 {
		text += fmt.Sprintf(": it is sent as %d messages, one after the other", n)
	} else {
		text += ": it is changed as shown"
	}
	if n := app.Deref(r.Replaced); n > 0 {
		verb := "are"
		if n == 1 {
			verb = "is"
		}
		text += fmt.Sprintf("; %s it cannot carry %s replaced", app.Number(n, "character"), verb)
	}
	return text + ".\n"
}

// showPromised lists the vendor's deadlines that filing now would start, in the reader's time and the vendor's.
func (a *Commands) showPromised(c clientgen.Case, route *clientgen.Route, times out.Times) {
	p := a.Printer()
	zone, err := time.LoadLocation(app.Deref(c.VendorZone))
	if err != nil {
		zone = time.UTC
	}
	theirs := out.Times{Zone: zone, Now: times.Now}
	var rows [][]string
	took := ""
	for _, x := range app.Deref(c.Promised) {
		if route == nil || x.Channel == nil || *x.Channel != route.Channel {
			continue
		}
		rows = append(rows, []string{words.Deadlines.Of(string(x.Deadline)), words.Target(x.Target), times.Short(x.Due),
			theirs.Short(x.Due)})
		if n := app.Deref(x.TookCases); n > 0 {
			took = fmt.Sprintf("Half of the last %d cases were answered within %s, the slowest after %s.", n,
				words.Took(app.Deref(x.TookHalfSeconds)), words.Took(app.Deref(x.TookLongestSeconds)))
			if n == 1 {
				took = fmt.Sprintf("The last case like this was answered within %s.", words.Took(app.Deref(x.TookLongestSeconds)))
			}
		}
	}
	switch {
	case c.LevelHeld == nil:
		p.Line("The deadlines are known once the severity is.")
		return
	case len(rows) == 0:
		p.Line("No contract has a target for this level, so no deadline of the vendor starts.")
		return
	}
	p.Line("If it were filed now (times in %s, then in %s)", times.Name(), zone)
	p.Table([]out.Column{{Name: "deadline"}, {Name: "target"}, {Name: "due"}, {Name: "vendor time"}}, rows)
	if took != "" {
		p.Line("%s", took)
	}
	p.Line("")
}
