package cli

import (
	"fmt"
	"sort"
	"strconv"
	"strings"
	"time"

	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client/clientgen"
)

func itoa(n int) string { return strconv.Itoa(n) }

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

func (a *app) showVendor(v clientgen.Vendor) {
	p := a.printer()
	p.Line("%s (%s)\n%s\n%s there, %s; zone %s; %d live cases\n", v.Name, v.Key, v.Does, localTime(v), openWord(v), v.Zone, v.LiveCases)
	p.Line("Levels")
	for _, l := range v.Levels {
		ours := make([]string, len(l.Severities))
		for i, s := range l.Severities {
			ours[i] = itoa(s)
		}
		from := "chosen by hand"
		if len(ours) > 0 {
			from = "our severity " + strings.Join(ours, ", ")
		}
		p.Line("  %d %-14s %s; %s", l.Rank, l.Label, from, deref(l.Meaning))
		for _, c := range l.Criteria {
			p.Line("      to attest: %s", c.Text)
		}
		if l.Channels != nil {
			p.Line("      only by %s", strings.Join(*l.Channels, ", "))
		}
		if l.RoundTheClock {
			p.Line("      needs a contact round the clock")
		}
	}
	for _, k := range v.Contracts {
		p.Line("\nContract %s, %s to %s (on a change of level: %s; while the move is ours: %s)", k.Number, k.StartsOn, k.EndsOn, k.OnChange, k.WhileOurs)
		var rows [][]string
		terms := append([]clientgen.Term(nil), k.Terms...)
		sort.SliceStable(terms, func(i, j int) bool { return terms[i].Rank < terms[j].Rank })
		for _, t := range terms {
			only := strings.TrimSpace(strings.Join([]string{deref(t.Kind), deref(t.Channel), deref(t.Country)}, " "))
			rows = append(rows, []string{deref(t.Label), string(t.Deadline), t.Target, t.Calendar, only})
		}
		p.Table([]out.Column{{Name: "level"}, {Name: "promise"}, {Name: "within"}, {Name: "counted in"}, {Name: "only for"}}, rows)
	}
	p.Line("\nHours")
	for _, h := range v.Hours {
		p.Line("  %s, %s: %s", h.Name, h.Zone, hoursWords(h))
	}
	if v.Facts != nil {
		a.showFacts(*v.Facts)
	}
	if l := v.Link; l != nil {
		p.Line("\nLink %s %s", l.Kind, l.Address)
		switch {
		case l.FailingSince != nil:
			p.Line("  failing since %s: %s", l.FailingSince.Local().Format("2 Jan 15:04"), deref(l.Problem))
		case l.LastLookAt != nil:
			p.Line("  last looked at %s", l.LastLookAt.Local().Format("2 Jan 15:04:05"))
		}
		if n := deref(l.NotPlaced); n > 0 {
			p.Line("  %s could not be taken in; the service's log says why", number(n, "event"))
		}
	}
}

