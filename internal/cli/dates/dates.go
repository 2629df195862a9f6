// Package dates has the commands for what is to happen by a date on a case.
package dates

import (
	"context"
	"regexp"
	"slices"
	"strings"
	"time"

	"github.com/oapi-codegen/runtime/types"
	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/core/words"
)

// Commands are those of this package.
type Commands struct{ *app.App }

// New gives them.
func New(a *app.App) *Commands { return &Commands{a} }

// kind is a kind of date that people set, with its command.
type kind struct{ name, short, example string }

var kinds = []kind{
	{"promise", "Record what the vendor promised by a date", `promise C-1092 --by 2d --text "A patch for the reader"`},
	{"ask", "Record what one side asked of the other", `ask C-1092 --owed ours --by 4h --text "Which bank is it?"`},
	{"callback", "Record a call that is to come", `callback C-1092 --by 3h --text "They ring the harbour office"`},
	{"follow-up", "Record what one of ours does by a date",
		`follow-up C-1092 --by 1d --for ragna@saltmarsh.example --text "Ask the bank"`},
	{"check-in", "Say when somebody looks at a case again", `check-in C-1092 --by 3d`},
	{"part", "Record a part that is to arrive", `part C-1092 --by 2d --text "Card reader, PR-4410"`},
	{"part-return", "Record a part that has to go back", `part-return C-1092 --by 10d --text "The old card reader"`},
	{"visit", "Record a visit that is agreed", `visit C-1092 --by 2d --text "Engineer at gate 3; Odd Bakke lets her in"`},
	{"remote-session", "Record a remote session that is agreed",
		`remote-session C-1092 --by 1d --text "Reads the log of gate 3"`},
}

// All are the commands that set dates and end them, and the one that lists them.
func (a *Commands) All() []*cobra.Command {
	list := []*cobra.Command{a.list()}
	for _, k := range kinds {
		list = append(list, a.command(k))
	}
	return list
}

type setting struct{ owed, by, text, person, kept, move, drop string }

func (a *Commands) command(k kind) *cobra.Command {
	var o setting
	c := &cobra.Command{Use: k.name + " CASE", Short: k.short, Args: cobra.ExactArgs(1),
		Long: k.short + ". Each date has a number on its case; roundhouse case dates lists them. Say what became of one\n" +
			"with --kept, --move (to another date, --by) or --drop.",
		Example: "  roundhouse case " + k.example,
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.Client()
			if err != nil {
				return err
			}
			e, err := a.say(cmd.Context(), c, args[0], k.name, o)
			if err != nil {
				return err
			}
			if a.Format == "json" {
				return a.Printer().JSON(e)
			}
			a.Printer().Line("%s", e.Text)
			return nil
		}}
	f := c.Flags()
	f.StringVar(&o.by, "by", "", "when it is due, like 2d; a day like 2026-12-04 is its last open hour")
	f.StringVarP(&o.text, "text", "t", "", "what is to happen; with --kept what came of it, else the reason")
	f.StringVar(&o.owed, "owed", "", "who owes it, ours or theirs, if not as usual")
	f.StringVar(&o.person, "for", "", "email address of the person of ours whose it is")
	f.StringVar(&o.kept, "kept", "", "number of the date that was kept")
	f.StringVar(&o.move, "move", "", "number of the date to move")
	f.StringVar(&o.drop, "drop", "", "number of the date to drop")
	return c
}

// say sets a date or ends one.
func (a *Commands) say(ctx context.Context, c *client.Client, name, kind string, o setting) (clientgen.Entry, error) {
	var none clientgen.Entry
	if len(slices.DeleteFunc([]string{o.kept, o.move, o.drop}, func(s string) bool { return s == "" })) > 1 {
		return none, app.Usagef("use one of --kept, --move and --drop")
	}
	at, day, err := a.due(ctx, o.by)
	if err != nil {
		return none, err
	}
	item, how := o.kept, clientgen.DateEndHowKept
	if o.move != "" {
		item, how = o.move, clientgen.DateEndHowMoved
	} else if o.drop != "" {
		item, how = o.drop, clientgen.DateEndHowDropped
	}
	if item != "" {
		res, err := c.EndDate(ctx, name, item, &clientgen.EndDateParams{IdempotencyKey: client.Key()},
			clientgen.DateEnd{How: how, Text: app.Some(o.text), Due: at, Day: day})
		e, _, err := client.Read[clientgen.Entry](c, res, err)
		return e, err
	}
	if o.by == "" {
		return none, app.Usagef("say when it is due with --by, like --by 2d")
	}
	res, err := c.SetDate(ctx, name, &clientgen.SetDateParams{IdempotencyKey: client.Key()},
		clientgen.NewDate{Kind: clientgen.DateKind(kind), Owed: app.Some(clientgen.Side(o.owed)), Text: app.Some(o.text),
			Due: at, Day: day, For: app.Some(o.person)})
	e, _, err := client.Read[clientgen.Entry](c, res, err)
	return e, err
}

