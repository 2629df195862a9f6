package cli

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/core/disclosure"
)

func (a *app) cases() *cobra.Command {
	c := group("case", "Support cases", a.caseOpen(), a.caseEdit(), a.caseList(), a.caseShow(), a.caseReply(), a.caseNote(), a.caseCall(), a.caseDeadlines(), a.caseDecide(), a.caseSent(), a.caseReference())
	for _, s := range steps {
		c.AddCommand(a.stepCommand(s))
	}
	return c
}

// loaded is a case with the ETag that guards its head.
type loaded struct {
	*client.Client
	clientgen.Case
	etag string
}

func (a *app) load(ctx context.Context, name string) (loaded, error) {
	c, err := a.client()
	if err != nil {
		return loaded{}, err
	}
	res, err := c.GetCase(ctx, name)
	v, etag, err := client.Read[clientgen.Case](c, res, err)
	return loaded{c, v, etag}, err
}

// step is a command that takes one step.
type step struct {
	use, short, example string
	step                clientgen.StepStep
	reason              bool // takes --text
	flags               func(*cobra.Command, *stepFlags)
	fill                func(*clientgen.Step, *stepFlags, loaded, []string) error
	args                int
}

type stepFlags struct {
	text, cause, until, offers, why, by string
	contact                             string
	agreed, attest                      bool
	entry                               int
}

var steps = []step{
	{use: "file CASE", short: "File a draft with its vendor", step: "file", flags: func(c *cobra.Command, f *stepFlags) { byFlag(c, &f.by) }, example: "roundhouse case file C-1001\n  roundhouse case file C-1001 --by phone"},
	{use: "accept CASE", short: "Accept the fix that was offered; the case is resolved", step: "accept-fix", reason: true, flags: causeFlag, example: "roundhouse case accept C-1001 --text \"Holds since two nights\""},
	{use: "reject CASE", short: "Reject the fix (or --workaround) that was offered", step: "reject-fix", reason: true, flags: func(c *cobra.Command, f *stepFlags) {
		c.Flags().BoolVar(&f.agreed, "workaround", false, "reject the workaround instead of the fix")
	}, fill: func(s *clientgen.Step, f *stepFlags, _ loaded, _ []string) error {
		if f.agreed {
			s.Step = "reject-workaround"
		}
		return nil
	}, example: "roundhouse case reject C-1001 --text \"The same again after twenty minutes\""},
	{use: "resolve CASE", short: "Say that it is solved otherwise than by their fix", step: "resolve", reason: true, flags: causeFlag, example: "roundhouse case resolve C-1001 --text \"It was our own change\""},
	{use: "close CASE", short: "Close a case", step: "close", reason: true, example: "roundhouse case close C-1001"},
	{use: "reopen CASE", short: "Open a resolved or closed case again", step: "reopen", reason: true, example: "roundhouse case reopen C-1001 --text \"It is back\""},
	{use: "withdraw CASE", short: "Take a case back", step: "withdraw", reason: true, example: "roundhouse case withdraw C-1001 --text \"Opened by mistake\""},
	{use: "dispute CASE", short: "Disagree with a vendor who has closed it", step: "dispute", reason: true, example: "roundhouse case dispute C-1001 --text \"Still the same\""},
	{use: "park CASE", short: "Set a case aside until a date", step: "park", reason: true, flags: func(c *cobra.Command, f *stepFlags) {
		c.Flags().StringVar(&f.until, "until", "", "when it comes back: 2026-12-01T08:00:00Z, \"2026-12-01 08:00\", 2d")
		c.Flags().BoolVar(&f.agreed, "agreed", false, "the vendor has agreed, so its clocks stop too")
	}, fill: func(s *clientgen.Step, f *stepFlags, _ loaded, _ []string) (err error) {
		s.Agreed = some(f.agreed)
		s.Until, err = when(f.until, time.Now())
		if err == nil && s.Until == nil {
			err = usagef("say until when with --until")
		}
		return err
	}, example: "roundhouse case park C-1001 --until 2d --text \"Waits for the change window\""},
	{use: "return CASE", short: "Take a parked case up again", step: "return", reason: true, example: "roundhouse case return C-1001"},
	{use: "take CASE", short: "Become the owner of a case", step: "take", example: "roundhouse case take C-1001"},
	{use: "give CASE EMAIL", short: "Make a colleague the owner of a case", step: "give", args: 1, fill: func(s *clientgen.Step, _ *stepFlags, _ loaded, args []string) error {
		s.Person = &args[1]
		return nil
	}, example: "roundhouse case give C-1001 emil@saltmarsh.example"},
	{use: "severity CASE LEVEL", short: "Change our severity of a live case", step: "change-severity", reason: true, args: 1, fill: toNumber, example: "roundhouse case severity C-1001 1 --text \"Now every gate\""},
	{use: "level CASE LEVEL", short: "Ask the vendor for another level, by label or rank", step: "change-level", reason: true, args: 1, flags: func(c *cobra.Command, f *stepFlags) {
		c.Flags().BoolVar(&f.attest, "attest", false, "confirm all conditions of that level; vendor show lists them")
		c.Flags().StringVar(&f.contact, "contact-always", "", "who can be reached round the clock, where the level needs it")
	}, fill: toLevel, example: "roundhouse case level C-1001 Alarm --text \"Now the whole region\" --attest --contact-always \"Duty phone +44 1632 960 004\""},
	{use: "attest CASE [CRITERION]", short: "Stand for a condition of the vendor's level, or for all of them", step: "attest", args: -1, example: "roundhouse case attest C-1001"},
	{use: "offered CASE ENTRY", short: "Mark that a message offered a workaround or a fix", step: "mark-offer", args: 1, flags: func(c *cobra.Command, f *stepFlags) {
		c.Flags().StringVar(&f.offers, "what", "fix", "workaround or fix")
	}, fill: func(s *clientgen.Step, f *stepFlags, _ loaded, args []string) error {
		s.Offers = some(clientgen.StepOffers(f.offers))
		var n int
		if _, err := fmt.Sscan(args[1], &n); err != nil {
			return usagef("%q is not an entry's number", args[1])
		}
		s.Entry = &n
		return nil
	}, example: "roundhouse case offered C-1001 7 --what workaround"},
	{use: "move CASE ours|theirs", short: "Say whose move it is", step: "give-move", reason: true, args: 1, fill: func(s *clientgen.Step, _ *stepFlags, _ loaded, args []string) error {
		s.Move = some(clientgen.Side(args[1]))
		return nil
	}, example: "roundhouse case move C-1001 theirs"},
}

