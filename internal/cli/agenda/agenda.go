// Package agenda has the commands for what is coming: the calendar, what calendar programs follow, and invitations.
package agenda

import (
	"context"
	"io"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/cli/cases"
	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/core/words"
)

// Commands are those of this package.
type Commands struct{ *cases.Commands }

// New gives them.
func New(a *app.App) *Commands { return &Commands{cases.New(a)} }

// Agenda is the command agenda.
func (a *Commands) Agenda() *cobra.Command {
	var from, person, vendor string
	var days int
	var mine bool
	c := &cobra.Command{Use: "agenda", Short: "Show what is coming, by day", Args: cobra.NoArgs,
		Long: "Shows deadlines, dates on cases, when parked cases resume, the rota, and when contracts end or need\n" +
			"notice, by day. roundhouse agenda subscribe makes a secret address that a calendar program follows.",
		Example: "  roundhouse agenda\n  roundhouse agenda --days 1 --mine\n  roundhouse agenda --vendor tallow --from 2d",
		RunE: func(cmd *cobra.Command, _ []string) error {
			ctx := cmd.Context()
			if days < 1 || days > 62 {
				return app.Usagef("--days is a number from 1 to 62")
			}
			c, err := a.Client()
			if err != nil {
				return err
			}
			times := a.Times(ctx)
			start := a.Now(ctx)
			if from != "" {
				at, err := a.When(ctx, from)
				if err != nil {
					return err
				}
				start = *at
			}
			y, m, d := start.In(times.Zone).Date()
			start = time.Date(y, m, d, 0, 0, 0, 0, times.Zone)
			res, err := c.ReadAgenda(ctx, &clientgen.ReadAgendaParams{From: start, To: start.AddDate(0, 0, days),
				Mine: app.Some(mine), Person: app.Some(person), Vendor: app.Some(vendor)})
			v, _, err := client.Read[clientgen.Agenda](c, res, err)
			if err != nil {
				return err
			}
			if a.Format == "json" {
				return a.Printer().JSON(v)
			}
			a.show(v, times, start, days)
			return nil
		}}
	f := c.Flags()
	f.StringVar(&from, "from", "", "the first day, like 2026-12-04 or 2d; today if left out")
	f.IntVar(&days, "days", 7, "how many days")
	f.BoolVar(&mine, "mine", false, "only your cases and dates")
	f.StringVar(&person, "person", "", "only the cases and dates of this colleague, by email address")
	f.StringVar(&vendor, "vendor", "", "only this vendor, by its key")
	c.AddCommand(a.subscribe(), a.subscriptions(), a.end())
	return c
}

// show prints a calendar for people, day by day.
func (a *Commands) show(v clientgen.Agenda, times out.Times, start time.Time, days int) {
	p := a.Printer()
	p.Line("Times in %s", times.Name())
	dayOf := func(e clientgen.AgendaEvent) time.Time {
		if e.AllDay {
			y, m, d := e.Start.UTC().Date()
			return time.Date(y, m, d, 0, 0, 0, 0, times.Zone)
		}
		return due(e).In(times.Zone)
	}
	for n := range days {
		from := start.AddDate(0, 0, n)
		to := start.AddDate(0, 0, n+1)
		var rows [][]string
		for _, e := range v.Events {
			at, since := dayOf(e), false
			if e.Kind == "shift" && n == 0 && at.Before(from) {
				at, since = from, true
			}
			if at.Before(from) || !at.Before(to) {
				continue
			}
			when := due(e).In(times.Zone).Format("15:04")
			switch {
			case e.AllDay:
				when = "all day"
			case since:
				when = "ongoing"
			}
			state := p.Standing(string(app.Deref(e.Standing)))
			switch {
			case app.Deref(e.Cancelled):
				state = "dropped"
			case e.Kind == "shift":
				state = "until " + times.Short(&e.End)
			}
			rows = append(rows, []string{when, e.Title, app.Deref(e.Vendor), state})
		}
		if len(rows) == 0 {
			continue
		}
		p.Line("\n%s", from.Format("Monday 2 January"))
		p.Table([]out.Column{{Name: "time"}, {Name: "what", Main: true}, {Name: "vendor", Shrink: true}, {Name: "standing"}},
			rows)
	}
	for _, g := range v.Gaps {
		until := ""
		if g.Until != nil {
			until = " to " + times.Short(g.Until)
		}
		p.Line("\nNobody is on the rota from %s%s.", times.Short(&g.From), until)
	}
	if len(v.Events) == 0 {
		p.Line("\nNothing is coming in these days.")
	}
	if v.More {
		p.Line("\nThere is more than this: narrow it with --days, --vendor or --person.")
	}
}