var dateOnly = regexp.MustCompile(`^\d{4}-\d{2}-\d{2}$`)

// due reads a time, a length from now, or a day.
func (a *Commands) due(ctx context.Context, s string) (*time.Time, *types.Date, error) {
	if !dateOnly.MatchString(s) {
		at, err := a.When(ctx, s)
		return at, nil, err
	}
	day, err := time.Parse(time.DateOnly, s)
	if err != nil {
		return nil, nil, app.Usagef("--by %s: there is no such day", s)
	}
	return nil, &types.Date{Time: day}, nil
}

func (a *Commands) list() *cobra.Command {
	var all bool
	c := &cobra.Command{Use: "dates CASE", Short: "List what is to happen by a date on a case", Args: cobra.ExactArgs(1),
		Example: "  roundhouse case dates C-1092\n  roundhouse case dates C-1092 --all -o json",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.Client()
			if err != nil {
				return err
			}
			res, err := c.GetCase(cmd.Context(), args[0])
			v, _, err := client.Read[clientgen.Case](c, res, err)
			if err != nil {
				return err
			}
			var list []clientgen.DatedItem
			for _, x := range app.Deref(v.Dates) {
				if all || x.EndedAt == nil {
					list = append(list, x)
				}
			}
			return a.print(cmd.Context(), v.Line.Number, list)
		}}
	c.Flags().BoolVar(&all, "all", false, "those that have ended too")
	return c
}

func (a *Commands) print(ctx context.Context, name string, list []clientgen.DatedItem) error {
	p, times := a.Printer(), a.Times(ctx)
	switch {
	case a.Format == "json":
		if list == nil {
			list = []clientgen.DatedItem{}
		}
		return p.JSON(list)
	case a.Format == "csv":
		var rows [][]string
		for _, x := range list {
			rows = append(rows, []string{x.Item, string(x.Kind), string(x.Owed), x.Text, app.Deref(x.For), app.Raw(&x.SetAt),
				app.Raw(&x.DueAt), app.Raw(x.EndedAt), string(x.Standing)})
		}
		p.Table(app.Columns("date", "kind", "owed", "text", "for", "set_at", "due_at", "ended_at", "standing"), rows)
		return nil
	case len(list) == 0:
		p.Line("%s has no dates. Set one with roundhouse case promise, case follow-up and the like.", name)
		return nil
	}
	p.Line("Times in %s\n", times.Name())
	table(p, list, times)
	return nil
}

// StillOpen prints the dates that have not ended, after an empty line, where there are some.
func StillOpen(p *out.Printer, list []clientgen.DatedItem, times out.Times) {
	list = slices.DeleteFunc(slices.Clone(list), func(x clientgen.DatedItem) bool { return x.EndedAt != nil })
	if len(list) > 0 {
		p.Line("")
		table(p, list, times)
	}
}

// table prints dates for people, a line each.
func table(p *out.Printer, list []clientgen.DatedItem, times out.Times) {
	var rows [][]string
	for _, x := range list {
		who := words.Sides.Of(string(x.Owed))
		if name := app.Deref(x.For); name != "" {
			who = name
		}
		rows = append(rows, []string{x.Item, words.Dated.Of(string(x.Kind)), strings.Join(strings.Fields(x.Text), " "), who,
			times.Short(&x.DueAt), p.Standing(string(x.Standing))})
	}
	p.Table([]out.Column{{Name: "date", Right: true}, {Name: "kind", Shrink: true}, {Name: "what", Main: true},
		{Name: "owed by", Shrink: true}, {Name: "due"}, {Name: "standing"}}, rows)
}