// byFlag names the channel, of which the vendor's usual one is taken otherwise.
func byFlag(c *cobra.Command, to *string) {
	c.Flags().StringVar(to, "by", "", "by which channel, where not by the usual one: api, portal, mail, phone or chat; but for api you take it there")
}

func causeFlag(c *cobra.Command, f *stepFlags) {
	c.Flags().StringVar(&f.cause, "cause", "", "what it was")
}

// toLevel names a level of the vendor's, and confirms its conditions where that is said.
func toLevel(s *clientgen.Step, f *stepFlags, l loaded, args []string) error {
	levels, err := l.levels(context.Background())
	if err != nil {
		return err
	}
	s.Contact = some(f.contact)
	for _, x := range levels {
		if !strings.EqualFold(x.Label, args[1]) && fmt.Sprint(x.Rank) != args[1] {
			continue
		}
		s.To = &x.Rank
		if f.attest && len(x.Criteria) > 0 {
			ids := []int64{}
			for _, k := range x.Criteria {
				ids = append(ids, k.Id)
			}
			s.Confirmed = &ids
		}
		return nil
	}
	return toNumber(s, f, l, args)
}

func (l loaded) levels(ctx context.Context) ([]clientgen.Level, error) {
	res, err := l.GetVendor(ctx, l.Line.VendorKey)
	v, _, err := client.Read[clientgen.Vendor](l.Client, res, err)
	return v.Levels, err
}

func toNumber(s *clientgen.Step, _ *stepFlags, _ loaded, args []string) error {
	var n int
	if _, err := fmt.Sscan(args[1], &n); err != nil || n < 1 {
		return usagef("%q is neither a number nor a label of this vendor's", args[1])
	}
	s.To = &n
	return nil
}

