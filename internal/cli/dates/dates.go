// Package dates has the commands for what should happen on a case, and by when.
package dates

import (
	"context"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"time"

	"github.com/oapi-codegen/runtime/types"
	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/cli/moment"
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
	{"callback", "Record a call that is agreed",
		`callback C-1092 --by 3h --text "They will ring the harbour office" --number "+44 1632 960 010"`},
	{"follow-up", "Record what one of us should do by a date",
		`follow-up C-1092 --by 1d --for ragna@saltmarsh.example --text "Ask the bank"`},
	{"check-in", "Say when to look at a case again", `check-in C-1092 --by 3d`},
	{"part", "Record a part that is on its way",
		`part C-1092 --by 2d --text "Card reader" --number PR-4410 --sent "1h ago"`},
	{"part-return", "Record a part that has to go back", `part-return C-1092 --by 10d --text "The old card reader"`},
	{"visit", "Record a visit that is agreed",
		`visit C-1092 --by 2d --text "Looks at gate 3" --who "Field service" --lets-in "Odd Bakke"`},
	{"remote-session", "Record a remote session that is agreed",
		`remote-session C-1092 --by 1d --text "Reads the log of gate 3"`},
	{"needed-by", "Record when the business needs it", `needed-by C-1092 --by 14d`},
}

// All are the commands that set dates and end them, and the one that lists them.
func (a *Commands) All() []*cobra.Command {
	list := []*cobra.Command{a.list()}
	for _, k := range kinds {
		list = append(list, a.command(k))
	}
	return list
}

// long says how one is set, and what can be done with it later.
func (k kind) long() string {
	text := k.short + ". If it is on the case already, give its number, which roundhouse\ncase dates lists: " +
		"--kept says that it " + words.DateKept.Of(k.name) + ", --move with --by gives it another date, and\n" +
		"--drop drops it."
	if details[k.name] != nil {
		text += " --detail adds details to it."
	}
	return text
}

// detail is what a date can have beside its text.
type detail struct{ flag, help string }

// details are those of each kind that has any.
var details = map[string][]detail{
	"callback":       {window, {"who", "who calls"}, {"number", "the phone number to call"}},
	"part":           {{"number", "the number of the part"}, carrier, {"place", "where it is delivered"}, sent},
	"part-return":    {{"number", "the number of the part"}, carrier},
	"visit":          {window, {"who", "who comes"}, {"place", "where"}, {"lets-in", "who lets them in"}},
	"remote-session": {window, {"who", "who connects"}, {"place", "what they connect to"}},
}

var (
	window  = detail{"from", "when the window opens; it ends at --by"}
	carrier = detail{"who", "who delivers it"}
	sent    = detail{"sent", "when it was sent, like \"2h ago\""}
)

// field is where the value of a flag for a detail goes.
func (o *setting) field(flag string) *string {
	return map[string]*string{"from": &o.from, "who": &o.who, "place": &o.place, "number": &o.number, "lets-in": &o.letsIn,
		"sent": &o.sent}[flag]
}

type setting struct {
	owed, by, text, person, kept, move, drop, detail string
	from, who, place, number, letsIn, sent           string
	entry                                            int
	then                                             string
}

// thens are what may come once a date of a kind was kept, with the flag that says when.
var thens = map[string]struct{ flag, kind, help string }{
	"check-in": {"next", "check-in", "with --kept, when somebody looks again"},
	"part":     {"return-by", "part-return", "with --kept, when the old part has to be back"},
}

