package cli

import (
	"strings"
	"time"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
)

func (a *app) today() *cobra.Command {
	var mine bool
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
			res, err := c.GetToday(cmd.Context(), &clientgen.GetTodayParams{Whose: &whose})
			t, _, err := client.Read[clientgen.Today](c, res, err)
			if err != nil {
				return err
			}
			p := a.printer()
			if a.format == "json" {
				return p.JSON(t)
			}
			now := time.Now()
			p.Line("%d late, %d due soon, %d not read, %d on the way, %d live", t.Late, t.DueSoon, t.Unread, t.OnTheWay, t.Live)
			if len(t.Lines) == 0 {
				p.Line("\nNothing presses. roundhouse case open begins a case.")
				a.endingContracts(t.Contracts)
				return nil
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
			p.Table([]out.Column{{Name: "severity"}, {Name: "case"}, {Name: "title", Shrink: true}, {Name: "vendor", Shrink: true}, {Name: "why it stands here", Shrink: true}, {Name: "standing"},
				{Name: "due"}, {Name: "move"}, {Name: "who"}, {Name: "next"}}, rows)
			a.endingContracts(t.Contracts)
			return nil
		}}
	c.Flags().BoolVar(&mine, "mine", false, "only the cases that you own")
	return c
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
			res, err := c.ListVendors(cmd.Context())
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
			p.Table([]out.Column{{Name: "key"}, {Name: "name"}, {Name: "there"}, {Name: "hours"}, {Name: "live", Right: true}, {Name: "for", Shrink: true}}, rows)
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