func (a *app) stepCommand(s step) *cobra.Command {
	var f stepFlags
	args := cobra.ExactArgs(1 + max(s.args, 0))
	if s.args < 0 {
		args = cobra.RangeArgs(1, 2)
	}
	c := &cobra.Command{Use: s.use, Short: s.short, Args: args, Example: "  " + s.example,
		RunE: func(cmd *cobra.Command, args []string) error {
			l, err := a.load(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			if s.step == "attest" {
				return a.attest(cmd.Context(), l, args)
			}
			body := clientgen.Step{Step: s.step, Cause: some(f.cause), Channel: some(clientgen.StepChannel(f.by))}
			if s.reason && f.text != "" {
				text, err := a.text(f.text, "")
				if err != nil {
					return err
				}
				body.Reason = &text
			}
			if s.fill != nil {
				if err := s.fill(&body, &f, l, args); err != nil {
					return err
				}
			}
			after, err := l.take(cmd.Context(), body)
			if err != nil && f.text == "-" && body.Reason != nil {
				return keepText(*body.Reason, err)
			} else if err != nil {
				return err
			}
			return a.afterStep(after)
		}}
	if s.reason {
		if s.step != "change-severity" && s.step != "give-move" {
			byFlag(c, &f.by)
		}
		c.Flags().StringVarP(&f.text, "text", "t", "", "why; the vendor is told it where the vendor is told (- reads it from standard input)")
	}
	if s.flags != nil {
		s.flags(c, &f)
	}
	return c
}

func (l *loaded) take(ctx context.Context, body clientgen.Step) (clientgen.Case, error) {
	res, err := l.TakeStep(ctx, l.Line.Number, &clientgen.TakeStepParams{IfMatch: &l.etag, IdempotencyKey: client.Key()}, body)
	after, etag, err := client.Read[clientgen.Case](l.Client, res, err)
	if err == nil {
		l.etag = etag
	}
	return after, err
}

func (a *app) attest(ctx context.Context, l loaded, args []string) error {
	if l.LevelHeld == nil || len(l.LevelHeld.Criteria) == 0 {
		a.printer().Line("Nothing is to be confirmed: this level has no conditions.")
		return nil
	}
	after := l.Case
	for i, c := range l.LevelHeld.Criteria {
		if c.AttestedBy != nil || len(args) == 2 && args[1] != fmt.Sprint(c.Id) && args[1] != fmt.Sprint(i+1) {
			continue
		}
		var err error
		if after, err = l.take(ctx, clientgen.Step{Step: "attest", Criterion: &c.Id}); err != nil {
			return err
		}
		if a.format != "json" {
			a.printer().Line("Attested: %s", c.Text)
		}
	}
	if a.format == "json" {
		return a.printer().JSON(after)
	}
	return nil
}

// afterStep says where the case stands now, and what is still on its way.
func (a *app) afterStep(c clientgen.Case) error {
	p := a.printer()
	if a.format == "json" {
		return p.JSON(c)
	}
	l := c.Line
	words := []string{string(l.State)}
	if l.Severity != nil {
		words = append(words, "severity "+severityText(l))
	}
	if l.Move != nil {
		words = append(words, out.Move(string(*l.Move)))
	}
	if l.Owner != nil {
		words = append(words, "owned by "+*l.Owner)
	}
	p.Line("%s  %s\n%s", l.Number, l.Title, strings.Join(words, ", "))
	a.onTheWay(c)
	for _, n := range c.Needs {
		p.Line("%-4s  %s", n.Weight, n.Text)
	}
	return nil
}

func (a *app) onTheWay(c clientgen.Case) {
	for _, d := range c.OnTheWay {
		what := deref(d.Step)
		if what == "" {
			what = "message"
		}
		if d.State == "by-hand" {
			a.toCarry(c, d, what)
			continue
		}
		line := fmt.Sprintf("On its way (delivery %d): %s, %s after %d attempts", d.Id, what, d.State, d.Attempts)
		if d.Problem != nil {
			line += "; " + *d.Problem
		}
		a.printer().Line("%s", line)
		if deref(d.NeedsPerson) || d.State == "unsure" {
			a.printer().Line("  decide with: roundhouse case decide %s %d arrived|again|by-hand|give-up", c.Line.Number, d.Id)
		}
	}
}

// toCarry shows what a person takes to the vendor, ready to be pasted or read out.
func (a *app) toCarry(c clientgen.Case, d clientgen.Delivery, what string) {
	p := a.printer()
	p.Line("To be taken to %s by hand, by %s (delivery %d: %s):", c.Line.Vendor, deref(d.Channel), d.Id, what)
	for _, w := range deref(d.Ways) {
		words := []string{"  " + w.Address}
		for _, s := range []*string{w.Area, w.Calendar} {
			if s != nil {
				words = append(words, *s)
			}
		}
		if deref(w.Urgent) {
			words = append(words, "urgent matters")
		}
		p.Line("%s", strings.Join(words, ", "))
	}
	p.Line("")
	for _, line := range strings.Split(strings.TrimRight(deref(d.Text), "\n"), "\n") {
		p.Line("  %s", line)
	}
	for _, name := range disclosure.Placeholders(deref(d.Text)) {
		p.Line("\nIn place of %s say what this shows: roundhouse secret reveal %s --case %s", disclosure.Placeholder(name), name, c.Line.Number)
	}
	number := ""
	if c.Line.Reference == nil {
		number = " --reference THEIR-NUMBER"
	}
	p.Line("\nWhen it has been sent: roundhouse case sent %s%s", c.Line.Number, number)
	p.Line("If it is not to be sent: roundhouse case decide %s %d give-up", c.Line.Number, d.Id)
}

func (a *app) caseOpen() *cobra.Command {
	var d draftFlags
	var vendor, by string
	var file, attest bool
	c := &cobra.Command{Use: "open TITLE", Short: "Begin a case as a draft; --file files it at once", Args: cobra.ExactArgs(1),
		Example: "  roundhouse case open --vendor corvane \"Console signs people out\" --environment production --effect degraded --reach few \\\n    --workaround acceptable --happened \"Every few minutes since this morning\" --answer tenant=saltmarsh-prod --file\n  roundhouse case open --asset \"Array Halsa-2\" \"Controller B restarts\" --effect degraded --reach few --workaround costly",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.client()
			if err != nil {
				return err
			}
			n := clientgen.NewCase{Title: args[0], Vendor: some(vendor)}
			if err := d.fill(a, cmd, c, &n); err != nil {
				return err
			}
			if vendor == "" && n.Asset == nil {
				return usagef("say which vendor with --vendor, or which thing with --asset; roundhouse vendor list shows the vendors")
			}
			res, err := c.OpenCase(cmd.Context(), &clientgen.OpenCaseParams{IdempotencyKey: client.Key()}, n)
			v, etag, err := client.Read[clientgen.Case](c, res, err)
			if err != nil {
				return err
			}
			l := loaded{c, v, etag}
			if attest {
				if err := a.attest(cmd.Context(), l, []string{v.Line.Number}); err != nil {
					return err
				}
				if l, err = a.load(cmd.Context(), v.Line.Number); err != nil {
					return err
				}
			}
			if file {
				after, err := l.take(cmd.Context(), clientgen.Step{Step: "file", Channel: some(clientgen.StepChannel(by))})
				if err != nil {
					return a.keptAsDraft(v, err)
				}
				return a.afterStep(after)
			}
			return a.afterStep(l.Case)
		}}
	f := c.Flags()
	f.StringVar(&vendor, "vendor", "", "the vendor's key or name; an asset says it by itself")
	d.flags(a, c)
	f.Lookup("kind").DefValue = "fault"
	f.BoolVar(&file, "file", false, "file it at once")
	byFlag(c, &by)
	f.BoolVar(&attest, "attest", false, "confirm all conditions of the vendor's level")
	_ = c.RegisterFlagCompletionFunc("vendor", a.completeFlag("vendor"))
	return c
}

