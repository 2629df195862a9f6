package cases

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
)

// step is a command that takes one step.
type step struct {
	use, short, example string
	step                clientgen.StepStep
	reason              bool // takes --text
	flags               func(*cobra.Command, *stepFlags)
	fill                func(*clientgen.Step, *stepFlags, loaded, []string) error
	args                int
}

type stepFlags struct {
	text, cause, until, offers, why string
	byFlags
	contact        string
	agreed, attest bool
	entry          int
}

var steps = []step{
	{use: "file CASE", short: "File a draft with its vendor", step: "file", flags: func(c *cobra.Command, f *stepFlags) {
		f.byFlags.add(c)
	}, example: "roundhouse case file C-1001\n  roundhouse case file C-1001 --by phone"},
	{use: "accept CASE", short: "Accept the fix that was offered; the case is resolved", step: "accept-fix", reason: true,
		flags: causeFlag, example: "roundhouse case accept C-1001 --text \"Holds since two nights\""},
	{use: "reject CASE", short: "Reject the fix (or --workaround) that was offered", step: "reject-fix", reason: true,
		flags: func(c *cobra.Command, f *stepFlags) {
			c.Flags().BoolVar(&f.agreed, "workaround", false, "reject the workaround instead of the fix")
		}, fill: func(s *clientgen.Step, f *stepFlags, _ loaded, _ []string) error {
			if f.agreed {
				s.Step = "reject-workaround"
			}
			return nil
		}, example: "roundhouse case reject C-1001 --text \"The same again after twenty minutes\""},
	{use: "resolve CASE", short: "Say that it is solved otherwise than by their fix", step: "resolve", reason: true,
		flags: causeFlag, example: "roundhouse case resolve C-1001 --text \"It was our own change\""},
	{use: "close CASE", short: "Close a case", step: "close", reason: true, example: "roundhouse case close C-1001"},
	{use: "reopen CASE", short: "Open a resolved or closed case again", step: "reopen", reason: true,
		example: "roundhouse case reopen C-1001 --text \"It is back\""},
	{use: "withdraw CASE", short: "Take a case back", step: "withdraw", reason: true,
		example: "roundhouse case withdraw C-1001 --text \"Opened by mistake\""},
	{use: "dispute CASE", short: "Disagree with a vendor who has closed it", step: "dispute", reason: true,
		example: "roundhouse case dispute C-1001 --text \"Still the same\""},
	{use: "park CASE", short: "Set a case aside until a date", step: "park", reason: true,
		flags: func(c *cobra.Command, f *stepFlags) {
			c.Flags().StringVar(&f.until, "until", "", "when it comes back: 2026-12-01T08:00:00Z, \"2026-12-01 08:00\", 2d")
			c.Flags().BoolVar(&f.agreed, "agreed", false, "the vendor has agreed, so its clocks stop too")
		}, fill: func(s *clientgen.Step, f *stepFlags, _ loaded, _ []string) (err error) {
			s.Agreed = app.Some(f.agreed)
			s.Until, err = app.When(f.until, time.Now())
			if err == nil && s.Until == nil {
				err = app.Usagef("say until when with --until")
			}
			return err
		}, example: "roundhouse case park C-1001 --until 2d --text \"Waits for the change window\""},
	{use: "return CASE", short: "Take a parked case up again", step: "return", reason: true,
		example: "roundhouse case return C-1001"},
	{use: "take CASE", short: "Become the owner of a case", step: "take", example: "roundhouse case take C-1001"},
	{use: "give CASE EMAIL", short: "Make a colleague the owner of a case", step: "give", args: 1,
		fill: func(s *clientgen.Step, _ *stepFlags, _ loaded, args []string) error {
			s.Person = &args[1]
			return nil
		}, example: "roundhouse case give C-1001 emil@saltmarsh.example"},
	{use: "severity CASE LEVEL", short: "Change our severity of a live case", step: "change-severity", reason: true,
		args: 1, fill: toNumber, example: "roundhouse case severity C-1001 1 --text \"Now every gate\""},
	{use: "level CASE LEVEL", short: "Ask the vendor for another level, by label or rank", step: "change-level",
		reason: true, args: 1, flags: func(c *cobra.Command, f *stepFlags) {
			c.Flags().BoolVar(&f.attest, "attest", false, "confirm all conditions of that level; vendor show lists them")
			c.Flags().StringVar(&f.contact, "contact-always", "", "who can be reached round the clock, where the level needs it")
		}, fill: toLevel, example: "roundhouse case level C-1001 Alarm --text \"Now the whole region\" --attest " +
			"--contact-always \"Duty phone +44 1632 960 004\""},
	{use: "attest CASE [CRITERION]", short: "Stand for a condition of the vendor's level, or for all of them",
		step: "attest", args: -1, example: "roundhouse case attest C-1001"},
	{use: "offered CASE ENTRY", short: "Mark that a message offered a workaround or a fix", step: "mark-offer", args: 1,
		flags: func(c *cobra.Command, f *stepFlags) {
			c.Flags().StringVar(&f.offers, "what", "fix", "workaround or fix")
		}, fill: func(s *clientgen.Step, f *stepFlags, _ loaded, args []string) error {
			s.Offers = app.Some(clientgen.StepOffers(f.offers))
			var n int
			if _, err := fmt.Sscan(args[1], &n); err != nil {
				return app.Usagef("%q is not an entry's number", args[1])
			}
			s.Entry = &n
			return nil
		}, example: "roundhouse case offered C-1001 7 --what workaround"},
	{use: "move CASE ours|theirs", short: "Say whose move it is", step: "give-move", reason: true, args: 1,
		fill: func(s *clientgen.Step, _ *stepFlags, _ loaded, args []string) error {
			s.Move = app.Some(clientgen.Side(args[1]))
			return nil
		}, example: "roundhouse case move C-1001 theirs"},
}

