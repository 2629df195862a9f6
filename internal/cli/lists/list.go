// Package lists has the commands that list cases, keep named views of the list, and export it.
package lists

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/cli/cases"
	"roundhouse.example/internal/cli/moment"
	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/core/words"
)

// Commands are those of this package.
type Commands struct{ *app.App }

// New gives them.
func New(a *app.App) *Commands { return &Commands{a} }

// All are the commands.
func (a *Commands) All() []*cobra.Command {
	return []*cobra.Command{a.caseList(), a.caseViews()}
}

func (a *Commands) caseList() *cobra.Command {
	var o listOptions
	var limit int
	var as moment.Flags
	var save string
	var columns []string
	var notes bool
	var desk bool
	c := &cobra.Command{Use: "list", Short: "List cases of all vendors; only live ones by default",
		Args: cobra.NoArgs,
		Example: "  roundhouse case list --vendor tallow --severity 1,2\n" +
			"  roundhouse case list --kind wish\n" +
			"  roundhouse case list --vendor corvane --at \"7d ago\"\n" +
			"  roundhouse case list --mine --next-before 8h --sort next\n" +
			"  roundhouse case list --all --words snapshot -o json\n" +
			"  roundhouse case list --vendor tallow --columns case,title,owner -o csv",
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.Client()
			if err != nil {
				return err
			}
			q, err := a.query(cmd.Context(), c, o)
			if err != nil {
				return err
			}
			most, err := a.Limit(cmd, limit)
			if err != nil {
				return err
			}
			if len(columns) > 0 || notes {
				return a.export(cmd.Context(), c, q, columns, notes)
			}
			if save != "" {
				return a.saveView(cmd.Context(), c, q, save, desk)
			}
			at, known, err := as.Of(cmd.Context(), a.App)
			if err != nil {
				return err
			}
			moment.Head(cmd.Context(), a.App, at)
			return a.listed(cmd.Context(), c, q, most, at, known)
		}}
	as.Add(c)
	a.listFlags(c, &o)
	c.Flags().StringVar(&save, "save-view", "", "save the filters under this name instead of listing")
	c.Flags().BoolVar(&desk, "desk", false, "with --save-view, for the whole desk")
	c.Flags().StringSliceVar(&columns, "columns", nil, "with -o csv or json, all cases with these columns: "+columnNames())
	c.Flags().BoolVar(&notes, "notes", false, "with -o csv or json, all cases with their notes, which are internal")
	app.LimitFlag(c, &limit)
	return c
}

// listFlags puts the flags that narrow a list on a command.
func (a *Commands) listFlags(c *cobra.Command, o *listOptions) {
	f := c.Flags()
	f.StringVar(&o.view, "view", "", "a saved view; other filters replace its own (see roundhouse case views)")
	f.StringSliceVar(&o.states, "state", nil, "draft, filed, open, fix-offered, resolved, closed, withdrawn or live")
	f.StringSliceVar(&o.vendors, "vendor", nil, "only these vendors")
	f.StringSliceVar(&o.kinds, "kind", nil, "only these kinds: "+register.Listed(register.Kinds))
	f.StringVar(&o.asset, "asset", "", "only cases of this asset, by any number or name")
	f.StringVar(&o.account, "account", "", "only cases in this account")
	f.StringVar(&o.contract, "contract", "", "only cases under this contract")
	for _, kind := range []string{"asset", "account", "contract"} {
		_ = c.RegisterFlagCompletionFunc(kind, a.CompleteFlag(kind))
	}
	f.IntSliceVar(&o.severities, "severity", nil, "only these severities")
	f.StringVar(&o.move, "move", "", "ours: only cases waiting on us; theirs: only cases waiting on the vendor")
	f.StringVar(&o.words, "words", "", "words in the title, a number or a reference")
	f.StringVar(&o.sort, "sort", "", "newest (the default), oldest, severity, changed, or next: most pressing first")
	o.whose.Add(c)
	f.StringVar(&o.origin, "origin", "", "only cases opened by: us, vendor, partner or colleague")
	f.StringVar(&o.next, "next-before", "", "only cases that ask for attention before then, like 8h")
	f.StringVar(&o.due, "due-before", "", "only cases with something due before then, like 8h")
	f.BoolVar(&o.late, "late", false, "only cases with something late")
	f.BoolVar(&o.unread, "unread", false, "only cases with a message that nobody has read")
	f.BoolVar(&o.unconfirmed, "not-confirmed", false, "only cases where the vendor has not confirmed something in time")
	f.BoolVar(&o.unnumbered, "no-reference", false, "only live cases without a vendor reference yet")
	f.BoolVar(&o.unsorted, "unsorted", false, "only cases with a vendor, product or kind that the desk does not have yet")
	f.BoolVar(&o.all, "all", false, "cases in every state")
}

