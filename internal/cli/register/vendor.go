package register

import (
	"fmt"
	"sort"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/core/register"
)

// Vendors is the command group vendor.
func (a *Commands) Vendors() *cobra.Command {
	list := &cobra.Command{Use: "list", Short: "List the vendors", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.Client()
			if err != nil {
				return err
			}
			res, err := c.ListVendors(cmd.Context(), &clientgen.ListVendorsParams{})
			all, _, err := client.Read[clientgen.Vendors](c, res, err)
			if err != nil {
				return err
			}
			p := a.Printer()
			if a.Format == "json" {
				return p.JSON(all.Items)
			}
			var rows [][]string
			for _, v := range all.Items {
				rows = append(rows, []string{v.Key, v.Name, localTime(v), openWord(v), app.Itoa(v.LiveCases), v.Does})
			}
			p.Table([]out.Column{{Name: "key"}, {Name: "name", Main: true}, {Name: "there", Drop: 2}, {Name: "hours", Drop: 3},
				{Name: "live", Right: true}, {Name: "for", Shrink: true, Drop: 1}}, rows)
			return nil
		}}
	show := &cobra.Command{Use: "show VENDOR", Short: "Show how to deal with a vendor: levels, promises, hours, link",
		Args:    cobra.ExactArgs(1),
		Example: "  roundhouse vendor show corvane",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.Client()
			if err != nil {
				return err
			}
			res, err := c.GetVendor(cmd.Context(), args[0])
			v, _, err := client.Read[clientgen.Vendor](c, res, err)
			if err != nil {
				return err
			}
			if a.Format == "json" {
				return a.Printer().JSON(v)
			}
			a.showVendor(v)
			return nil
		}}
	return app.Group("vendor", "Those we buy from", list, show, a.NounAdd(vendorNoun), a.NounChange(vendorNoun),
		a.NounRemove(vendorNoun), a.vendorCards(), a.vendorExport(), a.vendorCheck(), a.vendorImport(), a.vendorSchema())
}

func localTime(v clientgen.Vendor) string {
	loc, err := time.LoadLocation(v.Zone)
	if err != nil {
		return v.Zone
	}
	return time.Now().In(loc).Format("Mon 15:04")
}

func openWord(v clientgen.Vendor) string {
	word := "closed"
	if v.Open {
		word = "open"
	}
	if v.Until != nil {
		loc, err := time.LoadLocation(v.Zone)
		if err == nil {
			word += " till " + v.Until.In(loc).Format("Mon 15:04") + " there"
		}
	}
	return word
}

func (a *Commands) showVendor(v clientgen.Vendor) {
	p := a.Printer()
	p.Line("%s (%s)\n%s\n%s there, %s; zone %s; %d live cases\n", v.Name, v.Key, v.Does, localTime(v), openWord(v),
		v.Zone, v.LiveCases)
	p.Line("Levels")
	for _, l := range v.Levels {
		ours := make([]string, len(l.Severities))
		for i, s := range l.Severities {
			ours[i] = app.Itoa(s)
		}
		from := "chosen by hand"
		if len(ours) > 0 {
			from = "our severity " + strings.Join(ours, ", ")
		}
		p.Line("  %d %-14s %s; %s", l.Rank, l.Label, from, app.Deref(l.Meaning))
		for _, c := range l.Criteria {
			p.Line("      to confirm: %s", c.Text)
		}
		if l.Channels != nil {
			p.Line("      only by %s", register.Listed(*l.Channels))
		}
		if l.RoundTheClock {
			p.Line("      needs a contact round the clock")
		}
	}
	for _, k := range v.Contracts {
		p.Line("\nContract %s, %s to %s (on a change of level: %s; while the move is ours: %s)", k.Number, k.StartsOn,
			k.EndsOn, k.OnChange, k.WhileOurs)
		var rows [][]string
		terms := append([]clientgen.Term(nil), k.Terms...)
		sort.SliceStable(terms, func(i, j int) bool { return terms[i].Rank < terms[j].Rank })
		for _, t := range terms {
			only := strings.TrimSpace(strings.Join([]string{app.Deref(t.Kind), app.Deref(t.Channel), app.Deref(t.Country)}, " "))
			rows = append(rows, []string{app.Deref(t.Label), string(t.Deadline), t.Target, t.Calendar, only})
		}
		p.Table([]out.Column{{Name: "level"}, {Name: "promise"}, {Name: "within"}, {Name: "counted in"}, {Name: "only for"}},
			rows)
	}
	p.Line("\nHours")
	for _, h := range v.Hours {
		p.Line("  %s, %s: %s", h.Name, h.Zone, HoursWords(h))
	}
	if v.Facts != nil {
		a.showFacts(*v.Facts)
	}
	for _, l := range app.Deref(v.Links) {
		p.Line("\nLink %s (%s) %s", l.Name, l.Channel, l.Address)
		switch {
		case l.FailingSince != nil:
			p.Line("  failing since %s: %s", l.FailingSince.Local().Format("2 Jan 15:04"), app.Deref(l.Problem))
		case l.LastLookAt != nil:
			p.Line("  last looked at %s", l.LastLookAt.Local().Format("2 Jan 15:04:05"))
		}
		if n := app.Deref(l.NotPlaced); n > 0 {
			p.Line("  %s could not be taken in; the service's log says why", app.Number(n, "event"))
		}
	}
}

