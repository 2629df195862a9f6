package drafts

import (
	"errors"
	"strings"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	clicases "roundhouse.example/internal/cli/cases"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
)

// opening is what the command line says of a case to open.
type opening struct {
	d             draftFlags
	by            clicases.ByFlags
	title, vendor string
	from          string
	file, confirm bool
	editor, asks  bool
	down          bool
	like, follows string
	disclose      string
}

func (a *Commands) caseOpen() *cobra.Command {
	var o opening
	c := &cobra.Command{Use: "open [TITLE]", Short: "Open a case as a draft; --file files it at once",
		Args: cobra.MaximumNArgs(1),
		Long: "Opens a case as a draft. Without a title it asks for what is needed, question by question, and saves each\n" +
			"answer. --from reads the fields from a file, whose keys are the names of the flags; answers to the\n" +
			"vendor's form go under answers. --edit saves the draft, then opens it in $EDITOR with the vendor's form.",
		Example: "  roundhouse case open --vendor corvane \"Console signs people out\" --environment production " +
			"--effect degraded --reach few \\\n    --workaround easy --happened \"Every few minutes since this " +
			"morning\" --answer tenant=saltmarsh-prod --file\n  roundhouse case open --asset \"Array Gannetholm-2\" " +
			"\"Controller B restarts\" --effect degraded --reach few --workaround costly\n" +
			"  roundhouse case open --vendor pellow \"Gate 3 refuses cards\" --edit\n" +
			"  roundhouse case open \"The second gate does the same\" --like C-1077\n" +
			"  roundhouse case open --follows C-1005\n" +
			"  roundhouse case open --vendor ninefathom \"All lines are dark\" --down " +
			"--happened \"Since 02:10\" --confirm --file",
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) == 1 {
				o.title = args[0]
			}
			return a.open(cmd, &o)
		}}
	f := c.Flags()
	f.StringVar(&o.vendor, "vendor", "", "the vendor's key or name; not needed with --asset")
	o.d.flags(a, c)
	f.Lookup("kind").DefValue = "fault"
	fileFlags(c, &o.from, &o.editor)
	f.StringVar(&o.follows, "follows", "", "a case that its vendor no longer reopens; the new one refers to it")
	f.StringVar(&o.like, "like", "", "take the facts that you do not give from this case")
	f.BoolVar(&o.down, "down", false,
		"production has stopped for many users and there is no workaround, unless other flags say otherwise")
	f.BoolVar(&o.asks, "ask", false, "ask question by question, even if this is not a terminal")
	f.BoolVar(&o.file, "file", false, "file it at once")
	o.by.Add(c)
	clicases.DiscloseFlag(c, &o.disclose)
	f.BoolVar(&o.confirm, "confirm", false, "confirm all conditions of the vendor's level")
	app.OnlyOne(c, "ask", "edit")
	_ = c.RegisterFlagCompletionFunc("vendor", a.CompleteFlag("vendor"))
	return c
}

func (a *Commands) open(cmd *cobra.Command, o *opening) error {
	w, err := a.readInto(cmd, &o.d, clientgen.Case{}, o.from, false,
		map[string]*string{"title": &o.title, "vendor": &o.vendor})
	if err != nil {
		return w.Kept(err, "roundhouse case open")
	}
	if o.down {
		o.d.markDown()
	}
	if o.asks || o.title+o.from+o.like+o.follows == "" && !o.editor && a.asked() {
		return a.ask(cmd, o)
	}
	l, err := a.begin(cmd, o)
	if err != nil {
		return w.Kept(err, "roundhouse case open")
	}
	w.Done()
	if o.editor {
		d := draftFlags{}
		again := &cobra.Command{Use: "edit"}
		title := again.Flags().String("title", "", "")
		d.flags(a, again)
		again.SetContext(cmd.Context())
		w, err := a.readInto(again, &d, l.Case, "", true, map[string]*string{"title": title})
		if err == nil {
			err = a.change(again, &d, &l, *title, "")
		}
		if err != nil && !errors.Is(err, errNothing) {
			return a.keptAsDraft(l.Case, w.Kept(err, "roundhouse case edit "+l.Line.Number))
		}
		w.Done()
	}
	if o.confirm {
		if err := a.Confirm(cmd.Context(), l, []string{l.Line.Number}); err != nil {
			return err
		}
		if l, err = a.Load(cmd.Context(), l.Line.Number); err != nil {
			return err
		}
	}
	if o.file {
		return a.fileIt(cmd, o, l)
	}
	return a.AfterStep(l.Case)
}

// begin saves the draft.
func (a *Commands) begin(cmd *cobra.Command, o *opening) (l clicases.Loaded, err error) {
	c, err := a.Client()
	if err != nil {
		return l, err
	}
	if strings.TrimSpace(o.title) == "" && o.like+o.follows == "" {
		return l, app.Usagef("give the case a title, or use --ask to be asked for what is needed")
	}
	n := clientgen.NewCase{Title: app.Some(o.title), Vendor: app.Some(o.vendor), Like: app.Some(o.like),
		Follows: app.Some(o.follows)}
	if err := o.d.fill(a, cmd, c, &n); err != nil {
		return l, err
	}
	if o.vendor == "" && n.Asset == nil && o.like+o.follows == "" && o.d.newVendor == "" {
		return l, app.Usagef("name the vendor with --vendor or an asset with --asset; roundhouse vendor list shows the " +
			"vendors, and roundhouse case whom \"WORDS\" says whose it may be. If the desk does not have the vendor yet, use " +
			"--unknown-vendor NAME")
	}
	res, err := c.OpenCase(cmd.Context(), &clientgen.OpenCaseParams{IdempotencyKey: client.Key()}, n)
	v, etag, err := client.Read[clientgen.Case](c, res, err)
	if err != nil {
		return l, o.d.kept(err)
	}
	return clicases.Loaded{Client: c, Case: v, ETag: etag}, nil
}

// fileIt files a draft; where that is refused it is a draft still.
func (a *Commands) fileIt(cmd *cobra.Command, o *opening, l clicases.Loaded) error {
	after, err := l.Take(cmd.Context(), clientgen.Step{Step: "file", Channel: o.by.Via(), Link: app.Some(o.by.Link),
		DiscloseReason: app.Some(o.disclose)})
	if err != nil {
		return a.keptAsDraft(l.Case, err)
	}
	return a.AfterStep(after)
}
