package cases

import (
	"context"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/core/words"
)

// step is a command that takes one step.
type step struct {
	use, short, example string
	step                clientgen.StepStep
	reason              bool // takes --text
	flags               func(*cobra.Command, *stepFlags)
	fill                func(*clientgen.Step, *stepFlags, Loaded, []string) error
	args                int
}

type stepFlags struct {
	disclose                        string
	text, cause, until, offers, why string
	ByFlags
	app.FileFlags
	contact           string
	on, name, summary string
	agreed, confirm   bool
	anyway            bool
	entry             int
	// when reads an instant, in the reader's zone where it names none.
	when func(string) (*time.Time, error)
}

var steps = []step{
	{use: "file CASE", short: "File a draft with its vendor", step: "file", flags: func(c *cobra.Command, f *stepFlags) {
		f.ByFlags.Add(c)
		f.FileFlags.Add(c)
		DiscloseFlag(c, &f.disclose)
	}, example: "roundhouse case file C-1090\n  roundhouse case file C-1090 --by phone"},
	{use: "accept CASE", short: "Accept the fix; the case is resolved", step: "accept", reason: true,
		flags: causeFlag, example: "roundhouse case accept C-1077 --text \"Has held for two nights\""},
	{use: "reject CASE", short: "Reject the fix", step: "reject", reason: true,
		example: "roundhouse case reject C-1077 --text \"It failed again after twenty minutes\""},
	{use: "reject-workaround CASE", short: "Reject the workaround", step: "reject-workaround", reason: true,
		example: "roundhouse case reject-workaround C-1073 --text \"It fails under load\""},
	{use: "resolve CASE", short: "Resolve a case that was solved without a fix from the vendor", step: "resolve",
		reason: true,
		flags:  causeFlag, example: "roundhouse case resolve C-1081 --text \"It was our own change\""},
	{use: "close CASE", short: "Close a case", step: "close", reason: true, example: "roundhouse case close C-1071"},
	{use: "reopen CASE", short: "Reopen a resolved or closed case", step: "reopen", reason: true, flags: anywayFlag,
		example: "roundhouse case reopen C-1071 --text \"It is back\""},
	{use: "withdraw CASE", short: "Withdraw a case; it ends for good", step: "withdraw", reason: true,
		example: "roundhouse case withdraw C-1087 --text \"Opened by mistake\""},
	{use: "dispute CASE", short: "Disagree with a vendor that closed the case", step: "dispute", reason: true,
		flags: anywayFlag, example: "roundhouse case dispute C-1076 --text \"It still fails\""},
	{use: "park CASE", short: "Park a case until a date", step: "park", reason: true,
		flags: func(c *cobra.Command, f *stepFlags) {
			c.Flags().StringVar(&f.until, "until", "", "when it resumes: 2026-12-01T08:00:00Z, \"2026-12-01 08:00\" or 2d")
			c.Flags().BoolVar(&f.agreed, "agreed", false, "the vendor has agreed, so its clocks stop too")
		}, fill: func(s *clientgen.Step, f *stepFlags, _ Loaded, _ []string) (err error) {
			s.Agreed = app.Some(f.agreed)
			s.Until, err = f.when(f.until)
			if err == nil && s.Until == nil {
				err = app.Usagef("--until is missing: say when the case resumes")
			}
			return err
		}, example: "roundhouse case park C-1081 --until 2d --text \"Waiting for the change window\""},
	{use: "resume CASE", short: "Resume a parked case", step: "resume", reason: true,
		example: "roundhouse case resume C-1073"},
	{use: "take CASE", short: "Become the owner of a case", step: "take", example: "roundhouse case take C-1075"},
	{use: "give CASE EMAIL", short: "Hand a case over to a colleague", step: "give", args: 1,
		flags: func(c *cobra.Command, f *stepFlags) {
			c.Flags().StringVarP(&f.summary, "summary", "t", "",
				"where it stands; your colleague sees it at the top of the case")
		},
		fill: func(s *clientgen.Step, f *stepFlags, _ Loaded, args []string) error {
			s.Person, s.Summary = &args[1], app.Some(f.summary)
			return nil
		}, example: "roundhouse case give C-1079 emil@saltmarsh.example " +
			"--summary \"They are looking at the log until Friday\""},
	{use: "severity CASE SEVERITY", short: "Change the severity of a live case", step: "severity", reason: true,
		args: 1, fill: toNumber, example: "roundhouse case severity C-1086 1 --text \"Now every gate is affected\""},
	{use: "level CASE LEVEL", short: "Ask the vendor for another level, by its label or rank", step: "level",
		reason: true, args: 1, flags: func(c *cobra.Command, f *stepFlags) {
			c.Flags().BoolVar(&f.confirm, "confirm", false,
				"confirm all conditions of that level; roundhouse vendor show lists them")
			c.Flags().StringVar(&f.contact, "contact-always", "", "who can be reached round the clock, if the level needs it;\n"+
				"whoever is on the rota if left out")
		}, fill: toLevel, example: "roundhouse case level C-1086 Alarm --text \"The whole region is down\" --confirm " +
			"--contact-always \"Duty phone +44 1632 960 004\""},
	{use: "confirm CASE [CONDITION]", short: "Confirm one condition of the vendor level, or all of them",
		step: "confirm", args: -1, example: "roundhouse case confirm C-1085"},
	{use: "offered CASE ENTRY", short: "Mark a message as offering a workaround or a fix", step: "offered", args: 1,
		flags: func(c *cobra.Command, f *stepFlags) {
			c.Flags().StringVar(&f.offers, "what", "fix", "workaround or fix")
		}, fill: func(s *clientgen.Step, f *stepFlags, _ Loaded, args []string) error {
			s.Offers = app.Some(clientgen.StepOffers(f.offers))
			var n int
			if _, err := fmt.Sscan(args[1], &n); err != nil {
				return app.Usagef("%q is not the number of an entry; roundhouse case show lists them", args[1])
			}
			s.Entry = &n
			return nil
		}, example: "roundhouse case offered C-1084 5 --what workaround"},
	{use: "move CASE ours|theirs", short: "Change who the case waits on: us (ours) or the vendor (theirs)", step: "move",
		reason: true, args: 1, flags: func(c *cobra.Command, f *stepFlags) {
			c.Flags().StringVar(&f.on, "on", "", "who exactly: vendor, partner or carrier; desk, requester or person\n"+
				"(somebody whose consent is needed)")
			c.Flags().StringVar(&f.name, "name", "", "the name of the partner, the carrier or the person")
		},
		fill: func(s *clientgen.Step, f *stepFlags, _ Loaded, args []string) error {
			s.Move = app.Some(clientgen.Side(args[1]))
			s.WaitsOn, s.WaitsOnName = app.Some(clientgen.Whom(f.on)), app.Some(f.name)
			return nil
		}, example: "roundhouse case move C-1075 theirs\n" +
			"  roundhouse case move C-1075 theirs --on carrier --name \"Nordlight Parcels\""},
}

