// Package outages has the commands for outages of vendors.
package outages

import (
	"context"
	"fmt"
	"strconv"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	clicases "roundhouse.example/internal/cli/cases"
	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
)

// Commands are the commands of the subject. Use New.
type Commands struct{ *clicases.Commands }

// New makes the commands for a terminal.
func New(a *app.App) *Commands { return &Commands{clicases.New(a)} }

// Outages is the command group outage.
func (a *Commands) Outages() *cobra.Command {
	return app.Group("outage", "Outages of vendors, noted by hand", a.list(), a.add(), a.change(), a.tie())
}

func (a *Commands) list() *cobra.Command {
	var vendor string
	var current bool
	c := &cobra.Command{Use: "list", Short: "List outages, ongoing ones first", Args: cobra.NoArgs,
		Example: "  roundhouse outage list\n  roundhouse outage list --vendor corvane --current",
		RunE: func(cmd *cobra.Command, _ []string) error {
			list, err := a.all(cmd.Context(), vendor, current)
			if err != nil {
				return err
			}
			p := a.Printer()
			if a.Format == "json" {
				return p.JSON(list)
			}
			if a.Format == "csv" {
				var rows [][]string
				for _, o := range list {
					rows = append(rows, []string{strconv.FormatInt(o.Id, 10), o.Vendor, o.Title, app.Raw(&o.Since),
						app.Raw(o.UpdatedAt), app.Raw(o.EndedAt), app.Deref(o.Effect), app.Deref(o.Said), app.Itoa(o.Cases)})
				}
				p.Table(app.Columns("outage", "vendor", "title", "since", "updated_at", "ended_at", "effect", "said", "cases"),
					rows)
				return nil
			}
			if len(list) == 0 {
				p.Line("No outages. Note one with roundhouse outage add.")
				return nil
			}
			times := a.Times(cmd.Context())
			p.Line("Times in %s\n", times.Name())
			var rows [][]string
			for _, o := range list {
				ended := "ongoing"
				if o.EndedAt != nil {
					ended = times.Short(o.EndedAt)
				}
				rows = append(rows, []string{strconv.FormatInt(o.Id, 10), o.VendorName, o.Title, times.Short(&o.Since), ended,
					app.Itoa(o.Cases)})
			}
			p.Table([]out.Column{{Name: "outage", Right: true}, {Name: "vendor", Shrink: true}, {Name: "title", Main: true},
				{Name: "since"}, {Name: "ended"}, {Name: "cases", Right: true, Drop: 1}}, rows)
			return nil
		}}
	c.Flags().StringVar(&vendor, "vendor", "", "only of this vendor")
	c.Flags().BoolVar(&current, "current", false, "only ongoing ones")
	return c
}

func (a *Commands) all(ctx context.Context, vendor string, current bool) ([]clientgen.Outage, error) {
	c, err := a.Client()
	if err != nil {
		return nil, err
	}
	res, err := c.ListOutages(ctx, &clientgen.ListOutagesParams{Vendor: app.Some(vendor), Current: app.Some(current)})
	list, _, err := client.Read[clientgen.Outages](c, res, err)
	return list.Items, err
}

// said tells what is known of an outage now.
func (a *Commands) said(ctx context.Context, o clientgen.Outage) error {
	if a.Format == "json" {
		return a.Printer().JSON(o)
	}
	times, p := a.Times(ctx), a.Printer()
	p.Line("Outage %d of %s: %s, since %s (%s).", o.Id, o.VendorName, o.Title, times.Short(&o.Since), times.Name())
	if o.EndedAt != nil {
		p.Line("It ended %s.", times.Short(o.EndedAt))
	}
	return nil
}

func (a *Commands) add() *cobra.Command {
	var b clientgen.NewOutage
	var since, effect, said, page string
	c := &cobra.Command{Use: "add VENDOR TITLE", Short: "Note an outage of a vendor", Args: cobra.ExactArgs(2),
		Example: "  roundhouse outage add corvane \"Sign-in fails in region Ern\" --since \"1h ago\" " +
			"--said \"We are looking into it\"",
		RunE: func(cmd *cobra.Command, args []string) error {
			at, err := a.When(cmd.Context(), since)
			if err != nil {
				return err
			}
			b.Vendor, b.Title, b.Since = args[0], args[1], *at
			b.Effect, b.Said, b.Page = app.Some(effect), app.Some(said), app.Some(page)
			c, err := a.Client()
			if err != nil {
				return err
			}
			res, err := c.AddOutage(cmd.Context(), &clientgen.AddOutageParams{IdempotencyKey: client.Key()}, b)
			o, _, err := client.Read[clientgen.Outage](c, res, err)
			if err != nil {
				return err
			}
			return a.said(cmd.Context(), o)
		}}
	f := c.Flags()
	f.StringVar(&since, "since", "0m", "when it began, like \"2026-12-01 08:00\" or 1h ago; now if left out")
	f.Lookup("since").DefValue = ""
	f.StringVar(&effect, "effect", "", "what it does to our users")
	f.StringVar(&said, "said", "", "what the vendor says of it, in its own words")
	f.StringVar(&page, "page", "", "the vendor's page about it")
	return c
}

