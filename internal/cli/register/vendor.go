package register

import (
	"fmt"
	"slices"
	"sort"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/core/words"
)

// Vendors is the command group vendor.
func (a *Commands) Vendors() *cobra.Command {
	list := &cobra.Command{Use: "list", Short: "List vendors", Args: cobra.NoArgs, Example: "  roundhouse vendor list",
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
			now := a.Now(cmd.Context())
			var rows [][]string
			for _, v := range all.Items {
				rows = append(rows, []string{v.Key, v.Name, localTime(v, now), openWord(v), app.Itoa(v.LiveCases), v.Does})
			}
			p.Table([]out.Column{{Name: "key"}, {Name: "name", Main: true}, {Name: "local time", Drop: 2},
				{Name: "hours", Drop: 3},
				{Name: "live cases", Right: true}, {Name: "what we buy", Shrink: true, Drop: 1}}, rows)
			return nil
		}}
	show := &cobra.Command{Use: "show VENDOR", Short: "Show how to deal with a vendor: levels, targets, hours, links",
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
			a.showVendor(v, a.Times(cmd.Context()))
			return nil
		}}
	return app.Group("vendor", "Vendors: levels, hours, people, contracts, packs", list, show, a.NounAdd(vendorNoun),
		a.NounChange(vendorNoun),
		a.NounRemove(vendorNoun), a.vendorCards(), a.vendorExport(), a.vendorCheck(), a.vendorImport(), a.vendorSchema())
}

func localTime(v clientgen.Vendor, now time.Time) string {
	loc, err := time.LoadLocation(v.Zone)
	if err != nil {
		return v.Zone
	}
	return now.In(loc).Format("Mon 15:04")
}

func openWord(v clientgen.Vendor) string {
	word := "closed"
	if v.Open {
		word = "open"
	}
	if v.Until != nil {
		loc, err := time.LoadLocation(v.Zone)
		if err == nil {
			word += " until " + v.Until.In(loc).Format("Mon 15:04") + " local time"
		}
	}
	return word
}

func (a *Commands) showVendor(v clientgen.Vendor, times out.Times) {
	p := a.Printer()
	p.Line("%s (%s)\n%s\nIt is %s there (%s): %s. %s.\n", v.Name, v.Key, v.Does, localTime(v, times.Now), v.Zone,
		openWord(v),
		app.Number(v.LiveCases, "live case"))
	p.Line("Levels")
	for _, l := range v.Levels {
		ours := make([]string, len(l.Severities))
		for i, s := range l.Severities {
			ours[i] = app.Itoa(s)
		}
		from := "no severity maps to it"
		if len(ours) > 0 {
			from = "severity " + strings.Join(ours, ", ")
		}
		p.Line("  %d %-14s %s; %s", l.Rank, l.Label, from, app.Deref(l.Meaning))
		for _, c := range l.Criteria {
			p.Line("      condition: %s", c.Text)
		}
		if l.Channels != nil {
			p.Line("      only %s", byChannels(*l.Channels))
		}
		if l.RoundTheClock {
			p.Line("      needs a contact round the clock")
		}
	}
	for _, k := range v.Contracts {
		p.Line("\nContract %s, %s to %s (clocks on a level change: %s; while waiting on us: %s)", k.Number, k.StartsOn,
			k.EndsOn, words.Inline(words.OnChange.Of(k.OnChange)), words.Inline(words.WhileOurs.Of(k.WhileOurs)))
		var rows [][]string
		terms := append([]clientgen.Term(nil), k.Terms...)
		sort.SliceStable(terms, func(i, j int) bool {
			a, b := terms[i], terms[j]
			return a.Rank < b.Rank || a.Rank == b.Rank && words.Deadlines.At(string(a.Deadline)) <
				words.Deadlines.At(string(b.Deadline))
		})
		for _, t := range terms {
			rows = append(rows, []string{app.Deref(t.Label), words.Deadlines.Of(string(t.Deadline)), words.Target(t.Target),
				t.Calendar, narrowed(app.Deref(t.Kind), app.Deref(t.Channel), app.Deref(t.Country))})
		}
		if len(rows) == 0 {
			p.Line("It has no targets.")
			continue
		}
		p.Table([]out.Column{{Name: "level"}, {Name: "deadline"}, {Name: "target"}, {Name: "calendar"}, {Name: "only"}},
			rows)
	}
	p.Line("\nHours")
	for _, h := range v.Hours {
		p.Line("  %s, %s: %s", h.Name, h.Zone, HoursWords(h))
	}
	if v.Facts != nil {
		a.showFacts(*v.Facts)
	}
	a.showWaits(app.Deref(v.Waits))
	for _, l := range app.Deref(v.Links) {
		p.Line("\nLink %s (%s) %s", l.Name, words.Channels.Of(string(l.Channel)), l.Address)
		switch {
		case l.FailingSince != nil:
			p.Line("  failing since %s: %s", times.Short(l.FailingSince), app.Deref(l.Problem))
		case l.LastLookAt != nil:
			p.Line("  last checked %s (%s)", times.Full(*l.LastLookAt), times.Name())
		}
		if n := app.Deref(l.NotPlaced); n > 0 {
			p.Line("  %s could not be matched to a case; the service log says why", app.Number(n, "event"))
		}
	}
}

