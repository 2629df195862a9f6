package drafts

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"roundhouse.example/internal/cli/app"
	clicases "roundhouse.example/internal/cli/cases"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
)

// draftFlags are what a draft consists of, as flags say it.
type draftFlags struct {
	kind, environment, effect, reach, workaround, needed string
	ticket, reason, asset, account, contract             string
	goOn, maker, newVendor, newProduct, newKind          string
	exposure                                             bool
	answers                                              []string
	severity                                             int
	texts                                                map[string]*string // by the flag
	names                                                map[string]bool    // the flags of fields, as a file names them
	piped                                                string             // the flag of the one from standard input
}

// kept is an error of what was typed: what was piped in is in no shell's history.
func (d *draftFlags) kept(err error) error {
	if d.piped == "" {
		return err
	}
	return app.KeepText(d.piped, *d.texts[d.piped], err)
}

func (d *draftFlags) flags(a *Commands, c *cobra.Command) {
	f, before := c.Flags(), map[string]bool{}
	f.VisitAll(func(x *pflag.Flag) { before[x.Name] = true })
	f.StringVar(&d.asset, "asset", "", "the affected asset, by any number or name")
	f.StringVar(&d.account, "account", "", "the account, if the asset does not name it")
	f.StringVar(&d.contract, "contract", "", "the contract, if not the one that covers the asset")
	f.StringVar(&d.maker, "maker", "", "the vendor behind the reseller, if the asset does not name it")
	f.StringVar(&d.newVendor, "unknown-vendor", "", "the name of a vendor that the desk does not have yet")
	f.StringVar(&d.newProduct, "unknown-product", "", "the name of a product or thing that the register does not have yet")
	f.StringVar(&d.newKind, "unknown-kind", "", "what kind of case it is, if none of ours fits")
	f.StringVar(&d.goOn, "go-on-reason", "", "why you file it despite a warning")
	f.StringVar(&d.kind, "kind", "",
		"fault, question, capacity, money, licence, order, wish, work, part, visit or access")
	f.StringVar(&d.environment, "environment", "", "production or other")
	f.StringVar(&d.effect, "effect", "", "stopped, degraded, awkward or none")
	f.StringVar(&d.reach, "reach", "", "everyone, many (a third, or a site), few or one")
	f.StringVar(&d.workaround, "workaround", "", "none, costly or easy")
	f.BoolVar(&d.exposure, "exposure", false, "data is being lost or exposed right now")
	f.StringVar(&d.needed, "needed-by", "", "when the business needs it")
	f.IntVar(&d.severity, "severity", 0, "a severity other than the one the facts support; needs --severity-reason")
	f.StringVar(&d.reason, "severity-reason", "", "why the severity is overridden")
	d.texts = map[string]*string{}
	for _, x := range clicases.TextFlags {
		d.texts[x.Flag] = f.String(x.Flag, "", x.Help)
	}
	f.StringVar(&d.ticket, "ticket", "", "our own ticket's number")
	f.StringArrayVar(&d.answers, "answer", nil,
		"an answer to the vendor's intake form, KEY=TEXT; repeat for several (vendor show lists the keys)")
	d.names = map[string]bool{}
	f.VisitAll(func(x *pflag.Flag) {
		if !before[x.Name] && x.Name != "answer" {
			d.names[x.Name] = true
		}
	})
	for _, kind := range []string{"asset", "account", "contract"} {
		_ = c.RegisterFlagCompletionFunc(kind, a.CompleteFlag(kind))
	}
}

// markDown answers what the severity follows from, where nothing else was said, as when production is down.
func (d *draftFlags) markDown() {
	for _, x := range []struct {
		fact *string
		is   string
	}{{&d.environment, "production"}, {&d.effect, "stopped"}, {&d.reach, "many"}, {&d.workaround, "none"}} {
		*x.fact = cmp.Or(*x.fact, x.is)
	}
}