func (a *Commands) command(k kind) *cobra.Command {
	var o setting
	c := &cobra.Command{Use: k.name + " CASE", Short: k.short, Args: cobra.ExactArgs(1),
		Long:    k.long(),
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
	o.flags(c, k.name)
	return c
}

func (o *setting) flags(c *cobra.Command, kind string) {
	f := c.Flags()
	f.StringVar(&o.by, "by", "", "when it is due, like 2d; a day like 2026-12-04 is its last open hour")
	f.StringVarP(&o.text, "text", "t", "", "what should happen; with --kept what came of it, with --move or --drop why")
	f.StringVar(&o.owed, "owed", "", "who owes it, if not the usual side: ours or theirs")
	f.StringVar(&o.person, "for", "", "which of us should do it, by email address")
	f.StringVar(&o.kept, "kept", "", "number of the date that "+words.DateKept.Of(kind))
	f.IntVar(&o.entry, "entry", 0, "the entry of the case that says so")
	f.StringVar(&o.move, "move", "", "number of the date to move")
	f.StringVar(&o.drop, "drop", "", "number of the date to drop")
	for _, d := range details[kind] {
		f.StringVar(o.field(d.flag), d.flag, "", d.help)
	}
	if details[kind] != nil {
		f.StringVar(&o.detail, "detail", "", "number of the date to add details to")
	}
	if t, ok := thens[kind]; ok {
		f.StringVar(&o.then, t.flag, "", t.help)
	}
}

// details are those that flags give; nil for none.
func (a *Commands) details(ctx context.Context, o setting) (*clientgen.DateDetails, error) {
	from, err := a.When(ctx, o.from)
	if err != nil {
		return nil, err
	}
	sent, err := a.When(ctx, o.sent)
	if err != nil {
		return nil, err
	}
	d := clientgen.DateDetails{From: from, Who: app.Some(o.who), Place: app.Some(o.place), Number: app.Some(o.number),
		LetsIn: app.Some(o.letsIn), SentAt: sent}
	if d == (clientgen.DateDetails{}) {
		return nil, nil
	}
	return &d, nil
}

// say sets a date, ends one, or adds to one.
func (a *Commands) say(ctx context.Context, c *client.Client, name, kind string, o setting) (clientgen.Entry, error) {
	var none clientgen.Entry
	if len(slices.DeleteFunc([]string{o.kept, o.move, o.drop, o.detail}, func(s string) bool { return s == "" })) > 1 {
		return none, app.Usagef("use one of --kept, --move, --drop and --detail")
	}
	at, day, err := due(ctx, a.App, "--by", o.by)
	if err != nil {
		return none, err
	}
	details, err := a.details(ctx, o)
	if err != nil {
		return none, err
	}
	if o.detail != "" {
		if details == nil {
			return none, app.Usagef("say what is new about it, like --who")
		}
		res, err := c.DetailDate(ctx, name, o.detail, &clientgen.DetailDateParams{IdempotencyKey: client.Key()}, *details)
		e, _, err := client.Read[clientgen.Entry](c, res, err)
		return e, err
	}
	item, how := o.kept, clientgen.DateEndHowKept
	if o.move != "" {
		item, how = o.move, clientgen.DateEndHowMoved
	} else if o.drop != "" {
		item, how = o.drop, clientgen.DateEndHowDropped
	}
	if item != "" {
		end := clientgen.DateEnd{How: how, Text: app.Some(o.text), Due: at, Day: day, Entry: app.Some(o.entry),
			Details: details}
		if end.Then, err = a.then(ctx, kind, o); err != nil {
			return none, err
		}
		res, err := c.EndDate(ctx, name, item, &clientgen.EndDateParams{IdempotencyKey: client.Key()}, end)
		e, _, err := client.Read[clientgen.Entry](c, res, err)
		return e, err
	}
	if o.by == "" {
		return none, app.Usagef("say when it is due with --by, like --by 2d")
	}
	res, err := c.SetDate(ctx, name, &clientgen.SetDateParams{IdempotencyKey: client.Key()},
		clientgen.NewDate{Kind: clientgen.SetDateKind(kind), Owed: app.Some(clientgen.Side(o.owed)), Text: app.Some(o.text),
			Due: at, Day: day, For: app.Some(o.person), Entry: app.Some(o.entry), Details: details})
	e, _, err := client.Read[clientgen.Entry](c, res, err)
	return e, err
}

// then is what comes once a date was kept; nil for nothing.
func (a *Commands) then(ctx context.Context, kind string, o setting) (*clientgen.NewDate, error) {
	if o.then == "" {
		return nil, nil
	}
	t := thens[kind]
	at, day, err := due(ctx, a.App, "--"+t.flag, o.then)
	if err != nil {
		return nil, err
	}
	n := &clientgen.NewDate{Kind: clientgen.SetDateKind(t.kind), Due: at, Day: day, For: app.Some(o.person)}
	if t.kind == "part-return" {
		n.Text = new("The old part")
	}
	return n, nil
}

var dateOnly = regexp.MustCompile(`^\d{4}-\d{2}-\d{2}$`)

// due reads a time, a length from now, or a day, that a flag gives.
func due(ctx context.Context, a *app.App, flag, s string) (*time.Time, *types.Date, error) {
	if !dateOnly.MatchString(s) {
		at, err := a.When(ctx, s)
		return at, nil, err
	}
	day, err := time.Parse(time.DateOnly, s)
	if err != nil {
		return nil, nil, app.Usagef("%s %s: there is no such day", flag, s)
	}
	return nil, &types.Date{Time: day}, nil
}

func (a *Commands) list() *cobra.Command {
	var all bool
	var as moment.Flags
	c := &cobra.Command{Use: "dates CASE",
		Short: "List the dates of a case: what should happen, and by when", Args: cobra.ExactArgs(1),
		Example: "  roundhouse case dates C-1092\n  roundhouse case dates C-1092 --all -o json\n" +
			"  roundhouse case dates C-1079 --at \"1d ago\"",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.Client()
			if err != nil {
				return err
			}
			at, known, err := as.Of(cmd.Context(), a.App)
			if err != nil {
				return err
			}
			res, err := c.GetCase(cmd.Context(), args[0], &clientgen.GetCaseParams{At: at, Known: known})
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
			moment.Head(cmd.Context(), a.App, at)
			return a.print(cmd.Context(), v.Line.Number, list)
		}}
	as.Add(c)
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
		what := strings.Join(strings.Fields(x.Text), " ")
		if more := detailWords(x.Details, times); more != "" {
			what += " (" + more + ")"
		}
		if x.ProposedEntry != nil {
			what += fmt.Sprintf("; kept by entry %d?", *x.ProposedEntry)
		}
		rows = append(rows, []string{x.Item, words.Dated.Of(string(x.Kind)), what, who,
			times.Short(&x.DueAt), p.Standing(string(x.Standing))})
	}
	p.Table([]out.Column{{Name: "date", Right: true}, {Name: "kind", Shrink: true}, {Name: "what", Main: true},
		{Name: "owed by", Shrink: true}, {Name: "due"}, {Name: "standing"}}, rows)
}

// detailWords are what else is known of a date, in a few words.
func detailWords(d *clientgen.DateDetails, times out.Times) string {
	if d == nil {
		return ""
	}
	var parts []string
	for _, x := range []struct{ before, text string }{{"", app.Deref(d.Number)}, {"", app.Deref(d.Who)},
		{"", app.Deref(d.Place)}, {"let in by ", app.Deref(d.LetsIn)}} {
		if x.text != "" {
			parts = append(parts, x.before+x.text)
		}
	}
	if d.From != nil {
		parts = append(parts, "from "+times.Short(d.From))
	}
	if d.SentAt != nil {
		parts = append(parts, "sent "+times.Short(d.SentAt))
	}
	return strings.Join(parts, ", ")
}
