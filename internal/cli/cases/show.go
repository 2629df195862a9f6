package cases

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/cli/dates"
	"roundhouse.example/internal/cli/moment"
	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/core/words"
)

func (a *Commands) caseShow() *cobra.Command {
	var as moment.Flags
	c := &cobra.Command{Use: "show CASE", Short: "Show a case with its record", Args: cobra.ExactArgs(1),
		Example: "  roundhouse case show C-1077\n  roundhouse case show CV-20373 -o json\n" +
			"  roundhouse case show C-1079 --at \"1d ago\" --known",
		RunE: func(cmd *cobra.Command, args []string) error {
			at, known, err := as.Of(cmd.Context(), a.App)
			if err != nil {
				return err
			}
			l, err := a.LoadAt(cmd.Context(), args[0], clientgen.GetCaseParams{At: at, Known: known})
			if err != nil {
				return err
			}
			var entries []clientgen.Entry
			for after := 0; ; after = entries[len(entries)-1].Number {
				res, err := l.ListEntries(cmd.Context(), l.Line.Number, &clientgen.ListEntriesParams{After: &after, At: at,
					Known: known})
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
			moment.Head(cmd.Context(), a.App, at)
			a.showCase(cmd.Context(), l.Case, entries)
			if at == nil && len(entries) > 0 && entries[len(entries)-1].Number > app.Deref(l.ReadEntry) {
				return a.markRead(cmd.Context(), l, entries[len(entries)-1].Number)
			}
			return nil
		}}
	as.Add(c)
	return c
}

// markRead says that what was shown has been read.
func (a *Commands) markRead(ctx context.Context, l Loaded, entry int) error {
	res, err := l.MarkRead(ctx, l.Line.Number, &clientgen.MarkReadParams{IdempotencyKey: client.Key()},
		clientgen.ReadUpTo{Entry: entry})
	_, _, err = client.Read[struct{}](l.Client, res, err)
	return err
}

// factWords are what a draft says of its effect, one fact a line.
func factWords(f clientgen.Facts) [][2]string {
	out := [][2]string{{"environment", words.Environments.Of(string(app.Deref(f.Environment)))},
		{"effect", words.Effects.Of(string(app.Deref(f.Effect)))}, {"reach", words.Reaches.Of(string(app.Deref(f.Reach)))},
		{"workaround", words.Workarounds.Of(string(app.Deref(f.Workaround)))}}
	if app.Deref(f.Exposure) {
		out = append(out, [2]string{"exposure", "data is being lost or exposed"})
	}
	return out
}

func (a *Commands) showCase(ctx context.Context, c clientgen.Case, entries []clientgen.Entry) {
	p, l, times := a.Printer(), c.Line, a.Times(ctx)
	p.Line("%s  %s", l.Number, l.Title)
	head := []string{words.States.Of(string(l.State)), "severity " + SeverityText(l)}
	if l.LevelLabel != nil {
		head = append(head, fmt.Sprintf("vendor level %q", *l.LevelLabel))
	}
	if l.Move != nil {
		head = append(head, "waiting on "+WaitsOn(l)+" since "+times.Short(l.MoveSince))
	}
	if s := p.Standing(string(app.Deref(l.Standing))); s != "" {
		head = append(head, s)
	}
	p.Line("%s", strings.Join(head, ", "))
	p.Line("Times in %s\n", times.Name())
	if l.Summary != nil {
		p.Line("Where it stands (%s, %s): %s\n", app.Deref(c.SummaryBy), times.Short(c.SummaryAt), *l.Summary)
	}
	a.showNew(c, entries, times)
	a.showCaseFacts(c, times)
	if c.NextWhy != nil {
		step := app.Deref(c.NextStepWords)
		if app.Deref(c.NextStep) == "look" || strings.HasPrefix(*c.NextWhy, step) { // nothing to do, or it says so itself
			p.Line("\nNext: %s", *c.NextWhy)
		} else {
			p.Line("\nNext: %s. %s", step, *c.NextWhy)
		}
	}
	a.showAdvice(c)
	if len(c.Allowed) > 0 {
		p.Line("Allowed: %s", strings.Join(c.Allowed, ", "))
	}
	a.onTheWay(c)
	if l.State == "draft" {
		a.showDraft(c)
	}
	if l.State == "draft" {
		a.Needs(c)
	}
	a.Untold(c)
	if due := app.Deref(c.FilesDue); len(due) > 0 {
		p.Line("Files that %s is still waiting for: %s (roundhouse case files %s).", l.Vendor, strings.Join(due, "; "),
			l.Number)
	}
	a.Earlier(c, times)
	if len(c.Deadlines) > 0 {
		p.Line("")
		a.deadlineTable(c.Deadlines, times)
	}
	dates.StillOpen(p, app.Deref(c.Dates), times)
	p.Line("\nRecord")
	for _, e := range entries {
		a.showEntry(e, times)
	}
}

// showAdvice says whom to escalate to, with what is needed for the call.
func (a *Commands) showAdvice(c clientgen.Case) {
	x := c.Advice
	if x == nil {
		return
	}
	p := a.Printer()
	who := x.Role
	if x.Name != nil {
		who += " " + *x.Name
	}
	p.Line("Escalate to %s (rung %d of %d), because %s.", who, x.Rung, x.Of, x.Why)
	p.Line("  how to reach them  %s", x.How)
	if x.Told != nil {
		p.Line("  what to tell them  %s", *x.Told)
	}
	if x.Reply != nil {
		p.Line("  they answer within %s", words.Target(*x.Reply))
	}
}

// endFacts says what becomes of a case after its end.
func endFacts(c clientgen.Case, times out.Times, fact func(label, text string)) {
	if c.ReopenUntil != nil {
		until := map[bool]string{false: "until ", true: "no longer: the limit was "}[app.Deref(c.ReopenPast)]
		fact("can be reopened", until+times.Short(c.ReopenUntil))
	}
	if n := app.Deref(c.Reopenings); n > 0 {
		fact("reopened", words.Times(n))
	}
	if n := app.Deref(c.ReopenRefused); n > 0 {
		fact("reopening refused", words.Times(n))
	}
}

// showCaseFacts says what is known of a case, a line each.
func (a *Commands) showCaseFacts(c clientgen.Case, times out.Times) {
	p, l := a.Printer(), c.Line
	fact := func(label, v string) {
		if v != "" {
			p.Line("  %-16s %s", label, v)
		}
	}
	hours := "" // nobody asks whether it is open as of a time that has passed
	if c.VendorOpen != nil {
		hours = map[bool]string{true: ", open now", false: ", closed now"}[*c.VendorOpen]
	}
	fact("vendor", l.Vendor+hours)
	sortingFacts(c, times, fact)
	for _, r := range c.References {
		shown := r.Value
		if page := app.Deref(r.Page); page != "" {
			shown += "  " + page
		}
		fact(words.Inline(words.Reference(string(r.Whose), string(r.Role), app.Deref(r.Of))), shown)
	}
	fact("kind", words.Kinds.Of(string(l.Kind)))
	if c.Outage != nil {
		fact("outage", fmt.Sprintf("%s, since %s", c.Outage.Title, times.Short(&c.Outage.Since)))
	}
	if o := app.Deref(c.Origin); o != "" && o != clientgen.OriginUs {
		fact("opened by", strings.TrimSuffix(words.Origins.Of(string(o))+", "+app.Deref(c.OpenedBy), ", "))
	}
	fact("opened", times.Short(&l.OpenedAt))
	if t, err := c.Facts.NeededBy.Get(); err == nil {
		fact("needed by", times.Short(&t))
	}
	fact("contact", app.Deref(c.Texts.Contact))
	fact("reach us by", words.Inline(reachBy(c.Texts)))
	fact("callback", callback(c.Texts, times))
	fact("on site", app.Deref(c.Texts.OnSite))
	fact("copied in", app.Deref(c.Texts.CopyTo))
	fact("instructions", app.Deref(c.Texts.Instructions))
	fact("round the clock", app.Deref(c.Texts.ContactAlways))
	for _, x := range app.Deref(c.Consents) {
		fact("consent "+fmt.Sprint(x.Number), consentWords(x, times))
	}
	fact("asset", app.Deref(c.Asset))
	fact("serial", app.Deref(c.AssetSerial))
	fact("account", app.Deref(c.Account))
	fact("contract", app.Deref(c.Contract))
	fact("owner", app.Deref(l.Owner))
	fact("vendor contact", contacts(c, times))
	fact("vendor status", app.Deref(c.VendorStatus))
	if c.LevelSetByVendor != nil {
		fact("set by vendor", *c.LevelSetByVendor+", without our agreement")
	}
	fact("affected", app.Deref(c.Texts.Affected))
	if c.SeverityReasons != nil {
		fact("severity because", strings.Join(*c.SeverityReasons, "; "))
	}
	fact("overridden", app.Deref(c.SeverityChosenBecause))
	fact("warning", app.Deref(c.Warning))
	if l.ParkedUntil != nil {
		fact("parked until", times.Short(l.ParkedUntil))
	}
	if app.Deref(c.VendorClosed) {
		fact("vendor closed it", "agree (resolve, close) or dispute")
	}
	endFacts(c, times, fact)
	fact("outcome", app.Deref(c.Outcome))
	fact("cause", app.Deref(c.Cause))
}

// WaitsOn is on whom a case waits, in words.
func WaitsOn(l clientgen.CaseLine) string {
	return app.FirstOf(app.Deref(l.WaitsOnWords), words.Sides.Of(string(app.Deref(l.Move))))
}

// contacts are who has the case at the vendor, and who had it before.
func contacts(c clientgen.Case, times out.Times) string {
	var all []string
	for _, x := range app.Deref(c.Contacts) {
		all = append(all, x.Name+" since "+times.Short(&x.Since))
	}
	if len(all) == 0 {
		return app.Deref(c.VendorContact)
	}
	return strings.Join(all, "; before: ")
}

// showNew begins with what others have written since the reader looked last.
func (a *Commands) showNew(c clientgen.Case, entries []clientgen.Entry, times out.Times) {
	if c.ReadEntry == nil {
		return
	}
	fresh := slices.DeleteFunc(slices.Clone(entries), func(e clientgen.Entry) bool {
		return e.Number <= *c.ReadEntry || app.Deref(e.Mine)
	})
	if len(fresh) == 0 {
		return
	}
	a.Printer().Line("New since you looked, %s", times.Short(c.ReadAt))
	for _, e := range fresh {
		a.showEntry(e, times)
	}
	a.Printer().Line("")
}

// showDraft shows what a draft has so far, the text as the vendor will see it.
func (a *Commands) showDraft(c clientgen.Case) {
	p := a.Printer()
	p.Line("\nDraft")
	facts, width := factWords(c.Facts), 16
	for _, q := range app.Deref(c.Asked) {
		facts = append(facts, [2]string{q.Label,
			fmt.Sprintf("%s (--answer %s=…)", app.FirstOf(q.Answer, "no answer yet"), q.Key)})
		width = max(width, min(utf8.RuneCountInString(q.Label), 30))
	}
	for _, f := range facts {
		if f[1] != "" {
			p.Line("  %-*s  %s", width, f[0], f[1])
		}
	}
	if len(c.OnTheWay) > 0 { // then its text is shown already
		return
	}
	p.Line("\nWhat the vendor will see")
	for _, line := range strings.Split(strings.TrimRight(app.Deref(c.Preview), "\n"), "\n") {
		p.Line("  %s", line)
	}
	p.Line("\nChange it with: roundhouse case edit %s …", c.Line.Number)
}

// by says through which channel words went or came; the API goes without saying.
func by(channel *string) string {
	if c := app.Deref(channel); c != "" && c != "api" {
		return ", " + words.By(c)
	}
	return ""
}

func (a *Commands) showEntry(e clientgen.Entry, times out.Times) {
	p := a.Printer()
	who := app.Deref(e.Author)
	title := ""
	switch {
	case e.Kind == "note":
		title = "Note by " + who + " (internal, never sent)"
	case e.Kind == "briefing":
		title = "Briefing by " + who + ", " + briefedWords(e.Briefed)
	case e.Kind == "call" && app.Deref(e.Direction) == "out":
		title = "Call or chat by " + who
	case e.Kind == "call":
		title = "Call or chat with " + who
	case e.Kind == "message" && app.Deref(e.Direction) == "in":
		title = "← From vendor: " + who + by(e.Channel)
		if app.Deref(e.Automatic) {
			title += ", automatic"
		}
	case e.Kind == "message":
		title = "→ To vendor: " + who + by(e.Channel)
		if d := e.Delivery; d != nil {
			title += ", " + words.Deliveries.Of(string(d.State))
			if d.LeftAt != nil {
				title += " " + times.Short(d.LeftAt)
			}
		}
	}
	if list := app.Deref(e.Holds); len(list) > 0 {
		var named []string
		for _, k := range list {
			named = append(named, "a "+words.Inline(words.FindingKinds.Of(string(k))))
		}
		title += ", has " + strings.Join(named, ", ") + " in it"
	}
	if e.Effect != nil && e.Effect.Offers != nil {
		title += ", offers a " + words.Inline(words.Offers.Of(*e.Effect.Offers))
	}
	at := times.Short(&e.HappenedAt)
	if title == "" {
		p.Line("%4d  %-13s  %s", e.Number, at, strings.ReplaceAll(e.Text, "\n", "\n"+strings.Repeat(" ", 21)))
		return
	}
	p.Line("%4d  %-13s  %s", e.Number, at, title)
	for _, line := range strings.Split(strings.TrimSpace(e.Text), "\n") {
		p.Line("%21s%s", "", line)
	}
	for _, f := range app.Deref(e.Enclosed) {
		p.Line("%21s%s: %s%s", "", enclosed([]clientgen.EnclosedFile{f}), words.Inline(words.Deliveries.Of(string(f.State))),
			strings.TrimRight(" "+times.Short(f.At), " "))
	}
}

// sortingFacts are the maker behind a reseller, what nobody could name, and why one goes on all the same.
func sortingFacts(c clientgen.Case, times out.Times, fact func(label, v string)) {
	if c.Maker != nil {
		said := ""
		if c.MakerStatus != nil {
			said = fmt.Sprintf(": %q, %s", *c.MakerStatus, times.Short(c.MakerStatusAt))
		}
		fact("maker", *c.Maker+said)
	}
	fact("in place of", app.Deref(c.InsteadOf))
	fact("filed again as", app.Deref(c.RefiledAs))
	if u := c.Unsorted; u != nil {
		fact("unknown vendor", app.Deref(u.Vendor))
		fact("unknown product", app.Deref(u.Product))
		fact("unknown kind", app.Deref(u.Kind))
	}
	fact("reason to go on", app.Deref(c.GoOnReason))
}

// reachBy is how the vendor should reach us; empty for any way.
func reachBy(t clientgen.Texts) string {
	if by := string(app.Deref(t.ContactBy)); by != "" {
		return words.ContactWays.Of(by)
	}
	return ""
}

// callback is when we asked to be called; empty where we did not.
func callback(t clientgen.Texts, times out.Times) string {
	from, err := time.Parse(time.RFC3339, app.Deref(t.CallFrom))
	until, err2 := time.Parse(time.RFC3339, app.Deref(t.CallUntil))
	if err != nil || err2 != nil {
		return ""
	}
	return times.Short(&from) + " to " + times.Short(&until)
}

// SeverityText is a case's severity with its word; empty where it is not graded.
func SeverityText(l clientgen.CaseLine) string {
	if l.Severity == nil {
		return "-"
	}
	return fmt.Sprintf("%d %s", *l.Severity, app.Deref(l.SeverityWord))
}