func (a *app) caseList() *cobra.Command {
	var states, vendors []string
	var severities []int
	var move, words, sort, asset, account, contract string
	var mine, all bool
	var limit int
	c := &cobra.Command{Use: "list", Short: "List cases over all vendors; the live ones unless told otherwise", Args: cobra.NoArgs,
		Example: "  roundhouse case list --vendor tallow --severity 1,2\n  roundhouse case list --all --words snapshot -o json",
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.client()
			if err != nil {
				return err
			}
			if len(states) == 0 && !all {
				states = []string{"live"}
			}
			p := clientgen.ListCasesParams{Sort: some(clientgen.CaseSort(sort)), Words: some(words), Move: some(clientgen.Side(move))}
			if mine {
				p.Whose = some(clientgen.WhoseMine)
			}
			if len(vendors) > 0 {
				p.Vendor = &vendors
			}
			if len(severities) > 0 {
				p.Severity = &severities
			}
			for kind, x := range map[string]struct {
				name string
				to   **int64
			}{"asset": {asset, &p.Asset}, "account": {account, &p.Account}, "contract": {contract, &p.Contract}} {
				if x.name == "" {
					continue
				}
				hit, err := a.named(cmd.Context(), c, kind, x.name)
				if err != nil {
					return err
				}
				*x.to = &hit.Id
			}
			var filter []clientgen.StateFilter
			for _, s := range states {
				filter = append(filter, clientgen.StateFilter(s))
			}
			if len(filter) > 0 {
				p.State = &filter
			}
			most, err := a.limit(cmd, limit)
			if err != nil {
				return err
			}
			for _, s := range severities {
				if s < 1 || s > 4 {
					return usagef("--severity is 1, 2, 3 or 4, not %d", s)
				}
			}
			items := []clientgen.CaseLine{}
			for len(items) < most {
				p.Limit = some(min(200, most-len(items)))
				res, err := c.ListCases(cmd.Context(), &p)
				page, _, err := client.Read[clientgen.CasePage](c, res, err)
				if err != nil {
					return err
				}
				items = append(items, page.Items...)
				if p.Cursor = page.Next; p.Cursor == nil {
					break
				}
			}
			if err := a.printCases(items); err != nil {
				return err
			}
			a.andMore(p.Cursor != nil)
			return nil
		}}
	f := c.Flags()
	f.StringSliceVar(&states, "state", nil, "draft, filed, open, fix-offered, resolved, closed, withdrawn, or live")
	f.StringSliceVar(&vendors, "vendor", nil, "only these vendors")
	f.StringVar(&asset, "asset", "", "only about this asset, by any number or name")
	f.StringVar(&account, "account", "", "only in this account")
	f.StringVar(&contract, "contract", "", "only under this contract")
	for _, kind := range []string{"asset", "account", "contract"} {
		_ = c.RegisterFlagCompletionFunc(kind, a.completeFlag(kind))
	}
	f.IntSliceVar(&severities, "severity", nil, "only these severities")
	f.StringVar(&move, "move", "", "only where the move is ours or theirs")
	f.StringVar(&words, "words", "", "words of the title, a number or a reference")
	f.StringVar(&sort, "sort", "newest", "newest, oldest, severity or changed")
	f.BoolVar(&mine, "mine", false, "only the cases that you own")
	f.BoolVar(&all, "all", false, "in every state")
	limitFlag(c, &limit)
	return c
}

