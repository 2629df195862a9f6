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

func (a *app) caseShow() *cobra.Command {
	return &cobra.Command{Use: "show CASE", Short: "Show a case whole, with its record", Args: cobra.ExactArgs(1),
		Example: "  roundhouse case show C-1001\n  roundhouse case show CV-20417 -o json",
		RunE: func(cmd *cobra.Command, args []string) error {
			l, err := a.load(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			var entries []clientgen.Entry
			for after := 0; ; after = entries[len(entries)-1].Number {
				res, err := l.ListEntries(cmd.Context(), l.Line.Number, &clientgen.ListEntriesParams{After: &after})
				page, _, err := client.Read[clientgen.Entries](l.Client, res, err)
				if err != nil {
					return err
				}
				entries = append(entries, page.Items...)
				if !page.More {
					break
				}
			}
			if a.format == "json" {
				return a.printer().JSON(struct {
					clientgen.Case
					Entries []clientgen.Entry `json:"entries"`
				}{l.Case, entries})
			}
			a.showCase(l.Case, entries)
			if l.Line.Unread > 0 && len(entries) > 0 {
				return a.markRead(cmd.Context(), l, entries[len(entries)-1].Number)
			}
			return nil
		}}
}

// markRead says that what was shown has been read, by somebody who works on cases.
func (a *app) markRead(ctx context.Context, l loaded, entry int) error {
	res, err := l.MarkRead(ctx, l.Line.Number, &clientgen.MarkReadParams{IdempotencyKey: client.Key()}, clientgen.ReadUpTo{Entry: entry})
	_, _, err = client.Read[struct{}](l.Client, res, err)
	if p, ok := client.IsProblem(err); ok && p.Status == 403 { // an auditor reads, and nobody is the wiser
		return nil
	}
	return err
}

// factWords are what a draft says of its effect, one fact a line.
func factWords(f clientgen.Facts) [][2]string {
	word := func(p *string) string { return deref(p) }
	out := [][2]string{{"environment", word((*string)(f.Environment))}, {"effect", word((*string)(f.Effect))}, {"reach", word((*string)(f.Reach))}, {"workaround", word((*string)(f.Workaround))}}
	if deref(f.Exposure) {
		out = append(out, [2]string{"exposure", "data is being lost, or security is open"})
	}
	return out
}

func (a *app) showCase(c clientgen.Case, entries []clientgen.Entry) {
	p, l, now := a.printer(), c.Line, time.Now()
	p.Line("%s  %s", l.Number, l.Title)
	head := []string{string(l.State), severityText(l)}
	if l.LevelLabel != nil {
		head = append(head, fmt.Sprintf("theirs %q", *l.LevelLabel))
	}
	if l.Move != nil {
		head = append(head, out.Move(string(*l.Move))+" since "+out.Time(l.MoveSince, now))
	}
	if s := p.Standing(string(deref(l.Standing))); s != "" {
		head = append(head, s)
	}
	p.Line("%s\n", strings.Join(head, ", "))
	fact := func(label, v string) {
		if v != "" {
			p.Line("  %-14s %s", label, v)
		}
	}
	hours := "closed now"
	if deref(c.VendorOpen) {
		hours = "open now"
	}
	fact("vendor", l.Vendor+", "+hours)
	for _, r := range c.References {
		fact(map[string]string{"vendor": "their number", "ours": "our ticket"}[r.Whose], r.Value)
	}
	fact("kind", string(l.Kind))
	fact("opened", out.Time(&l.OpenedAt, now))
	if t, err := c.Facts.NeededBy.Get(); err == nil {
		fact("needed by", out.Time(&t, now))
	}
	fact("contact", deref(c.Texts.Contact))
	fact("round the clock", deref(c.Texts.ContactAlways))
	fact("asset", deref(c.Asset))
	fact("account", deref(c.Account))
	fact("contract", deref(c.Contract))
	fact("owner", deref(l.Owner))
	fact("holder there", deref(c.Holder))
	fact("their word", deref(c.VendorWord))
	if c.LevelSetByVendor != nil {
		fact("they set", *c.LevelSetByVendor+", without our agreeing")
	}
	fact("on what", deref(c.Texts.OnWhat))
	if c.SeverityReasons != nil {
		fact("graded", strings.Join(*c.SeverityReasons, "; "))
	}
	fact("chosen", deref(c.SeverityChosenBecause))
	fact("warning", deref(c.Warning))
	if l.ParkedUntil != nil {
		fact("parked until", out.Time(l.ParkedUntil, now))
	}
	if deref(c.VendorClosed) {
		fact("they closed", "agree (resolve, close) or dispute")
	}
	fact("outcome", deref(c.Outcome))
	fact("cause", deref(c.Cause))
	if c.NextWhy != nil {
		p.Line("\nNext: %s. %s", deref(c.NextStepWords), *c.NextWhy)
	}
	if len(c.Allowed) > 0 {
		p.Line("Allowed: %s", strings.Join(c.Allowed, ", "))
	}
	a.onTheWay(c)
	if l.State == "draft" {
		a.showDraft(c)
	}
	for _, n := range c.Needs {
		p.Line("%-4s  %s", n.Weight, n.Text)
	}
	if len(c.Deadlines) > 0 {
		p.Line("")
		a.deadlineTable(c.Deadlines, now)
	}
	p.Line("\nRecord")
	for _, e := range entries {
		a.showEntry(e, now)
	}
}

// showDraft shows what a draft has so far, the text as the vendor will see it.
func (a *app) showDraft(c clientgen.Case) {
	p := a.printer()
	p.Line("\nDraft")
	for _, f := range factWords(c.Facts) {
		if f[1] != "" {
			p.Line("  %-14s %s", f[0], f[1])
		}
	}
	for _, q := range deref(c.Asked) {
		p.Line("  %-14s %s (--answer %s=…)", q.Label, firstOf(q.Answer, "not answered yet"), q.Key)
	}
	p.Line("\nAs the vendor will see it")
	for _, line := range strings.Split(strings.TrimRight(deref(c.Preview), "\n"), "\n") {
		p.Line("  %s", line)
	}
	p.Line("\nChange it with: roundhouse case edit %s …", c.Line.Number)
}

// byWords say by which way words went or came that a person carried.
var byWords = map[string]string{"portal": ", on the portal", "mail": ", by mail", "phone": ", by phone", "chat": ", by chat"}

func (a *app) showEntry(e clientgen.Entry, now time.Time) {
	p := a.printer()
	who := deref(e.Author)
	title := ""
	switch {
	case e.Kind == "note":
		title = "note by " + who + ", stays in the house"
	case e.Kind == "call":
		title = "call or chat with " + who
	case e.Kind == "message" && deref(e.Direction) == "in":
		title = "← from them, " + who + byWords[deref(e.Channel)]
		if deref(e.Automatic) {
			title += ", automatic"
		}
	case e.Kind == "message":
		title = "→ to them, " + who + byWords[deref(e.Channel)]
		if d := e.Delivery; d != nil {
			title += ", " + map[bool]string{true: "to be taken there by hand", false: strings.ReplaceAll(string(d.State), "-", " ")}[d.State == "by-hand"]
			if d.LeftAt != nil {
				title += " " + out.Time(d.LeftAt, now)
			}
		}
	}
	if e.Effect != nil && e.Effect.Offers != nil {
		title += ", offers a " + *e.Effect.Offers
	}
	at := out.Time(&e.HappenedAt, now)
	if title == "" {
		p.Line("%4d  %-12s  %s", e.Number, at, e.Text)
		return
	}
	p.Line("%4d  %-12s  %s", e.Number, at, title)
	for _, line := range strings.Split(strings.TrimSpace(e.Text), "\n") {
		p.Line("%20s%s", "", line)
	}
}

func (a *app) deadlineTable(list []clientgen.Deadline, now time.Time) {
	p := a.printer()
	if a.format == "csv" {
		a.deadlineCSV(list)
		return
	}
	var rows [][]string
	for _, d := range list {
		late := ""
		if d.LateSeconds != nil {
			late = span(*d.LateSeconds) + " late"
		}
		rows = append(rows, []string{string(d.Deadline), string(d.Side), deref(d.Label), d.Target, p.Standing(string(d.Standing)), out.Time(d.Due, now), span(d.CountedSeconds) + " of " + span(d.TargetSeconds), late})
	}
	p.Table([]out.Column{{Name: "deadline"}, {Name: "side", Drop: 2}, {Name: "level", Drop: 3}, {Name: "within"}, {Name: "standing"}, {Name: "due"}, {Name: "counted", Drop: 1}, {Name: ""}}, rows)
}

func (a *app) deadlineCSV(list []clientgen.Deadline) {
	var rows [][]string
	for _, d := range list {
		rows = append(rows, []string{string(d.Deadline), string(d.Side), fmt.Sprint(d.Rank), deref(d.Label), d.Target, d.Calendar, string(d.Standing), raw(&d.Started), raw(d.Due), raw(d.Ended),
			fmt.Sprint(d.CountedSeconds), fmt.Sprint(d.TargetSeconds), raw(d.LateSeconds)})
	}
	a.printer().Table(named("deadline", "side", "rank", "level", "target", "calendar", "standing", "started", "due", "ended", "counted_seconds", "target_seconds", "late_seconds"), rows)
}

func span(s int64) string {
	switch {
	case s < 60:
		return fmt.Sprintf("%d s", s)
	case s < 3600:
		return fmt.Sprintf("%d min", s/60)
	case s%3600 < 60:
		return fmt.Sprintf("%d h", s/3600)
	}
	return fmt.Sprintf("%d h %d min", s/3600, s%3600/60)
}

func (a *app) caseDeadlines() *cobra.Command {
	var explain bool
	var at string
	c := &cobra.Command{Use: "deadlines CASE", Short: "Show a case's deadlines; --explain with each counted and each paused span", Args: cobra.ExactArgs(1),
		Example: "  roundhouse case deadlines C-1001 --explain\n  roundhouse case deadlines C-1001 --at 2026-11-20T09:00:00Z",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.client()
			if err != nil {
				return err
			}
			asOf, err := when(at, time.Now())
			if err != nil {
				return err
			}
			res, err := c.ListDeadlines(cmd.Context(), args[0], &clientgen.ListDeadlinesParams{AsOf: asOf})
			all, _, err := client.Read[clientgen.Deadlines](c, res, err)
			if err != nil {
				return err
			}
			p := a.printer()
			if a.format == "json" {
				return p.JSON(all)
			}
			if len(all.Items) == 0 && a.format == "table" {
				p.Line("No clock has started: nothing has been filed, or nothing is promised.")
				return nil
			}
			if !explain || a.format == "csv" {
				a.deadlineTable(all.Items, all.AsOf)
				return nil
			}
			for _, d := range all.Items {
				p.Line("%s, %s: %s", d.Deadline, p.Standing(string(d.Standing)), deref(d.Words))
				for _, s := range d.Segments {
					mark := "paused "
					if s.Counted {
						mark = "counted"
					}
					p.Line("  %s  %s to %s  %10s covered  %s", mark, s.From.UTC().Format("2006-01-02 15:04:05Z"), s.To.UTC().Format("2006-01-02 15:04:05Z"), span(s.CoveredSeconds), s.Why)
				}
				if d.Due != nil {
					p.Line("  due      %s", d.Due.UTC().Format("2006-01-02 15:04:05Z"))
				}
			}
			p.Line("\nBy version %s of the rules; time zones %s.", all.Rules, all.Zones)
			return nil
		}}
	c.Flags().BoolVar(&explain, "explain", false, "with each counted and each paused span")
	c.Flags().StringVar(&at, "at", "", "as they stood at an instant")
	return c
}