// due is when something is due: its end, but of a shift its beginning.
func due(e clientgen.AgendaEvent) time.Time {
	if e.Kind == "shift" || e.AllDay {
		return e.Start
	}
	return e.End
}

func (a *Commands) subscribe() *cobra.Command {
	var mine bool
	var person, vendor string
	c := &cobra.Command{Use: "subscribe NAME", Short: "Make a secret address that a calendar program follows",
		Args: cobra.ExactArgs(1),
		Long: "Makes an address for a calendar program; NAME says which one it is for. Anyone who has the address\n" +
			"can read what you may see, so keep it to yourself. It is shown once; roundhouse agenda end stops it.",
		Example: "  roundhouse agenda subscribe \"My phone\" --mine\n  roundhouse agenda subscribe \"Office wall\"",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.Client()
			if err != nil {
				return err
			}
			res, err := c.AddFeed(cmd.Context(), &clientgen.AddFeedParams{IdempotencyKey: client.Key()},
				clientgen.NewFeed{Name: args[0], Mine: app.Some(mine), Person: app.Some(person), Vendor: app.Some(vendor)})
			f, _, err := client.Read[clientgen.Feed](c, res, err)
			if err != nil {
				return err
			}
			address := strings.TrimSuffix(c.URL, "/") + app.Deref(f.Path)
			if a.Format == "json" {
				f.Path = &address
				return a.Printer().JSON(f)
			}
			a.Printer().Line("%s\nSubscribe to this address in the calendar program. It is secret, and not shown again.\n"+
				"To stop it: roundhouse agenda end %d", address, f.Id)
			return nil
		}}
	c.Flags().BoolVar(&mine, "mine", false, "only your cases and dates; the whole desk if left out")
	c.Flags().StringVar(&person, "person", "", "only the cases and dates of this colleague, by email address")
	c.Flags().StringVar(&vendor, "vendor", "", "only this vendor, by its key")
	return c
}

func (a *Commands) subscriptions() *cobra.Command {
	return &cobra.Command{Use: "subscriptions", Short: "List your calendar subscriptions", Args: cobra.NoArgs,
		Example: "  roundhouse agenda subscriptions",
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.Client()
			if err != nil {
				return err
			}
			res, err := c.ListFeeds(cmd.Context())
			list, _, err := client.Read[clientgen.Feeds](c, res, err)
			if err != nil {
				return err
			}
			p := a.Printer()
			if a.Format == "json" {
				return p.JSON(list)
			}
			if len(list.Items) == 0 {
				p.Line("No subscriptions. Make one with roundhouse agenda subscribe NAME.")
				return nil
			}
			times := a.Times(cmd.Context())
			p.Line("Times in %s\n", times.Name())
			var rows [][]string
			for _, f := range list.Items {
				of := words.FeedParts.Of(string(f.Whose))
				if f.Of != nil {
					of = *f.Of
				}
				read := "not yet"
				if f.ReadAt != nil {
					read = times.Short(f.ReadAt)
				}
				rows = append(rows, []string{strconv.FormatInt(f.Id, 10), f.Name, of, times.Short(&f.MadeAt), read})
			}
			p.Table([]out.Column{{Name: "number", Right: true}, {Name: "name", Main: true}, {Name: "calendar"},
				{Name: "made"}, {Name: "last read"}}, rows)
			return nil
		}}
}