func (a *app) printCases(items []clientgen.CaseLine) error {
	p := a.printer()
	if a.format == "json" {
		return p.JSON(items)
	}
	if len(items) == 0 && a.format == "table" {
		p.Line("No matching cases.")
		return nil
	}
	if a.format == "csv" {
		var rows [][]string
		for _, l := range items {
			rows = append(rows, []string{l.Number, l.Title, l.VendorKey, deref(l.Reference), string(l.Kind), string(l.State), raw(l.Severity), deref(l.LevelLabel), raw(l.Standing), raw(l.Deadline), raw(l.Due),
				raw(l.Move), deref(l.Owner), fmt.Sprint(l.Unread), raw(&l.OpenedAt), raw(&l.ChangedAt), raw(l.LastVendorAt), raw(l.NextAt), raw(l.ParkedUntil)})
		}
		p.Table(named("case", "title", "vendor", "vendor_reference", "kind", "state", "severity", "vendor_level", "standing", "deadline", "due",
			"move", "owner", "unread", "opened", "changed", "last_vendor_reply", "next", "parked_until"), rows)
		return nil
	}
	now := time.Now()
	var rows [][]string
	for _, l := range items {
		unread := ""
		if l.Unread > 0 {
			unread = fmt.Sprint(l.Unread)
		}
		rows = append(rows, []string{severityText(l), l.Number, l.Title, l.Vendor, deref(l.Reference), string(l.State), p.Standing(string(deref(l.Standing))),
			out.Time(l.Due, now), out.Move(string(deref(l.Move))), unread, deref(l.OwnerInitials)})
	}
	p.Table([]out.Column{{Name: "severity"}, {Name: "case"}, {Name: "title", Main: true}, {Name: "vendor", Shrink: true, Drop: 5}, {Name: "vendor ref", Drop: 3}, {Name: "state", Drop: 4}, {Name: "standing"},
		{Name: "due", Drop: 6}, {Name: "move", Drop: 2}, {Name: "new", Right: true, Drop: 1}, {Name: "owner", Drop: 1}}, rows)
	return nil
}