// showFacts says how to reach the vendor, whom to go to, and what it wants to know.
func (a *app) showFacts(f clientgen.VendorFacts) {
	p := a.printer()
	say := func(label string, value *string) {
		if deref(value) != "" {
			p.Line("%-19s %s", label, *value)
		}
	}
	p.Line("")
	say("kind", f.Kind)
	say("site", f.Site)
	say("another way in", f.OtherWay)
	say("start with", f.Through)
	say("logins", f.LoginHow)
	if n := deref(f.ClosesAfterDays); n > 0 {
		p.Line("%-19s %s after our last word; reopens within %d", "closes by itself", number(n, "day"), deref(f.ReopensWithinDays))
	}
	say("note", f.Note)
	say("numbers look like", f.ReferencePattern)
	say("automatic answers", f.AutomaticPattern)
	title := func(n int, s string) {
		if n > 0 {
			p.Line("\n%s", s)
		}
	}
	title(len(deref(f.UsualTerms)), "What their contracts usually promise")
	for _, t := range deref(f.UsualTerms) {
		only := strings.Join(strings.Fields(strings.Join([]string{deref(t.Kind), deref(t.Channel), deref(t.Country)}, " ")), ", ")
		p.Line("  %-14s %-6s %s", t.Deadline, t.Target, strings.TrimSpace(fmt.Sprintf("level %d %s %s", t.Level, deref(t.Calendar), only)))
	}
	title(len(deref(f.StatusWords)), "Their words")
	for _, w := range deref(f.StatusWords) {
		var means []string
		if w.State != nil && *w.State != "" {
			means = append(means, map[string]string{"taken-in": "they have taken it in", "fix-offered": "a fix is offered", "ended": "they have closed their side"}[string(*w.State)])
		}
		if w.Move != nil && *w.Move != "" {
			means = append(means, "the move is "+string(*w.Move))
		}
		p.Line("  %q: %s", w.Word, firstOf(strings.Join(means, ", "), "says nothing of the case"))
	}
	title(len(deref(f.Ways)), "Ways")
	for _, w := range deref(f.Ways) {
		line := fmt.Sprintf("  %-7s %s", w.Channel, w.Address)
		for _, more := range []string{deref(w.Area), map[bool]string{true: "urgent"}[deref(w.Urgent)], deref(w.Calendar), strings.Join(deref(w.FileTypes), " ")} {
			if more != "" {
				line += "; " + more
			}
		}
		if n := deref(w.MaxMb); n > 0 {
			line += fmt.Sprintf("; files up to %d MB", n)
		}
		p.Line("%s", line)
	}
	title(len(deref(f.People)), "People")
	for _, x := range deref(f.People) {
		p.Line("  %s, %s; %s %s", x.Name, deref(x.Role), deref(x.Phone), deref(x.Mail))
	}
	title(len(deref(f.Ladder)), "Ladder")
	for i, r := range deref(f.Ladder) {
		p.Line("  %d %s: %s; %s", i+1, strings.TrimSpace(r.Role+" "+deref(r.Name)), r.How, dueWords(r))
	}
	if takes := deref(f.Takes); len(takes) > 0 {
		p.Line("\nThey take %s", strings.Join(takes, ", "))
	}
	title(len(deref(f.Forms)), "What they ask")
	for _, x := range deref(f.Forms) {
		must := "may"
		if deref(x.Must) {
			must = "must"
		}
		line := fmt.Sprintf("  %-9s %-4s %-16s %s (%s)", x.Kind, must, x.Key, x.Label, x.Type)
		if choices := deref(x.Choices); len(choices) > 0 {
			line += ": " + strings.Join(choices, ", ")
		}
		if hint := deref(x.Hint); hint != "" {
			line += "; " + hint
		}
		p.Line("%s", line)
	}
	title(len(deref(f.Access)), "Ours there")
	for _, x := range deref(f.Access) {
		p.Line("  %s: may %s", x.Person, strings.Join(deref(x.May), ", "))
	}
	title(len(deref(f.Partners)), "Partners who act for us")
	for _, x := range deref(f.Partners) {
		p.Line("  %s: %s, since %s until %s", x.Partner, x.What, x.Since, firstOf(deref(x.Until), "taken back"))
	}
}

func dueWords(r clientgen.Rung) string {
	switch {
	case deref(r.LateBy) != "":
		return "late by " + *r.LateBy
	case deref(r.FixesRejected) > 0:
		return fmt.Sprintf("after %d rejected fixes", *r.FixesRejected)
	case deref(r.Reopened) > 0:
		return fmt.Sprintf("reopened %d times", *r.Reopened)
	case deref(r.OpenLonger) != "":
		return fmt.Sprintf("open longer than %s at severity %d or worse", *r.OpenLonger, deref(r.Severity))
	}
	return "only by a person"
}

func hoursWords(h clientgen.Hours) string {
	if h.Always {
		return "round the clock"
	}
	var parts []string
	for _, d := range []string{"mon", "tue", "wed", "thu", "fri", "sat", "sun"} {
		if ws := deref(h.Week)[d]; len(ws) > 0 {
			parts = append(parts, d+" "+strings.Join(ws, " "))
		}
	}
	words := strings.Join(parts, ", ")
	if h.Closed != nil {
		words += "; closed on " + number(len(*h.Closed), "date")
	}
	return words
}