// showFacts says how to reach the vendor, whom to go to, and what it wants to know.
func (a *Commands) showFacts(f clientgen.VendorFacts) {
	p := a.Printer()
	say := func(label string, value *string) {
		if app.Deref(value) != "" {
			p.Line("%-19s %s", label, *value)
		}
	}
	p.Line("")
	say("kind", f.Kind)
	say("site", f.Site)
	say("another way in", f.OtherWay)
	say("start with", f.Through)
	say("logins", f.LoginHow)
	if n := app.Deref(f.ClosesAfterDays); n > 0 {
		p.Line("%-19s %s after our last word; reopens within %d", "closes by itself", app.Number(n, "day"),
			app.Deref(f.ReopensWithinDays))
	}
	say("note", f.Note)
	say("numbers look like", f.ReferencePattern)
	say("automatic answers", f.AutomaticPattern)
	titled(p, len(app.Deref(f.UsualTerms)), "What their contracts usually promise")
	for _, t := range app.Deref(f.UsualTerms) {
		only := strings.Join(strings.Fields(strings.Join([]string{app.Deref(t.Kind), app.Deref(t.Channel),
			app.Deref(t.Country)}, " ")), ", ")
		p.Line("  %-14s %-6s %s", t.Deadline, t.Target,
			strings.TrimSpace(fmt.Sprintf("level %d %s %s", t.Level, app.Deref(t.Calendar), only)))
	}
	titled(p, len(app.Deref(f.StatusWords)), "Their words")
	for _, w := range app.Deref(f.StatusWords) {
		var means []string
		if w.State != nil && *w.State != "" {
			means = append(means, map[string]string{"taken-in": "they have taken it in", "fix-offered": "a fix is offered",
				"ended": "they have closed their side"}[string(*w.State)])
		}
		if w.Move != nil && *w.Move != "" {
			means = append(means, "the move is "+string(*w.Move))
		}
		p.Line("  %q: %s", w.Word, app.FirstOf(strings.Join(means, ", "), "says nothing of the case"))
	}
	titled(p, len(app.Deref(f.Ways)), "Ways")
	for _, w := range app.Deref(f.Ways) {
		line := fmt.Sprintf("  %-7s %s", w.Channel, w.Address)
		for _, more := range []string{app.Deref(w.Area), map[bool]string{true: "urgent"}[app.Deref(w.Urgent)],
			app.Deref(w.Calendar), strings.Join(app.Deref(w.FileTypes), " ")} {
			if more != "" {
				line += "; " + more
			}
		}
		if n := app.Deref(w.MaxMb); n > 0 {
			line += fmt.Sprintf("; files up to %d MB", n)
		}
		p.Line("%s", line)
	}
	a.showPeople(f)
}

// titled is a heading, where there is something under it.
func titled(p *out.Printer, n int, s string) {
	if n > 0 {
		p.Line("\n%s", s)
	}
}

// showPeople says whom to go to, what they take and ask, and who of ours may do what there.
func (a *Commands) showPeople(f clientgen.VendorFacts) {
	p := a.Printer()
	titled(p, len(app.Deref(f.People)), "People")
	for _, x := range app.Deref(f.People) {
		p.Line("  %s, %s; %s %s", x.Name, app.Deref(x.Role), app.Deref(x.Phone), app.Deref(x.Email))
	}
	titled(p, len(app.Deref(f.Ladder)), "Ladder")
	for i, r := range app.Deref(f.Ladder) {
		p.Line("  %d %s: %s; %s", i+1, strings.TrimSpace(r.Role+" "+app.Deref(r.Name)), r.How, dueWords(r))
	}
	if takes := app.Deref(f.Takes); len(takes) > 0 {
		p.Line("\nThey take %s", strings.Join(takes, ", "))
	}
	titled(p, len(app.Deref(f.Forms)), "What they ask")
	for _, x := range app.Deref(f.Forms) {
		must := "may"
		if app.Deref(x.Must) {
			must = "must"
		}
		line := fmt.Sprintf("  %-9s %-4s %-16s %s (%s)", x.Kind, must, x.Key, x.Label, x.Type)
		if choices := app.Deref(x.Choices); len(choices) > 0 {
			line += ": " + strings.Join(choices, ", ")
		}
		if hint := app.Deref(x.Hint); hint != "" {
			line += "; " + hint
		}
		p.Line("%s", line)
	}
	titled(p, len(app.Deref(f.Access)), "Ours there")
	for _, x := range app.Deref(f.Access) {
		p.Line("  %s: may %s", x.Person, strings.Join(app.Deref(x.May), ", "))
	}
	titled(p, len(app.Deref(f.Partners)), "Partners who act for us")
	for _, x := range app.Deref(f.Partners) {
		p.Line("  %s: %s, since %s until %s", x.Partner, x.What, x.Since, app.FirstOf(app.Deref(x.Until), "taken back"))
	}
}

func dueWords(r clientgen.Rung) string {
	switch {
	case app.Deref(r.LateBy) != "":
		return "late by " + *r.LateBy
	case app.Deref(r.FixesRejected) > 0:
		return fmt.Sprintf("after %d rejected fixes", *r.FixesRejected)
	case app.Deref(r.Reopened) > 0:
		return fmt.Sprintf("reopened %d times", *r.Reopened)
	case app.Deref(r.OpenLonger) != "":
		return fmt.Sprintf("open longer than %s at severity %d or worse", *r.OpenLonger, app.Deref(r.Severity))
	}
	return "only by a person"
}

// HoursWords says hours in a line.
func HoursWords(h clientgen.Hours) string {
	if h.Always {
		return "round the clock"
	}
	var parts []string
	for _, d := range []string{"mon", "tue", "wed", "thu", "fri", "sat", "sun"} {
		if ws := app.Deref(h.Week)[d]; len(ws) > 0 {
			parts = append(parts, d+" "+strings.Join(ws, " "))
		}
	}
	words := strings.Join(parts, ", ")
	if h.Closed != nil {
		words += "; closed on " + app.Number(len(*h.Closed), "date")
	}
	return words
}