// fill puts what the flags say into a new case.
func (d *draftFlags) fill(a *Commands, cmd *cobra.Command, c *client.Client, n *clientgen.NewCase) error {
	for _, x := range []struct {
		kind, name string
		to         **int64
	}{{"asset", d.asset, &n.Asset}, {"account", d.account, &n.Account}, {"contract", d.contract, &n.Contract}} {
		if x.name == "" {
			continue
		}
		hit, err := a.Named(cmd.Context(), c, x.kind, x.name)
		if err != nil {
			return err
		}
		*x.to = &hit.Id
	}
	facts := clientgen.Facts{Environment: app.Some(clientgen.FactsEnvironment(d.environment)),
		Effect: app.Some(clientgen.FactsEffect(d.effect)),
		Reach:  app.Some(clientgen.FactsReach(d.reach)), Workaround: app.Some(clientgen.FactsWorkaround(d.workaround)),
		Exposure: app.Some(d.exposure)}
	needBy, err := a.When(cmd.Context(), d.needed)
	if err != nil {
		return err
	}
	if needBy != nil {
		facts.NeededBy.Set(*needBy)
	}
	texts := map[string]string{}
	for _, x := range clicases.TextFlags {
		value := d.texts[x.Flag]
		if *value == "-" && d.piped != "" {
			return app.Usagef("--%s: only one text can be read from standard input", x.Flag)
		}
		if *value == "-" {
			d.piped = x.Flag
			if *value, err = a.ReadText("-", ""); err != nil {
				return err
			}
		}
		if clicases.IsTime(x.Member) && *value != "" {
			at, err := a.When(cmd.Context(), *value)
			if err != nil {
				return fmt.Errorf("--%s: %w", x.Flag, err)
			}
			*value = at.UTC().Format(time.RFC3339)
		}
		if *value != "" {
			texts[x.Member] = *value
		}
	}
	n.Kind, n.Severity, n.SeverityReason, n.Ticket = app.Some(clientgen.CaseKind(d.kind)), app.Some(d.severity),
		app.Some(d.reason), app.Some(d.ticket)
	n.Maker, n.GoOnReason = app.Some(d.maker), app.Some(d.goOn)
	if d.newVendor+d.newProduct+d.newKind != "" {
		n.Unsorted = &clientgen.Unsorted{Vendor: app.Some(d.newVendor), Product: app.Some(d.newProduct),
			Kind: app.Some(d.newKind)}
	}
	n.Facts = &facts
	n.Texts = &clientgen.Texts{}
	if raw, err := json.Marshal(texts); err != nil {
		return err
	} else if err := json.Unmarshal(raw, n.Texts); err != nil {
		return err
	}
	given, err := d.given()
	if len(given) > 0 {
		n.Answers = &given
	}
	return err
}

func (d *draftFlags) given() (map[string]string, error) {
	given := map[string]string{}
	for _, s := range d.answers {
		k, v, ok := strings.Cut(s, "=")
		if !ok {
			return nil, app.Usagef("--answer: write it as KEY=TEXT, not %q", s)
		}
		given[k] = v
	}
	return given, nil
}

// patch is what the flags change of a draft: only what was said, and to nothing where that
// was empty.
func (d *draftFlags) patch(a *Commands, cmd *cobra.Command, c *client.Client) (map[string]any, error) {
	var n clientgen.NewCase
	if err := d.fill(a, cmd, c, &n); err != nil {
		return nil, err
	}
	said := cmd.Flags().Changed
	patch, facts, texts, answers := map[string]any{}, map[string]any{}, map[string]any{}, map[string]any{}
	unsorted := map[string]any{}
	set := func(in map[string]any, flag, member string, value any) {
		if !said(flag) {
			return
		}
		if value == "" || value == 0 {
			value = nil
		}
		in[member] = value
	}
	for _, x := range []struct {
		flag string
		id   *int64
	}{{"asset", n.Asset}, {"account", n.Account}, {"contract", n.Contract}} {
		if said(x.flag) {
			patch[x.flag] = x.id
		}
	}
	set(patch, "kind", "kind", d.kind)
	set(patch, "severity", "severity", d.severity)
	for flag, value := range map[string]string{"severity-reason": d.reason, "go-on-reason": d.goOn} {
		if said(flag) {
			patch[strings.ReplaceAll(flag, "-", "_")] = value
		}
	}
	set(patch, "ticket", "ticket", d.ticket)
	set(patch, "maker", "maker", d.maker)
	for flag, value := range map[string]string{"vendor": d.newVendor, "product": d.newProduct, "kind": d.newKind} {
		if said("unknown-" + flag) {
			unsorted[flag] = value
		}
	}
	for _, x := range []struct{ flag, value string }{{"environment", d.environment}, {"effect", d.effect},
		{"reach", d.reach}, {"workaround", d.workaround}} {
		set(facts, x.flag, x.flag, x.value)
	}
	set(facts, "exposure", "exposure", d.exposure)
	if said("needed-by") {
		facts["needed_by"] = nil
		if t, err := n.Facts.NeededBy.Get(); err == nil {
			facts["needed_by"] = t
		}
	}
	for _, x := range clicases.TextFlags {
		if said(x.Flag) {
			texts[x.Member] = *d.texts[x.Flag]
		}
	}
	given, err := d.given()
	for k, v := range given {
		answers[k] = v
		if v == "" {
			answers[k] = nil
		}
	}
	for name, part := range map[string]map[string]any{"facts": facts, "texts": texts, "answers": answers,
		"unsorted": unsorted} {
		if len(part) > 0 {
			patch[name] = part
		}
	}
	return patch, err
}

