package cases

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
)

func (a *Commands) caseShow() *cobra.Command {
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
			if a.Format == "json" {
				return a.Printer().JSON(struct {
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
func (a *Commands) markRead(ctx context.Context, l loaded, entry int) error {
	res, err := l.MarkRead(ctx, l.Line.Number, &clientgen.MarkReadParams{IdempotencyKey: client.Key()},
		clientgen.ReadUpTo{Entry: entry})
	_, _, err = client.Read[struct{}](l.Client, res, err)
	if p, ok := client.IsProblem(err); ok && p.Status == 403 { // an auditor reads, and nobody is the wiser
		return nil
	}
	return err
}

// factWords are what a draft says of its effect, one fact a line.
func factWords(f clientgen.Facts) [][2]string {
	word := func(p *string) string { return app.Deref(p) }
	out := [][2]string{{"environment", word((*string)(f.Environment))}, {"effect", word((*string)(f.Effect))},
		{"reach", word((*string)(f.Reach))}, {"workaround", word((*string)(f.Workaround))}}
	if app.Deref(f.Exposure) {
		out = append(out, [2]string{"exposure", "data is being lost, or security is open"})
	}
	return out
}

func (a *Commands) showCase(c clientgen.Case, entries []clientgen.Entry) {
	p, l, now := a.Printer(), c.Line, time.Now()
	p.Line("%s  %s", l.Number, l.Title)
	head := []string{string(l.State), SeverityText(l)}
	if l.LevelLabel != nil {
		head = append(head, fmt.Sprintf("theirs %q", *l.LevelLabel))
	}
	if l.Move != nil {
		head = append(head, out.Move(string(*l.Move))+" since "+out.Time(l.MoveSince, now))
	}
	if s := p.Standing(string(app.Deref(l.Standing))); s != "" {
		head = append(head, s)
	}
	p.Line("%s\n", strings.Join(head, ", "))
	a.showCaseFacts(c, now)
	if c.NextWhy != nil {
		p.Line("\nNext: %s. %s", app.Deref(c.NextStepWords), *c.NextWhy)
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

// showCaseFacts says what is known of a case, a line each.
func (a *Commands) showCaseFacts(c clientgen.Case, now time.Time) {
	p, l := a.Printer(), c.Line
	fact := func(label, v string) {
		if v != "" {
			p.Line("  %-16s %s", label, v)
		}
	}
	hours := "closed now"
	if app.Deref(c.VendorOpen) {
		hours = "open now"
	}
	fact("vendor", l.Vendor+", "+hours)
	for _, r := range c.References {
		fact(map[string]string{"vendor": "vendor reference", "ours": "our ticket"}[r.Whose], r.Value)
	}
	fact("kind", string(l.Kind))
	fact("opened", out.Time(&l.OpenedAt, now))
	if t, err := c.Facts.NeededBy.Get(); err == nil {
		fact("needed by", out.Time(&t, now))
	}
	fact("contact", app.Deref(c.Texts.Contact))
	fact("round the clock", app.Deref(c.Texts.ContactAlways))
	fact("asset", app.Deref(c.Asset))
	fact("account", app.Deref(c.Account))
	fact("contract", app.Deref(c.Contract))
	fact("owner", app.Deref(l.Owner))
	fact("vendor contact", app.Deref(c.Holder))
	fact("vendor status", app.Deref(c.VendorWord))
	if c.LevelSetByVendor != nil {
		fact("vendor set", *c.LevelSetByVendor+", without our agreeing")
	}
	fact("affected", app.Deref(c.Texts.OnWhat))
	if c.SeverityReasons != nil {
		fact("severity because", strings.Join(*c.SeverityReasons, "; "))
	}
	fact("overridden", app.Deref(c.SeverityChosenBecause))
	fact("warning", app.Deref(c.Warning))
	if l.ParkedUntil != nil {
		fact("parked until", out.Time(l.ParkedUntil, now))
	}
	if app.Deref(c.VendorClosed) {
		fact("they closed", "agree (resolve, close) or dispute")
	}
	fact("outcome", app.Deref(c.Outcome))
	fact("cause", app.Deref(c.Cause))
}

// showDraft shows what a draft has so far, the text as the vendor will see it.
func (a *Commands) showDraft(c clientgen.Case) {
	p := a.Printer()
	p.Line("\nDraft")
	for _, f := range factWords(c.Facts) {
		if f[1] != "" {
			p.Line("  %-16s %s", f[0], f[1])
		}
	}
	for _, q := range app.Deref(c.Asked) {
		p.Line("  %-16s %s (--answer %s=…)", q.Label, app.FirstOf(q.Answer, "not answered yet"), q.Key)
	}
	p.Line("\nAs the vendor will see it")
	for _, line := range strings.Split(strings.TrimRight(app.Deref(c.Preview), "\n"), "\n") {
		p.Line("  %s", line)
	}
	p.Line("\nChange it with: roundhouse case edit %s …", c.Line.Number)
}

// byWords say by which way words went or came that a person carried.
var byWords = map[string]string{"portal": ", on the portal", "email": ", by email", "phone": ", by phone",
	"chat": ", by chat"}

func (a *Commands) showEntry(e clientgen.Entry, now time.Time) {
	p := a.Printer()
	who := app.Deref(e.Author)
	title := ""
	switch {
	case e.Kind == "note":
		title = "note by " + who + ", internal, never sent"
	case e.Kind == "call":
		title = "call or chat with " + who
	case e.Kind == "message" && app.Deref(e.Direction) == "in":
		title = "← from them, " + who + byWords[app.Deref(e.Channel)]
		if app.Deref(e.Automatic) {
			title += ", automatic"
		}
	case e.Kind == "message":
		title = "→ to them, " + who + byWords[app.Deref(e.Channel)]
		if d := e.Delivery; d != nil {
			title += ", " + map[bool]string{true: "to be sent by you",
				false: strings.ReplaceAll(string(d.State), "-", " ")}[d.State == "to-send"]
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