// write is what reply, note and call share. may says before anything is written why it
// could not be sent, so that no editor opens in vain.
func (a *app) write(use, short, example string, may func(loaded) error, send func(ctx context.Context, l loaded, text string) (clientgen.Entry, error)) *cobra.Command {
	var text string
	c := &cobra.Command{Use: use, Short: short, Args: cobra.ExactArgs(1), Example: "  " + example,
		RunE: func(cmd *cobra.Command, args []string) error {
			l, err := a.load(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			if err := may(l); err != nil {
				return err
			}
			body, err := a.text(text, fmt.Sprintf("%s  %s\nwith %s", l.Line.Number, l.Line.Title, l.Line.Vendor))
			if err != nil {
				return err
			}
			e, err := send(cmd.Context(), l, body)
			if err != nil && text != body {
				return keepText(body, err)
			} else if err != nil {
				return err
			}
			if a.format == "json" {
				return a.printer().JSON(e)
			}
			what := "Entry %d of %s: on its way to " + l.Line.Vendor + "."
			switch {
			case e.Delivery == nil:
				what = "Entry %d of %s is written."
			case e.Delivery.State == "by-hand":
				what = "Entry %d of %s waits for you to take it to " + l.Line.Vendor + " by " + deref((*string)(e.Delivery.Channel)) + ": see roundhouse case show " + l.Line.Number + "."
			}
			a.printer().Line(what, e.Number, l.Line.Number)
			if e.Warning != nil {
				a.printer().Line("Warning: %s", *e.Warning)
			}
			return nil
		}}
	c.Flags().StringVarP(&text, "text", "t", "", "the text (- reads it from standard input; without it the EDITOR opens)")
	return c
}

func (a *app) caseReply() *cobra.Command {
	var move, by string
	var blind bool
	c := a.write("reply CASE", "Write to the vendor", "roundhouse case reply C-1001 --text \"The log is below\"", func(l loaded) error {
		if s := string(l.Line.State); s != "filed" && s != "open" && s != "fix-offered" {
			return &refused{fmt.Sprintf("%s is %s, so no message can be sent to %s; a note can be written: roundhouse case note %s", l.Line.Number, s, l.Line.Vendor, l.Line.Number)}
		}
		return nil
	}, func(ctx context.Context, l loaded, text string) (clientgen.Entry, error) {
		body := clientgen.NewMessage{Text: text, Move: some(clientgen.Side(move)), Seen: &l.Line.LastEntry, Channel: some(clientgen.NewMessageChannel(by))}
		if blind {
			body.Seen = nil
		}
		res, err := l.SendMessage(ctx, l.Line.Number, &clientgen.SendMessageParams{IdempotencyKey: client.Key()}, body)
		e, _, err := client.Read[clientgen.Entry](l.Client, res, err)
		return e, err
	})
	byFlag(c, &by)
	c.Flags().StringVar(&move, "move", "", "whose move it is then, where it is not the usual: ours or theirs")
	c.Flags().BoolVar(&blind, "unseen", false, "send even if the vendor has written meanwhile")
	return c
}

func (a *app) caseNote() *cobra.Command {
	return a.write("note CASE", "Write a note; it stays in the house", "roundhouse case note C-1001 --text \"Ask the contractor first\"", func(loaded) error { return nil }, func(ctx context.Context, l loaded, text string) (clientgen.Entry, error) {
		res, err := l.AddNote(ctx, l.Line.Number, &clientgen.AddNoteParams{IdempotencyKey: client.Key()}, clientgen.NewNote{Text: text})
		e, _, err := client.Read[clientgen.Entry](l.Client, res, err)
		return e, err
	})
}

func (a *app) caseCall() *cobra.Command {
	var with, at, move, by, word string
	may := func(l loaded) error {
		t, err := when(at, time.Now())
		switch {
		case err != nil:
			return err
		case strings.TrimSpace(with) == "":
			return usagef("say whom you spoke to, or who wrote, with --with")
		case t != nil && t.After(time.Now()):
			return usagef("--at is in the future: give the time at which it was")
		case !slices.Contains([]string{"phone", "chat", "mail", "portal"}, by):
			return usagef("--by is phone, chat, mail or portal, not %q", by)
		case move != "" && move != "ours" && move != "theirs":
			return usagef("--move is ours or theirs, not %q", move)
		}
		return nil
	}
	c := a.write("call CASE", "Write down what you heard: a call or chat that was, their mail, words on their portal", "roundhouse case call C-1001 --by portal --with \"Their desk\" --word Pending --text \"Which release is it?\"\n  roundhouse case call C-1001 --with \"Imke Vandersloot\" --at \"2026-12-01 10:20\" --text \"She rings back at two\"", may,
		func(ctx context.Context, l loaded, text string) (clientgen.Entry, error) {
			t, err := when(at, time.Now())
			if err != nil {
				return clientgen.Entry{}, err
			}
			if t == nil {
				now := time.Now()
				t = &now
			}
			res, err := l.AddCall(ctx, l.Line.Number, &clientgen.AddCallParams{IdempotencyKey: client.Key()},
				clientgen.NewCall{Text: text, With: with, At: *t, Move: some(clientgen.Side(move)), By: some(clientgen.NewCallBy(by)), Word: some(word)})
			e, _, err := client.Read[clientgen.Entry](l.Client, res, err)
			return e, err
		})
	c.Flags().StringVar(&with, "with", "", "whom you spoke to, or who wrote")
	c.Flags().StringVar(&by, "by", "phone", "phone, chat, mail or portal")
	c.Flags().StringVar(&word, "word", "", "the vendor's status word, where it said one")
	c.Flags().StringVar(&at, "at", "", "when it was; now if not said")
	c.Flags().StringVar(&move, "move", "", "whose move it is then: ours or theirs")
	_ = c.MarkFlagRequired("with")
	return c
}

func (a *app) caseDecide() *cobra.Command {
	var reference, at, by string
	words := map[string]clientgen.DecisionDecision{"arrived": "it-arrived", "again": "send-again", "by-hand": "by-hand", "give-up": "give-up"}
	c := &cobra.Command{Use: "decide CASE DELIVERY arrived|again|by-hand|give-up", Short: "Decide about something that may or may not have reached the vendor", Args: cobra.ExactArgs(3),
		Example: "  roundhouse case decide C-1001 7 arrived --reference CV-20417",
		RunE: func(cmd *cobra.Command, args []string) error {
			var id int64
			if _, err := fmt.Sscan(args[1], &id); err != nil {
				return usagef("%q is not a delivery's number; case show lists those on their way", args[1])
			}
			word, ok := words[args[2]]
			if !ok {
				return usagef("decide arrived, again, by-hand or give-up, not %q", args[2])
			}
			t, err := when(at, time.Now())
			if err != nil {
				return err
			}
			c, err := a.client()
			if err != nil {
				return err
			}
			res, err := c.DecideDelivery(cmd.Context(), args[0], id, &clientgen.DecideDeliveryParams{IdempotencyKey: client.Key()},
				clientgen.Decision{Decision: word, Reference: some(reference), At: t, Channel: some(clientgen.DecisionChannel(by))})
			v, _, err := client.Read[clientgen.Case](c, res, err)
			if err != nil {
				return err
			}
			return a.afterStep(v)
		}}
	c.Flags().StringVar(&reference, "reference", "", "the vendor's number, where a filing arrived")
	c.Flags().StringVar(&at, "at", "", "when it arrived")
	c.Flags().StringVar(&by, "by", "", "of by-hand: portal, mail, phone or chat")
	return c
}

func (a *app) caseSent() *cobra.Command {
	var reference, at string
	c := &cobra.Command{Use: "sent CASE", Short: "Say that what was to be taken to the vendor by hand has gone", Args: cobra.ExactArgs(1),
		Long:    "Says that what waits in your hands has gone to the vendor. From then on it counts: the move is theirs\nand their clocks run. Where several wait, the oldest is meant.",
		Example: "  roundhouse case sent C-1001 --reference 77-20417\n  roundhouse case sent C-1001 --at \"2026-12-01 10:20\"",
		RunE: func(cmd *cobra.Command, args []string) error {
			t, err := when(at, time.Now())
			if err != nil {
				return err
			}
			l, err := a.load(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			for _, d := range l.OnTheWay {
				if d.State != "by-hand" {
					continue
				}
				res, err := l.DecideDelivery(cmd.Context(), l.Line.Number, d.Id, &clientgen.DecideDeliveryParams{IdempotencyKey: client.Key()},
					clientgen.Decision{Decision: "it-arrived", Reference: some(reference), At: t})
				v, _, err := client.Read[clientgen.Case](l.Client, res, err)
				if err != nil {
					return err
				}
				if err := a.afterStep(v); err != nil {
					return err
				}
				if v.Line.Reference == nil {
					a.printer().Line("The vendor's number is not known yet. Add it when you have it: roundhouse case reference %s THEIR-NUMBER", l.Line.Number)
				}
				return nil
			}
			if reference != "" && l.Line.Reference == nil {
				return &refused{fmt.Sprintf("nothing of %s waits to be sent by you any more; to add the vendor's number: roundhouse case reference %s %s", l.Line.Number, l.Line.Number, reference)}
			}
			if l.Line.Reference == nil && l.Line.State != "draft" {
				return &refused{fmt.Sprintf("nothing of %s waits to be sent by you any more; the vendor's number is still missing, add it when you have it: roundhouse case reference %s THEIR-NUMBER", l.Line.Number, l.Line.Number)}
			}
			return &refused{fmt.Sprintf("nothing of %s waits to be sent by you; roundhouse case show %s says what is on its way", l.Line.Number, l.Line.Number)}
		}}
	c.Flags().StringVar(&reference, "reference", "", "the number that the vendor gave it")
	c.Flags().StringVar(&at, "at", "", "when it went; now if not said")
	return c
}

func (a *app) caseReference() *cobra.Command {
	return &cobra.Command{Use: "reference CASE NUMBER", Short: "Write down or correct the vendor's number of a filed case", Args: cobra.ExactArgs(2),
		Example: "  roundhouse case reference C-1001 77-20417",
		RunE: func(cmd *cobra.Command, args []string) error {
			l, err := a.load(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			res, err := l.ChangeCaseWithApplicationMergePatchPlusJSONBody(cmd.Context(), l.Line.Number, &clientgen.ChangeCaseParams{IfMatch: &l.etag}, clientgen.CaseChange{Reference: &args[1]})
			v, _, err := client.Read[clientgen.Case](l.Client, res, err)
			if err != nil {
				return err
			}
			if v.Line.Reference != nil && a.format == "table" {
				a.printer().Line("%s is %s at %s.", v.Line.Number, *v.Line.Reference, v.Line.Vendor)
			}
			return a.afterStep(v)
		}}
}