// caseEdit changes a draft, or the title and ticket of a case that is filed.
func (a *Commands) caseEdit() *cobra.Command {
	var d draftFlags
	var title, from, vendor string
	var editor bool
	c := &cobra.Command{Use: "edit CASE", Short: "Change a draft, or the title and our ticket number of a filed case",
		Args: cobra.ExactArgs(1),
		Long: "Changes the fields that you give as flags or in a file, and leaves the rest. An empty value\n" +
			"clears the field. --edit opens the draft in $EDITOR with the vendor's form: what each field is for,\n" +
			"what is required, and what is known already. The keys of a file are the names of the\n" +
			"flags; answers to the form go under answers.",
		Example: "  roundhouse case edit C-1090 --reach many --workaround none\n  roundhouse case edit C-1090 --answer " +
			"tenant=saltmarsh-prod\n  roundhouse case edit C-1090 --edit",
		RunE: func(cmd *cobra.Command, args []string) error {
			l, err := a.Load(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			w, err := a.readInto(cmd, &d, l.Case, from, editor, map[string]*string{"title": &title,
				"vendor": &vendor})
			if err == nil {
				err = a.change(cmd, &d, &l, title, vendor)
			}
			if err != nil && !errors.Is(err, errNothing) {
				return w.Kept(d.kept(err), "roundhouse case edit "+l.Line.Number)
			}
			w.Done()
			if err != nil {
				return err
			}
			return a.AfterStep(l.Case)
		}}
	c.Flags().StringVar(&title, "title", "", "a new title")
	c.Flags().StringVar(&vendor, "vendor", "",
		"another vendor, for a draft; if it resells the vendor so far, that one becomes the maker")
	_ = c.RegisterFlagCompletionFunc("vendor", a.CompleteFlag("vendor"))
	d.flags(a, c)
	fileFlags(c, &from, &editor)
	return c
}

// fileFlags are for a draft that is written in a file or an editor.
func fileFlags(c *cobra.Command, from *string, editor *bool) {
	c.Flags().StringVar(from, "from", "", "read fields from a YAML or JSON file (- for standard input)")
	c.Flags().BoolVar(editor, "edit", false, "edit it in $EDITOR, with the vendor's form")
}

// readInto sets the flags from a file, or from what a person writes in the editor. The file is kept until it is Done.
func (a *Commands) readInto(cmd *cobra.Command, d *draftFlags, c clientgen.Case, from string, editor bool,
	more map[string]*string) (w app.Written, err error) {
	var raw []byte
	if from != "" {
		name := from
		if raw, err = a.readFile(from); err == nil && from == "-" {
			name = "standard input"
			w, err = app.WriteDown("roundhouse-*.yaml", string(raw))
		}
		if err == nil {
			err = d.take(cmd, name, raw, nil, more)
		}
	}
	if !editor || err != nil {
		return w, err
	}
	if c.Line.State != "draft" {
		return w, &app.Refused{Text: c.Line.Number + " is no longer a draft; change its title with --title"}
	}
	rows, err := a.rows(cmd, c, a.Times(cmd.Context()))
	if err != nil {
		return w, err
	}
	text, err := sheet(c, rows)
	if err != nil {
		return w, err
	}
	before := map[string]string{}
	for _, r := range rows {
		before[r.key] = r.value
	}
	w, raw, err = a.Editor("roundhouse-*.yaml", text, "set EDITOR, or say what to change with flags or --from FILE")
	if err != nil {
		return w, err
	}
	return w, d.take(cmd, "what you wrote", raw, before, more)
}

// errNothing is where nothing of a case is to be changed.
var errNothing = app.Usagef("say what to change with flags, --from FILE or --edit")

// change applies what the flags say to a case, which is then as it was answered.
func (a *Commands) change(cmd *cobra.Command, d *draftFlags, l *clicases.Loaded, title, vendor string) error {
	patch, err := d.patch(a, cmd, l.Client)
	if err != nil {
		return err
	}
	if title != "" || cmd.Flags().Changed("title") {
		patch["title"] = title
	}
	if vendor != "" {
		patch["vendor"] = vendor
	}
	if len(patch) == 0 {
		return errNothing
	}
	var after clientgen.Case
	tag, err := l.Do(cmd.Context(), "PATCH", "/cases/"+l.Line.Number, patch, map[string]string{"If-Match": l.ETag}, &after)
	if err == nil {
		l.Case, l.ETag = after, tag
	}
	return err
}

// keptAsDraft says what became of a case that could not be filed, and how to go on with it.
func (a *Commands) keptAsDraft(c clientgen.Case, err error) error {
	if a.Format == "json" {
		if raw, wrong := json.Marshal(c.Line.Number); wrong == nil {
			a.Printer().Line(`{"draft": %s}`, string(raw))
		}
	}
	n := c.Line.Number
	return fmt.Errorf("%w\n%s is saved as a draft. Change it with: roundhouse case edit %s …\nThen file it with: "+
		"roundhouse case file %s", err, n, n, n)
}