// byFlags name the way to the vendor; its usual one is taken otherwise.
type byFlags struct{ by, link string }

func (f *byFlags) add(c *cobra.Command) {
	c.Flags().StringVar(&f.by, "by", "",
		"by which channel, where not by the usual one: api, portal, email, phone or chat; for all but api you send it "+
			"yourself")
	c.Flags().StringVar(&f.link, "link", "", "by which link, where the vendor has several")
}

func (f *byFlags) channel() *clientgen.Channel { return app.Some(clientgen.Channel(f.by)) }

func causeFlag(c *cobra.Command, f *stepFlags) {
	c.Flags().StringVar(&f.cause, "cause", "", "what it was")
}

// toLevel names a level of the vendor's, and confirms its conditions where that is said.
func toLevel(s *clientgen.Step, f *stepFlags, l loaded, args []string) error {
	levels, err := l.levels(context.Background())
	if err != nil {
		return err
	}
	s.Contact = app.Some(f.contact)
	for _, x := range levels {
		if !strings.EqualFold(x.Label, args[1]) && fmt.Sprint(x.Rank) != args[1] {
			continue
		}
		s.To = &x.Rank
		if f.attest && len(x.Criteria) > 0 {
			ids := []int64{}
			for _, k := range x.Criteria {
				ids = append(ids, k.Id)
			}
			s.Confirmed = &ids
		}
		return nil
	}
	return toNumber(s, f, l, args)
}

func (l loaded) levels(ctx context.Context) ([]clientgen.Level, error) {
	res, err := l.GetVendor(ctx, l.Line.VendorKey)
	v, _, err := client.Read[clientgen.Vendor](l.Client, res, err)
	return v.Levels, err
}

func toNumber(s *clientgen.Step, _ *stepFlags, _ loaded, args []string) error {
	var n int
	if _, err := fmt.Sscan(args[1], &n); err != nil || n < 1 {
		return app.Usagef("%q is neither a number nor a label of this vendor's", args[1])
	}
	s.To = &n
	return nil
}