// listOptions are the flags of the list.
type listOptions struct {
	states, vendors, kinds                      []string
	severities                                  []int
	move, words, sort, asset, account, contract string
	origin, next, due, view                     string
	all, unnumbered, unsorted                   bool
	late, unread, unconfirmed                   bool
	whose                                       WhoseFlags
}

// WhoseFlags say whose cases are shown; the whole desk's if none is set.
type WhoseFlags struct {
	mine, watched, access bool
	owner                 string
}

// Add puts the flags on a command.
func (w *WhoseFlags) Add(c *cobra.Command) {
	c.Flags().BoolVar(&w.mine, "mine", false, "only cases that you own")
	c.Flags().BoolVar(&w.watched, "watched", false, "only cases that you watch; see roundhouse watch")
	c.Flags().BoolVar(&w.access, "my-vendors", false, "only cases with vendors whose access list you are on")
	c.Flags().StringVar(&w.owner, "owner", "", "only cases of this colleague, by email address")
	app.OnlyOne(c, "mine", "watched", "my-vendors", "owner")
}

// Part is what the flags say, as the API takes it; nil for the whole desk.
func (w *WhoseFlags) Part() (whose *clientgen.DeskPart, person *string) {
	switch {
	case w.mine:
		return new(clientgen.DeskPartMine), nil
	case w.watched:
		return new(clientgen.DeskPartWatched), nil
	case w.access:
		return new(clientgen.DeskPartAccess), nil
	case w.owner != "":
		return new(clientgen.DeskPartPerson), &w.owner
	}
	return nil, nil
}

// query is what the flags narrow the list to.
func (a *Commands) query(ctx context.Context, c *client.Client, o listOptions) (q clientgen.CaseQuery, err error) {
	if o.view == "" && len(o.states) == 0 && !o.all && !o.unsorted { // what is to be sorted is a draft as a rule
		o.states = []string{"live"}
	}
	if q, err = a.filters(ctx, c, o); err != nil || o.view == "" {
		return q, err
	}
	v, err := a.viewNamed(ctx, c, o.view)
	if err != nil {
		return q, err
	}
	if o.all {
		v.Query.State = nil
	}
	given, err := json.Marshal(q) // only what was given, which replaces what the view says of it
	if err != nil {
		return q, err
	}
	return v.Query, json.Unmarshal(given, &v.Query)
}

// filters are the flags that narrow the list, as the API takes them.
func (a *Commands) filters(ctx context.Context, c *client.Client, o listOptions) (q clientgen.CaseQuery, err error) {
	q = clientgen.CaseQuery{Sort: app.Some(clientgen.CaseSort(o.sort)), Words: app.Some(o.words),
		Move: app.Some(clientgen.Side(o.move)), NoReference: app.Some(o.unnumbered),
		Unsorted: app.Some(o.unsorted)}
	q.Whose, q.Person = o.whose.Part()
	q.Origin, q.Late, q.Unread = app.Some(clientgen.Origin(o.origin)), app.Some(o.late), app.Some(o.unread)
	q.NotConfirmed = app.Some(o.unconfirmed)
	if q.NextBefore, err = a.When(ctx, o.next); err != nil {
		return q, err
	}
	if q.DueBefore, err = a.When(ctx, o.due); err != nil {
		return q, err
	}
	for _, s := range o.severities {
		if s < 1 || s > 4 {
			return q, app.Usagef("--severity is 1, 2, 3 or 4, not %d", s)
		}
	}
	if len(o.vendors) > 0 {
		q.Vendor = &o.vendors
	}
	if len(o.severities) > 0 {
		q.Severity = &o.severities
	}
	for _, s := range o.states {
		q.State = new(append(app.Deref(q.State), clientgen.StateFilter(s)))
	}
	for _, k := range o.kinds {
		q.Kind = new(append(app.Deref(q.Kind), clientgen.CaseKind(k)))
	}
	if q.Asset, err = a.idOf(ctx, c, "asset", o.asset); err != nil {
		return q, err
	}
	if q.Account, err = a.idOf(ctx, c, "account", o.account); err != nil {
		return q, err
	}
	q.Contract, err = a.idOf(ctx, c, "contract", o.contract)
	return q, err
}

