package cli

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
)

func (a *app) today() *cobra.Command {
	var mine bool
	var limit int
	c := &cobra.Command{Use: "today", Short: "What needs doing next, most pressing first", Args: cobra.NoArgs,
		Example: "  roundhouse today\n  roundhouse today --mine -o json",
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.client()
			if err != nil {
				return err
			}
			whose := clientgen.WhoseDesk
			if mine {
				whose = clientgen.WhoseMine
			}
			most, err := a.limit(cmd, limit)
			if err != nil {
				return err
			}
			t, err := wholeToday(cmd.Context(), c, whose, most)
			if err != nil {
				return err
			}
			p := a.printer()
			if a.format == "json" {
				return p.JSON(t)
			}
			now := time.Now()
			p.Line("%d late, %d due soon, %d not read, %d on the way, %d live", t.Late, t.DueSoon, t.Unread, t.OnTheWay, t.Live)
			if len(t.Lines) == 0 && a.format == "table" {
				p.Line("\nNothing presses. roundhouse case open begins a case.")
				a.endingContracts(t.Contracts)
				return nil
			}
			if a.format == "csv" {
				return a.todayCSV(t)
			}
			p.Line("")
			var rows [][]string
			for _, l := range t.Lines {
				next := l.StepWords
				if l.Step == "look" { // nothing is asked of anybody yet
					next = ""
				}
				rows = append(rows, []string{severityText(l.Case), l.Case.Number, l.Case.Title, l.Case.Vendor, l.Why, p.Standing(string(deref(l.Standing))),
					out.Time(l.Due, now), out.Move(string(deref(l.Case.Move))), deref(l.Case.OwnerInitials), next})
			}
			p.Table([]out.Column{{Name: "severity"}, {Name: "case"}, {Name: "title", Main: true}, {Name: "vendor", Shrink: true, Drop: 3}, {Name: "reason", Shrink: true}, {Name: "standing", Drop: 5},
				{Name: "due", Drop: 4}, {Name: "move", Drop: 2}, {Name: "owner", Drop: 1}, {Name: "next"}}, rows)
			if more := t.Total - len(t.Lines); more > 0 {
				p.Line("and %d less pressing: --limit shows more", more)
			}
			a.endingContracts(t.Contracts)
			return nil
		}}
	c.Flags().IntVar(&limit, "limit", 50, "maximum number of lines; json and csv show all unless it is given")
	c.Flags().BoolVar(&mine, "mine", false, "only the cases that you own")
	return c
}

// wholeToday is Today up to so many lines.
func wholeToday(ctx context.Context, c *client.Client, whose clientgen.Whose, most int) (t clientgen.Today, err error) {
	p := clientgen.GetTodayParams{Whose: &whose}
	for {
		p.Limit = some(min(500, most-len(t.Lines)))
		res, err := c.GetToday(ctx, &p)
		page, _, err := client.Read[clientgen.Today](c, res, err)
		if err != nil {
			return t, err
		}
		page.Lines, page.Contracts = append(t.Lines, page.Lines...), append(t.Contracts, page.Contracts...)
		t = page
		if t.Next == nil || len(t.Lines) >= most {
			return t, nil
		}
		p.Cursor = t.Next
	}
}

func (a *app) todayCSV(t clientgen.Today) error {
	var rows [][]string
	for _, l := range t.Lines {
		rows = append(rows, []string{raw(l.Case.Severity), l.Case.Number, l.Case.Title, l.Case.VendorKey, l.Why, raw(l.Standing), raw(l.Due), raw(l.Case.Move), deref(l.Case.Owner), l.Step})
	}
	a.printer().Table(named("severity", "case", "title", "vendor", "why", "standing", "due", "move", "owner", "step"), rows)
	return nil
}

// named are columns by name alone.
func named(names ...string) (cols []out.Column) {
	for _, n := range names {
		cols = append(cols, out.Column{Name: n})
	}
	return cols
}

// raw is a value as programs read it: instants in RFC 3339 and UTC, words as the API says them.
func raw[T any](p *T) string {
	if p == nil {
		return ""
	}
	if t, ok := any(*p).(time.Time); ok {
		return t.UTC().Format(time.RFC3339)
	}
	return fmt.Sprint(*p)
}

// endingContracts stand below what presses; programs read them with -o json.
func (a *app) endingContracts(list []clientgen.ContractLine) {
	if len(list) == 0 || a.format == "csv" {
		return
	}
	p := a.printer()
	p.Line("\nContracts")
	var rows [][]string
	for _, k := range list {
		rows = append(rows, []string{k.Number, k.Vendor, strings.Join(k.Words, "; ")})
	}
	p.Table([]out.Column{{Name: "contract"}, {Name: "vendor", Shrink: true}, {Name: "what comes", Shrink: true}}, rows)
}

func (a *app) vendors() *cobra.Command {
	list := &cobra.Command{Use: "list", Short: "List the vendors", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.client()
			if err != nil {
				return err
			}
			res, err := c.ListVendors(cmd.Context(), &clientgen.ListVendorsParams{})
			all, _, err := client.Read[clientgen.Vendors](c, res, err)
			if err != nil {
				return err
			}
			p := a.printer()
			if a.format == "json" {
				return p.JSON(all.Items)
			}
			var rows [][]string
			for _, v := range all.Items {
				rows = append(rows, []string{v.Key, v.Name, localTime(v), openWord(v), itoa(v.LiveCases), v.Does})
			}
			p.Table([]out.Column{{Name: "key"}, {Name: "name", Main: true}, {Name: "there", Drop: 2}, {Name: "hours", Drop: 3}, {Name: "live", Right: true}, {Name: "for", Shrink: true, Drop: 1}}, rows)
			return nil
		}}
	show := &cobra.Command{Use: "show VENDOR", Short: "Show how to deal with a vendor: levels, promises, hours, link", Args: cobra.ExactArgs(1),
		Example: "  roundhouse vendor show corvane",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.client()
			if err != nil {
				return err
			}
			res, err := c.GetVendor(cmd.Context(), args[0])
			v, _, err := client.Read[clientgen.Vendor](c, res, err)
			if err != nil {
				return err
			}
			if a.format == "json" {
				return a.printer().JSON(v)
			}
			a.showVendor(v)
			return nil
		}}
	return group("vendor", "Those we buy from", list, show, a.nounAdd(vendorNoun), a.nounChange(vendorNoun), a.nounRemove(vendorNoun), a.vendorCards(), a.vendorExport(), a.vendorCheck(), a.vendorImport(), a.vendorSchema())
}