func (a *Commands) stepCommand(s step) *cobra.Command {
	var f stepFlags
	args := cobra.ExactArgs(1 + max(s.args, 0))
	if s.args < 0 {
		args = cobra.RangeArgs(1, 2)
	}
	c := &cobra.Command{Use: s.use, Short: s.short, Args: args, Example: "  " + s.example,
		RunE: func(cmd *cobra.Command, args []string) error {
			l, err := a.load(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			if s.step == "attest" {
				return a.attest(cmd.Context(), l, args)
			}
			body := clientgen.Step{Step: s.step, Cause: app.Some(f.cause), Channel: f.channel(), Link: app.Some(f.link)}
			if s.reason && f.text != "" {
				text, err := a.ReadText(f.text, "")
				if err != nil {
					return err
				}
				body.Reason = &text
			}
			if s.fill != nil {
				if err := s.fill(&body, &f, l, args); err != nil {
					return err
				}
			}
			after, err := l.take(cmd.Context(), body)
			if err != nil && f.text == "-" && body.Reason != nil {
				return app.KeepText(*body.Reason, err)
			} else if err != nil {
				return err
			}
			return a.afterStep(after)
		}}
	if s.reason {
		if s.step != "change-severity" && s.step != "give-move" {
			f.byFlags.add(c)
		}
		c.Flags().StringVarP(&f.text, "text", "t", "",
			"why; the vendor is told it where the vendor is told (- reads it from standard input)")
	}
	if s.flags != nil {
		s.flags(c, &f)
	}
	return c
}

// retakes is how often a step is tried again whose case changed between our reading it and the step.
const retakes = 3

// take does a step. The case was read a moment ago by the command itself and not by a person, so that one that has
// changed since is read again: whether the step is allowed then, the service says.
func (l *loaded) take(ctx context.Context, body clientgen.Step) (clientgen.Case, error) {
	for tries := 0; ; tries++ {
		res, err := l.TakeStep(ctx, l.Line.Number, &clientgen.TakeStepParams{IfMatch: &l.etag, IdempotencyKey: client.Key()},
			body)
		after, etag, err := client.Read[clientgen.Case](l.Client, res, err)
		var p *client.Problem
		switch {
		case err == nil:
			l.etag = etag
			return after, nil
		case !errors.As(err, &p) || p.Kind() != "stale" || tries == retakes:
			return after, err
		}
		res, err = l.GetCase(ctx, l.Line.Number)
		if l.Case, l.etag, err = client.Read[clientgen.Case](l.Client, res, err); err != nil {
			return after, err
		}
	}
}

func (a *Commands) attest(ctx context.Context, l loaded, args []string) error {
	if l.LevelHeld == nil || len(l.LevelHeld.Criteria) == 0 {
		a.Printer().Line("Nothing is to be confirmed: this level has no conditions.")
		return nil
	}
	after := l.Case
	for i, c := range l.LevelHeld.Criteria {
		if c.AttestedBy != nil || len(args) == 2 && args[1] != fmt.Sprint(c.Id) && args[1] != fmt.Sprint(i+1) {
			continue
		}
		var err error
		if after, err = l.take(ctx, clientgen.Step{Step: "attest", Criterion: &c.Id}); err != nil {
			return err
		}
		if a.Format != "json" {
			a.Printer().Line("Confirmed: %s", c.Text)
		}
	}
	if a.Format == "json" {
		return a.Printer().JSON(after)
	}
	return nil
}

// afterStep says where the case stands now, and what is still on its way.
func (a *Commands) afterStep(c clientgen.Case) error {
	p := a.Printer()
	if a.Format == "json" {
		return p.JSON(c)
	}
	l := c.Line
	words := []string{string(l.State)}
	if l.Severity != nil {
		words = append(words, "severity "+SeverityText(l))
	}
	if l.Move != nil {
		words = append(words, out.Move(string(*l.Move)))
	}
	if l.Owner != nil {
		words = append(words, "owned by "+*l.Owner)
	}
	p.Line("%s  %s\n%s", l.Number, l.Title, strings.Join(words, ", "))
	a.onTheWay(c)
	for _, n := range c.Needs {
		p.Line("%-4s  %s", n.Weight, n.Text)
	}
	return nil
}