// showWaits says what was promised and what it took.
func (a *Commands) showWaits(list []clientgen.Wait) {
	if len(list) == 0 {
		return
	}
	p := a.Printer()
	p.Line("\nPromised and actual times in the last year, in covered hours")
	var rows [][]string
	for _, x := range list {
		rows = append(rows, []string{words.Channels.Of(string(x.Channel)), words.Deadlines.Of(string(x.Deadline)),
			app.Raw(&x.Cases), words.Span(x.PromisedSeconds), words.Took(x.RealSeconds),
			words.Took(x.SlowestSeconds), app.Raw(&x.Late)})
	}
	p.Table([]out.Column{{Name: "filed by"}, {Name: "deadline", Main: true}, {Name: "cases", Right: true},
		{Name: "promised", Right: true}, {Name: "half took up to", Right: true}, {Name: "nine of ten", Right: true},
		{Name: "late", Right: true}}, rows)
}

// endings says when a vendor closes a case by itself, and how it reopens one.
func endings(p *out.Printer, f clientgen.VendorFacts) {
	if n := app.Deref(f.ClosesAfterDays); n > 0 {
		p.Line("%-19s after %s without a reply from us", "closes by itself", app.Number(n, "day"))
	}
	if n := app.Deref(f.ReopensWithinDays); n > 0 {
		p.Line("%-19s within %s", "reopens a case", app.Number(n, "day"))
	}
	if list := app.Deref(f.ReopensBy); len(list) > 0 {
		by := make([]string, len(list))
		for i, k := range list {
			by[i] = words.By(string(k))
		}
		p.Line("%-19s only %s", "takes a reopening", strings.Join(by, " or "))
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
	say("other way in", f.OtherWay)
	say("start with", f.Through)
	say("logins", f.LoginHow)
	endings(p, f)
	say("note", f.Note)
	say("reference pattern", f.ReferencePattern)
	say("reference page", f.ReferencePage)
	if app.Deref(f.GivesNoReference) {
		p.Line("%-19s it gives none", "references")
	}
	say("automatic replies", f.AutomaticPattern)
	titled(p, len(app.Deref(f.UsualTerms)), "Usual targets of its contracts")
	for _, t := range app.Deref(f.UsualTerms) {
		line := fmt.Sprintf("  level %d  %-14s  %s", t.Level, words.Deadlines.Of(t.Deadline), words.Target(t.Target))
		if c := app.Deref(t.Calendar); c != "" {
			line += ", calendar " + c
		}
		if only := narrowed(app.Deref(t.Kind), string(app.Deref(t.Channel)), app.Deref(t.Country)); only != "" {
			line += ", only " + only
		}
		p.Line("%s", line)
	}
	titled(p, len(app.Deref(f.StatusWords)), "Status words")
	for _, w := range app.Deref(f.StatusWords) {
		var means []string
		if w.State != nil && *w.State != "" {
			means = append(means, words.Inline(words.StatusStates.Of(string(*w.State))))
		}
		if w.Move != nil && *w.Move != "" {
			means = append(means, "waiting on "+words.Sides.Of(string(*w.Move)))
		}
		p.Line("  %q: %s", w.Word, app.FirstOf(strings.Join(means, ", "), "no meaning for the case"))
	}
	titled(p, len(app.Deref(f.Ways)), "Ways to reach it")
	for _, w := range app.Deref(f.Ways) {
		line := fmt.Sprintf("  %-7s %s", words.Channels.Of(string(w.Channel)), w.Address)
		for _, more := range []string{app.Deref(w.Area), map[bool]string{true: "urgent only"}[app.Deref(w.Urgent)],
			app.Deref(w.Calendar), strings.Join(app.Deref(w.FileTypes), ", ")} {
			if more != "" {
				line += "; " + more
			}
		}
		if n := app.Deref(w.MaxMb); n > 0 {
			line += fmt.Sprintf("; files up to %d MB", n)
		}
		p.Line("%s", line)
	}
	a.showLimits(f)
	a.showPeople(f)
}

// showLimits says what its channels take at once.
func (a *Commands) showLimits(f clientgen.VendorFacts) {
	p := a.Printer()
	titled(p, len(app.Deref(f.Limits)), "Limits of its channels")
	for _, l := range app.Deref(f.Limits) {
		var parts []string
		if n := app.Deref(l.Title); n > 0 {
			parts = append(parts, fmt.Sprintf("a title of %d characters", n))
		}
		if n := app.Deref(l.Text); n > 0 {
			parts = append(parts, fmt.Sprintf("a text of %d bytes", n))
		}
		if s := app.Deref(l.Letters); s != "" {
			parts = append(parts, words.Letters.Of(s))
		}
		p.Line("  %-7s %s", words.Channels.Of(l.Channel), strings.Join(parts, ", "))
	}
}

// narrowed says which cases alone a target is for; empty where it is for all.
func narrowed(kind, channel, country string) string {
	var parts []string
	if kind != "" {
		parts = append(parts, "for kind "+words.Kinds.Of(kind))
	}
	if channel != "" {
		parts = append(parts, words.By(channel))
	}
	if country != "" {
		parts = append(parts, "in "+country)
	}
	return strings.Join(parts, ", ")
}

// byChannels is how something has to come: by phone or by chat.
func byChannels(list []clientgen.Channel) string {
	parts := make([]string, len(list))
	for i, c := range list {
		parts[i] = words.By(string(c))
	}
	return strings.Join(parts, " or ")
}

// joined puts parts together, without the empty ones.
func joined(between string, parts ...string) string {
	return strings.Join(slices.DeleteFunc(parts, func(s string) bool { return s == "" }), between)
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
		p.Line("  %s", joined(", ", x.Name, app.Deref(x.Role), app.Deref(x.Phone), app.Deref(x.Email)))
	}
	titled(p, len(app.Deref(f.Ladder)), "Escalation ladder")
	for i, r := range app.Deref(f.Ladder) {
		p.Line("  %d %s: %s; %s", i+1, strings.TrimSpace(r.Role+" "+app.Deref(r.Name)), r.How, dueWords(r))
	}
	if takes := app.Deref(f.Takes); len(takes) > 0 {
		kinds := make([]string, len(takes))
		for i, k := range takes {
			kinds[i] = words.Inline(words.Kinds.Of(k))
		}
		p.Line("\nOnly takes: %s", strings.Join(kinds, ", "))
	}
	titled(p, len(app.Deref(f.LeadTimes)), "Wants to know ahead")
	for _, x := range app.Deref(f.LeadTimes) {
		p.Line("  %s: %s before it is needed", words.Inline(words.Kinds.Of(x.Kind)), app.Number(x.Days, "day"))
	}
	titled(p, len(app.Deref(f.WantedFiles)), "Files it wants")
	for _, x := range app.Deref(f.WantedFiles) {
		p.Line("  %s (%s)%s", x.Name, words.Inline(words.Kinds.Of(x.Kind)), strings.TrimSuffix(": "+joined("; ",
			app.Deref(x.How), app.Deref(x.Where)), ": "))
	}
	titled(p, len(app.Deref(f.Phrases)), "Sentences in its language")
	for _, x := range app.Deref(f.Phrases) {
		p.Line("  %-14s %s", x.Key, x.Text)
	}
	titled(p, len(app.Deref(f.Forms)), "Intake form")
	for _, x := range app.Deref(f.Forms) {
		line := fmt.Sprintf("  %-10s %-16s %s (%s, %s)", x.Kind, x.Key, x.Label, words.Inline(words.FieldTypes.Of(x.Type)),
			map[bool]string{true: "required", false: "optional"}[app.Deref(x.Required)])
		if n := app.Deref(x.Weight); n > 0 {
			line += fmt.Sprintf(", counts %d", n)
		}
		if choices := app.Deref(x.Choices); len(choices) > 0 {
			line += ": " + strings.Join(choices, ", ")
		}
		if hint := app.Deref(x.Hint); hint != "" {
			line += "; " + hint
		}
		p.Line("%s", line)
	}
	titled(p, len(app.Deref(f.Access)), "Our access")
	for _, x := range app.Deref(f.Access) {
		rights := make([]string, len(app.Deref(x.May)))
		for i, r := range app.Deref(x.May) {
			rights[i] = words.Rights.Of(r)
		}
		p.Line("  %s: may %s", x.Person, app.FirstOf(strings.Join(rights, ", "), "nothing"))
	}
	titled(p, len(app.Deref(f.Partners)), "Partners who act for us")
	for _, x := range app.Deref(f.Partners) {
		p.Line("  %s: %s, since %s, until %s", x.Partner, x.What, x.Since, app.FirstOf(app.Deref(x.Until), "withdrawn"))
	}
}

func dueWords(r clientgen.Rung) string {
	when := words.Rung{LateBy: app.Deref(r.LateBy), FixesRejected: app.Deref(r.FixesRejected),
		Reopened: app.Deref(r.Reopened), OpenLonger: app.Deref(r.OpenLonger), Severity: app.Deref(r.Severity)}.When()
	if len(when) == 0 {
		return words.NoCondition
	}
	return "when " + strings.Join(when, ", or ")
}

// HoursWords says hours in a line.
func HoursWords(h clientgen.Hours) string {
	if h.Always {
		return "round the clock"
	}
	text := words.Week(app.Deref(h.Week))
	if h.Closed != nil {
		text += "; closed on " + app.Number(len(*h.Closed), "date")
	}
	return text
}