func (a *Commands) change() *cobra.Command {
	var ends, updated string
	texts := map[string]string{"title": "what is down, in one line", "effect": "what it does to our users",
		"said": "what the vendor says of it, in its own words", "page": "the vendor's page about it"}
	c := &cobra.Command{Use: "change OUTAGE", Short: "Change what is known of an outage, or end it",
		Args: cobra.ExactArgs(1),
		Example: "  roundhouse outage change 2 --said \"A repair is under way\" --updated \"5m ago\"\n" +
			"  roundhouse outage change 2 --ended \"1m ago\"",
		RunE: func(cmd *cobra.Command, args []string) error {
			var ch clientgen.OutageChange
			var err error
			if ch.EndedAt, err = a.When(cmd.Context(), ends); err != nil {
				return err
			}
			if ch.UpdatedAt, err = a.When(cmd.Context(), updated); err != nil {
				return err
			}
			for flag, to := range map[string]**string{"title": &ch.Title, "effect": &ch.Effect, "said": &ch.Said,
				"page": &ch.Page} {
				if s, _ := cmd.Flags().GetString(flag); cmd.Flags().Changed(flag) {
					*to = &s
				}
			}
			if ch == (clientgen.OutageChange{}) {
				return app.Usagef("nothing to change: give --ended, --updated, --title, --effect, --said or --page")
			}
			o, err := a.one(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			c, err := a.Client()
			if err != nil {
				return err
			}
			res, err := c.ChangeOutageWithApplicationMergePatchPlusJSONBody(cmd.Context(), o.Id,
				&clientgen.ChangeOutageParams{IfMatch: app.Match(o.Version)}, ch)
			if o, _, err = client.Read[clientgen.Outage](c, res, err); err != nil {
				return err
			}
			return a.said(cmd.Context(), o)
		}}
	c.Flags().StringVar(&ends, "ended", "", "when it ended, like \"10m ago\"")
	c.Flags().StringVar(&updated, "updated", "", "when the vendor last gave news of it")
	for flag, help := range texts {
		c.Flags().String(flag, "", help)
	}
	return c
}

// one is an outage by its number.
func (a *Commands) one(ctx context.Context, name string) (clientgen.Outage, error) {
	id, err := strconv.ParseInt(name, 10, 64)
	if err != nil {
		return clientgen.Outage{}, app.Usagef("%q is not the number of an outage; roundhouse outage list shows them", name)
	}
	list, err := a.all(ctx, "", false)
	if err != nil {
		return clientgen.Outage{}, err
	}
	for _, o := range list {
		if o.Id == id {
			return o, nil
		}
	}
	return clientgen.Outage{}, &app.Missing{Text: fmt.Sprintf("no outage %d; roundhouse outage list shows them", id)}
}

func (a *Commands) tie() *cobra.Command {
	return &cobra.Command{Use: "tie CASE OUTAGE|none", Short: "Say which outage of the vendor a case comes from",
		Args: cobra.ExactArgs(2), Example: "  roundhouse outage tie C-1086 2\n  roundhouse outage tie C-1086 none",
		RunE: func(cmd *cobra.Command, args []string) error {
			l, err := a.Load(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			var id int64
			if args[1] != "none" {
				o, err := a.one(cmd.Context(), args[1])
				if err != nil {
					return err
				}
				id = o.Id
			}
			res, err := l.TieOutage(cmd.Context(), l.Line.Number, &clientgen.TieOutageParams{IdempotencyKey: client.Key()},
				clientgen.OutageTie{Outage: id})
			v, _, err := client.Read[clientgen.Case](l.Client, res, err)
			if err != nil {
				return err
			}
			return a.AfterStep(v)
		}}
}
