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
			rows = append(rows, []string{deref(t.Label), string(t.Deadline), t.Target, t.Calendar})
		}
		p.Table([]out.Column{{Name: "level"}, {Name: "promise"}, {Name: "within"}, {Name: "counted in"}}, rows)
	}
	p.Line("\nHours")
	for _, h := range v.Hours {
		p.Line("  %s, %s: %s", h.Name, h.Zone, hoursWords(h))
	}
	if l := v.Link; l != nil {
		p.Line("\nLink %s %s", l.Kind, l.Address)
		switch {
		case l.FailingSince != nil:
			p.Line("  failing since %s: %s", l.FailingSince.Local().Format("2 Jan 15:04"), deref(l.Problem))
		case l.LastLookAt != nil:
			p.Line("  last looked at %s", l.LastLookAt.Local().Format("2 Jan 15:04:05"))
		}
	}
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
		words += fmt.Sprintf("; closed on %d dates", len(*h.Closed))
	}
	return words
}