// ByFlags name the way to the vendor; its usual one is taken otherwise.
type ByFlags struct{ By, Link string }

// DiscloseFlag puts the flag on a command with which somebody says why what must not leave is sent all the same.
func DiscloseFlag(c *cobra.Command, why *string) {
	c.Flags().StringVar(why, "disclose", "", "why a password, or something else that must not be sent, is sent anyway")
}

// Add puts the flags on a command.
func (f *ByFlags) Add(c *cobra.Command) {
	c.Flags().StringVar(&f.By, "by", "",
		"the channel, if not the usual one: api, portal, email, phone or chat; you send it yourself unless a link does")
	c.Flags().StringVar(&f.Link, "link", "", "the link, if the vendor has several")
}

// Via is the channel that is asked for; nil for the usual one.
func (f *ByFlags) Via() *clientgen.Channel { return app.Some(clientgen.Channel(f.By)) }

func anywayFlag(c *cobra.Command, f *stepFlags) {
	c.Flags().BoolVar(&f.anyway, "confirm", false, "ask the vendor although its limit for reopening has passed")
}

func causeFlag(c *cobra.Command, f *stepFlags) {
	c.Flags().StringVar(&f.cause, "cause", "", "what caused it")
}

// toLevel names a level of the vendor's, and confirms its conditions where that is said.
func toLevel(s *clientgen.Step, f *stepFlags, l Loaded, args []string) error {
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
		if f.confirm && len(x.Criteria) > 0 {
			ids := []int64{}
			for _, k := range x.Criteria {
				ids = append(ids, k.Id)
			}
			s.Confirmed = &ids
		}
		return nil
	}
	if _, err := strconv.Atoi(args[1]); err != nil {
		labels := make([]string, len(levels))
		for i, x := range levels {
			labels[i] = x.Label
		}
		return app.Usagef("%q is not a level of %s; its levels are %s", args[1], l.Line.Vendor, strings.Join(labels, ", "))
	}
	return toNumber(s, f, l, args)
}

func (l Loaded) levels(ctx context.Context) ([]clientgen.Level, error) {
	res, err := l.GetVendor(ctx, l.Line.VendorKey)
	v, _, err := client.Read[clientgen.Vendor](l.Client, res, err)
	return v.Levels, err
}