// idOf is the id of what is named; nil where no name is given.
func (a *Commands) idOf(ctx context.Context, c *client.Client, kind, name string) (*int64, error) {
	if name == "" {
		return nil, nil
	}
	hit, err := a.Named(ctx, c, kind, name)
	return &hit.Id, err
}

// listed prints up to most of the cases that a query fits.
func (a *Commands) listed(ctx context.Context, c *client.Client, q clientgen.CaseQuery, most int, at *time.Time,
	known *bool) error {
	p := a.params(ctx, q)
	p.At, p.Known = at, known
	items := []clientgen.CaseLine{}
	for len(items) < most {
		p.Limit = app.Some(min(200, most-len(items)))
		res, err := c.ListCases(ctx, &p)
		page, _, err := client.Read[clientgen.CasePage](c, res, err)
		if err != nil {
			return err
		}
		items = append(items, page.Items...)
		if p.Cursor = page.Next; p.Cursor == nil {
			break
		}
	}
	if err := a.printCases(ctx, items); err != nil {
		return err
	}
	a.AndMore(p.Cursor != nil)
	return nil
}

func (a *Commands) printCases(ctx context.Context, items []clientgen.CaseLine) error {
	p := a.Printer()
	if a.Format == "json" {
		return p.JSON(items)
	}
	if len(items) == 0 && a.Format == "table" {
		p.Line("No matching cases.")
		return nil
	}
	if a.Format == "csv" {
		var rows [][]string
		for _, l := range items {
			rows = append(rows, []string{l.Number, l.Title, l.VendorKey, app.Deref(l.Reference), string(l.Kind),
				string(l.State), app.Raw(l.Severity), app.Deref(l.LevelLabel), app.Raw(l.Standing), app.Raw(l.Deadline),
				app.Raw(l.Due),
				app.Raw(l.Move), app.Deref(l.Owner), fmt.Sprint(l.Unread), app.Raw(&l.OpenedAt), app.Raw(&l.ChangedAt),
				app.Raw(l.LastVendorAt), app.Raw(l.NextAt), app.Raw(l.ParkedUntil)})
		}
		p.Table(app.Columns("case", "title", "vendor", "vendor_reference", "kind", "state", "severity", "vendor_level",
			"standing", "deadline", "due",
			"move", "owner", "unread", "opened", "changed", "last_vendor_reply", "next", "parked_until"), rows)
		return nil
	}
	times := a.Times(ctx)
	p.Line("Times in %s\n", times.Name())
	var rows [][]string
	for _, l := range items {
		fresh := ""
		if n := app.Deref(l.New); n > 0 {
			fresh = fmt.Sprint(n)
		}
		rows = append(rows, []string{cases.SeverityText(l), l.Number, l.Title, l.Vendor, app.Deref(l.Reference),
			words.States.Of(string(l.State)), p.Standing(string(app.Deref(l.Standing))), times.Short(l.Due),
			out.Move(string(app.Deref(l.Move))), times.Short(l.NextAt), fresh, app.Deref(l.OwnerInitials)})
	}
	p.Table([]out.Column{{Name: "severity"}, {Name: "case"}, {Name: "title", Main: true},
		{Name: "vendor", Shrink: true, Drop: 5}, {Name: "vendor ref", Drop: 3}, {Name: "state", Drop: 4}, {Name: "standing"},
		{Name: "due", Drop: 6}, {Name: "waiting on", Drop: 2}, {Name: "next", Drop: 4}, {Name: "new", Right: true, Drop: 1},
		{Name: "owner", Drop: 1}}, rows)
	return nil
}