func (a *Commands) end() *cobra.Command {
	return &cobra.Command{Use: "end NUMBER", Short: "End a calendar subscription", Args: cobra.ExactArgs(1),
		Example: "  roundhouse agenda end 1",
		RunE: func(cmd *cobra.Command, args []string) error {
			id, err := strconv.ParseInt(args[0], 10, 64)
			if err != nil {
				return app.Usagef("%q is not the number of a subscription; agenda subscriptions lists them", args[0])
			}
			c, err := a.Client()
			if err != nil {
				return err
			}
			res, err := c.EndFeed(cmd.Context(), id)
			if _, _, err = client.Read[struct{}](c, res, err); err != nil {
				return err
			}
			a.Printer().Line("Ended. Its address no longer works.")
			return nil
		}}
}

// All are the commands for the group case.
func (a *Commands) All() []*cobra.Command { return []*cobra.Command{a.events(), a.invite()} }

func (a *Commands) events() *cobra.Command {
	var item, file string
	c := &cobra.Command{Use: "events CASE",
		Short: "Save the dates and deadlines of a case as a file for a calendar program",
		Args:  cobra.ExactArgs(1), Example: "  roundhouse case events C-1092 --date 1 --to visit.ics",
		RunE: func(cmd *cobra.Command, args []string) error {
			l, err := a.Load(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			res, err := l.SaveEvents(cmd.Context(), l.Line.Number, &clientgen.SaveEventsParams{Item: app.Some(item)})
			body, err := plain(l.Client, res, err)
			if err != nil {
				return err
			}
			if file == "" || file == "-" {
				a.Printer().Line("%s", strings.TrimRight(string(body), "\r\n"))
				return nil
			}
			write := func(w io.Writer) error { _, err := w.Write(body); return err }
			if err := out.WriteNew(file, 0o644, write); err != nil {
				return err
			}
			a.Printer().Line("Saved in %s.", file)
			return nil
		}}
	c.Flags().StringVar(&item, "date", "", "only this date of the case, by number; all dates and deadlines if left out")
	c.Flags().StringVar(&file, "to", "", "a new file to write; standard output if left out")
	return c
}

// plain is an answer that is no JSON.
func plain(c *client.Client, res *http.Response, err error) ([]byte, error) {
	if err != nil || res.StatusCode >= 300 {
		_, _, err = client.Read[struct{}](c, res, err)
		return nil, err
	}
	defer res.Body.Close()
	return io.ReadAll(io.LimitReader(res.Body, 16<<20))
}

func (a *Commands) invite() *cobra.Command {
	var to []string
	c := &cobra.Command{Use: "invite CASE DATE", Short: "Invite people to a call, a visit or another date of a case",
		Args: cobra.ExactArgs(2),
		Long: "Sends a date of a case by email as an invitation for calendar programs. Everyone invited is told again if\n" +
			"the date moves or is dropped. roundhouse case dates lists the dates with their numbers.",
		Example: "  roundhouse case invite C-1079 2 --to emil@saltmarsh.example",
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(to) == 0 {
				return app.Usagef("say who is invited with --to; repeat it for several")
			}
			l, err := a.Load(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			return a.send(cmd.Context(), l, args[1], to)
		}}
	c.Flags().StringArrayVar(&to, "to", nil, "an email address; repeat for several")
	return c
}

func (a *Commands) send(ctx context.Context, l cases.Loaded, item string, to []string) error {
	res, err := l.InviteTo(ctx, l.Line.Number, item, &clientgen.InviteToParams{IdempotencyKey: client.Key()},
		clientgen.Invitation{To: to})
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