func toNumber(s *clientgen.Step, _ *stepFlags, _ Loaded, args []string) error {
	var n int
	if _, err := fmt.Sscan(args[1], &n); err != nil || n < 1 {
		return app.Usagef("%q is not a whole number above 0", args[1])
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
			l, err := a.Load(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			if s.step == "confirm" {
				return a.Confirm(cmd.Context(), l, args)
			}
			body := clientgen.Step{Step: s.step, Cause: app.Some(f.cause), Channel: f.Via(), Link: app.Some(f.Link),
				DiscloseReason: app.Some(f.disclose), Files: f.Sent(), ConfirmFiles: app.Some(f.Confirm),
				Anyway: app.Some(f.anyway)}
			if s.reason && f.text != "" {
				text, err := a.ReadText(f.text, "")
				if err != nil {
					return err
				}
				body.Reason = &text
			}
			f.when = func(s string) (*time.Time, error) { return a.When(cmd.Context(), s) }
			if s.fill != nil {
				if err := s.fill(&body, &f, l, args); err != nil {
					return err
				}
			}
			after, err := l.Take(cmd.Context(), body)
			if p := new(client.Problem); errors.As(err, &p) && p.Kind() == "past-limit" {
				err = fmt.Errorf("%w\nOpen a new case with roundhouse case open --follows %s, or repeat this with --confirm",
					err, l.Line.Number)
			}
			if err != nil && f.text == "-" && body.Reason != nil {
				return app.KeepText("text", *body.Reason, err)
			} else if err != nil {
				return err
			}
			return a.AfterStep(after)
		}}
	if s.reason {
		if s.step != "severity" && s.step != "move" {
			f.ByFlags.Add(c)
			DiscloseFlag(c, &f.disclose)
		}
		c.Flags().StringVarP(&f.text, "text", "t", "",
			"why; sent to the vendor if the vendor is told of the step (- reads it from standard input)")
	}
	if s.flags != nil {
		s.flags(c, &f)
	}
	return c
}

// retakes is how often a step is tried again whose case changed between our reading it and the step.
const retakes = 3

// Take does a step. The case was read a moment ago by the command itself and not by a person, so that one that has
// changed since is read again: whether the step is allowed then, the service says.
func (l *Loaded) Take(ctx context.Context, body clientgen.Step) (clientgen.Case, error) {
	for tries := 0; ; tries++ {
		res, err := l.TakeStep(ctx, l.Line.Number, &clientgen.TakeStepParams{IfMatch: &l.ETag, IdempotencyKey: client.Key()},
			body)
		after, etag, err := client.Read[clientgen.Case](l.Client, res, err)
		var p *client.Problem
		switch {
		case err == nil:
			l.ETag = etag
			return after, nil
		case errors.As(err, &p) && body.Step == "file" && p.Kind() == "invalid" && p.Errors != nil:
			return after, notYet(l.Line.Number, *p.Errors)
		case !errors.As(err, &p) || p.Kind() != "stale" || tries == retakes:
			return after, err
		}
		res, err = l.GetCase(ctx, l.Line.Number, nil)
		if l.Case, l.ETag, err = client.Read[clientgen.Case](l.Client, res, err); err != nil {
			return after, err
		}
	}
}

// Confirm confirms the conditions of the level that a case holds: all of them, or the one that args name after the
// case, by its place or its id.
func (a *Commands) Confirm(ctx context.Context, l Loaded, args []string) error {
	if l.LevelHeld == nil || len(l.LevelHeld.Criteria) == 0 {
		a.Printer().Line("There is nothing to confirm: this level has no conditions.")
		return nil
	}
	after, found := l.Case, false
	for i, c := range l.LevelHeld.Criteria {
		if len(args) == 2 && args[1] != fmt.Sprint(c.Id) && args[1] != fmt.Sprint(i+1) {
			continue
		}
		found = true
		if c.ConfirmedBy != nil {
			if a.Format != "json" {
				a.Printer().Line("Already confirmed by %s: %s", *c.ConfirmedBy, c.Text)
			}
			continue
		}
		var err error
		if after, err = l.Take(ctx, clientgen.Step{Step: "confirm", Criterion: &c.Id}); err != nil {
			return err
		}
		if a.Format != "json" {
			a.Printer().Line("Confirmed: %s", c.Text)
		}
	}
	if !found {
		return app.Usagef("%q is not a condition of level %q; it has %s, numbered from 1", args[1], l.LevelHeld.Label,
			app.Number(len(l.LevelHeld.Criteria), "condition"))
	}
	if a.Format == "json" {
		return a.Printer().JSON(after)
	}
	return nil
}

// AfterStep says where the case stands now, and what is still on its way.
func (a *Commands) AfterStep(c clientgen.Case) error {
	p := a.Printer()
	if a.Format == "json" {
		return p.JSON(c)
	}
	l := c.Line
	facts := []string{words.States.Of(string(l.State))}
	if l.Severity != nil {
		facts = append(facts, "severity "+SeverityText(l))
	}
	if l.Move != nil {
		facts = append(facts, "waiting on "+WaitsOn(l))
	}
	if l.Owner != nil {
		facts = append(facts, "owner "+*l.Owner)
	}
	p.Line("%s  %s\n%s", l.Number, l.Title, strings.Join(facts, ", "))
	a.onTheWay(c)
	if c.Line.State == "draft" {
		a.Needs(c)
	}
	a.Untold(c)
	return nil
}
