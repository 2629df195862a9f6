package cases

import (
	"context"
	"fmt"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/core/words"
)

func (a *Commands) caseList() *cobra.Command {
	var o listOptions
	var limit int
	c := &cobra.Command{Use: "list", Short: "List cases of all vendors; only live ones by default",
		Args: cobra.NoArgs,
		Example: "  roundhouse case list --vendor tallow --severity 1,2\n" +
			"  roundhouse case list --kind wish\n" +
			"  roundhouse case list --all --words snapshot -o json",
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.Client()
			if err != nil {
				return err
			}
			p, err := a.params(cmd.Context(), c, o)
			if err != nil {
				return err
			}
			most, err := a.Limit(cmd, limit)
			if err != nil {
				return err
			}
			return a.listed(cmd.Context(), c, p, most)
		}}
	f := c.Flags()
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
	f.StringVar(&o.sort, "sort", "newest", "newest, oldest, severity or changed")
	f.BoolVar(&o.mine, "mine", false, "only cases that you own")
	f.BoolVar(&o.unnumbered, "no-reference", false, "only live cases without a vendor reference yet")
	f.BoolVar(&o.unsorted, "unsorted", false, "only cases with a vendor, product or kind that the desk does not have yet")
	f.BoolVar(&o.all, "all", false, "cases in every state")
	app.LimitFlag(c, &limit)
	return c
}

// listOptions are the flags of the list.
type listOptions struct {
	states, vendors, kinds                      []string
	severities                                  []int
	move, words, sort, asset, account, contract string
	mine, all, unnumbered, unsorted             bool
}

// params are the flags as the API takes them.
func (a *Commands) params(ctx context.Context, c *client.Client, o listOptions) (p clientgen.ListCasesParams,
	err error) {
	if len(o.states) == 0 && !o.all && !o.unsorted { // what is to be sorted is a draft as a rule
		o.states = []string{"live"}
	}
	p = clientgen.ListCasesParams{Sort: app.Some(clientgen.CaseSort(o.sort)), Words: app.Some(o.words),
		Move: app.Some(clientgen.Side(o.move)), NoReference: app.Some(o.unnumbered),
		Unsorted: app.Some(o.unsorted)}
	if o.mine {
		p.Whose = app.Some(clientgen.WhoseMine)
	}
	for _, s := range o.severities {
		if s < 1 || s > 4 {
			return p, app.Usagef("--severity is 1, 2, 3 or 4, not %d", s)
		}
	}
	if len(o.vendors) > 0 {
		p.Vendor = &o.vendors
	}
	if len(o.severities) > 0 {
		p.Severity = &o.severities
	}
	for _, s := range o.states {
		p.State = new(append(app.Deref(p.State), clientgen.StateFilter(s)))
	}
	for _, k := range o.kinds {
		p.Kind = new(append(app.Deref(p.Kind), clientgen.CaseKind(k)))
	}
	if p.Asset, err = a.idOf(ctx, c, "asset", o.asset); err != nil {
		return p, err
	}
	if p.Account, err = a.idOf(ctx, c, "account", o.account); err != nil {
		return p, err
	}
	p.Contract, err = a.idOf(ctx, c, "contract", o.contract)
	return p, err
}

// idOf is the id of what is named; nil where no name is given.
func (a *Commands) idOf(ctx context.Context, c *client.Client, kind, name string) (*int64, error) {
	if name == "" {
		return nil, nil
	}
	hit, err := a.Named(ctx, c, kind, name)
	return &hit.Id, err
}

// listed prints up to most of the cases that a filter fits.
func (a *Commands) listed(ctx context.Context, c *client.Client, p clientgen.ListCasesParams, most int) error {
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
		unread := ""
		if l.Unread > 0 {
			unread = fmt.Sprint(l.Unread)
		}
		rows = append(rows, []string{SeverityText(l), l.Number, l.Title, l.Vendor, app.Deref(l.Reference),
			words.States.Of(string(l.State)), p.Standing(string(app.Deref(l.Standing))), times.Short(l.Due),
			out.Move(string(app.Deref(l.Move))), unread, app.Deref(l.OwnerInitials)})
	}
	p.Table([]out.Column{{Name: "severity"}, {Name: "case"}, {Name: "title", Main: true},
		{Name: "vendor", Shrink: true, Drop: 5}, {Name: "vendor ref", Drop: 3}, {Name: "state", Drop: 4}, {Name: "standing"},
		{Name: "due", Drop: 6}, {Name: "waiting on", Drop: 2}, {Name: "new", Right: true, Drop: 1},
		{Name: "owner", Drop: 1}}, rows)
	return nil
}

// SeverityText is a case's severity with its word; empty where it is not graded.
func SeverityText(l clientgen.CaseLine) string {
	if l.Severity == nil {
		return "-"
	}
	return fmt.Sprintf("%d %s", *l.Severity, app.Deref(l.SeverityWord))
}
