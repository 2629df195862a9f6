package register

import (
	"fmt"
	"net/url"
	"strings"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/core/words"
)

func counted(name, member string) app.Column {
	return app.Column{Column: out.Column{Name: name, Right: true}, Cell: func(r app.Record) string {
		if s := r.Text(member); s != "0" {
			return s
		}
		return ""
	}}
}

func vendorColumn() app.Column {
	return app.Column{Column: out.Column{Name: "vendor", Shrink: true}, Cell: func(r app.Record) string {
		return r.Text("vendor_name")
	}}
}

var vendorField = app.FieldFlag{Member: "vendor", Kind: "text", Help: "the vendor's key or name"}

// Products is the command group product.
func (a *Commands) Products() *cobra.Command {
	return a.Noun(app.Noun{Name: "product", Many: "products", Path: "/products", Article: "a", Sample: `"Array 40"`,
		Added: `"Array 60"`, Word: "array",
		Example: "  roundhouse product add --vendor tallow --name \"Array 60\" --our-name \"the tall one\" --component " +
			"controller",
		Fields: []app.FieldFlag{vendorField, {Member: "name", Kind: "text", Help: "its name"},
			{Member: "our_names", Kind: "list", Help: "what we call it; repeat for several"},
			{Member: "components", Kind: "list", Help: "a component; repeat for several"},
			{Member: "versions", Kind: "versions",
				Help: "a version and the date until which it is supported, as in 4.1=2027-06-30; repeat for all of them"},
			{Member: "number_found", Kind: "text", Help: "where to find the serial number on it", Label: "find the serial"},
			{Member: "note", Kind: "text", Help: "a note"}},
		Columns: []app.Column{app.Fact("product", "name"), vendorColumn(), app.Fact("we call it", "our_names"),
			counted("assets", "assets")},
		Show: func(p *out.Printer, r app.Record) {
			p.Line("%s in the register", app.Number(r.Number("assets"), "asset"))
			versions, _ := r.Facts()["versions"].([]any)
			for _, v := range versions {
				x := app.Record(v.(map[string]any))
				until := ""
				if x.Text("supported_until") != "" {
					until = ", supported until " + x.Text("supported_until")
				}
				p.Line("%-19s %s%s", "version", x.Text("name"), until)
			}
		}})
}

// Accounts is the command group account.
func (a *Commands) Accounts() *cobra.Command {
	return a.Noun(app.Noun{Name: "account", Many: "accounts", Path: "/accounts", Article: "an", Sample: "saltmarsh-prod",
		Added: "saltmarsh-trial", Word: "saltmarsh",
		Example: "  roundhouse account add --vendor corvane --number saltmarsh-trial --called tenant --region Ern " +
			"--country NO",
		Fields: []app.FieldFlag{vendorField, {Member: "number", Kind: "text", Help: "the number or name at the vendor"},
			{Member: "name", Kind: "text", Help: "what it is for"},
			{Member: "called", Kind: "text", Help: "what the vendor calls this number"},
			{Member: "regions", Kind: "list", Help: "a region; repeat for several"},
			{Member: "country", Kind: "text", Help: "country code of two capital letters, like NO"},
			{Member: "holder", Kind: "text", Help: "which of our people holds its password or key"},
			{Member: "note", Kind: "text", Help: "a note"}},
		Columns: []app.Column{app.Fact("account", "number"), app.Fact("for", "name"), vendorColumn(),
			app.Fact("regions", "regions"), counted("assets", "assets"), counted("live cases", "live_cases")},
		Show: func(p *out.Printer, r app.Record) {
			p.Line("%s, %s", app.Number(r.Number("assets"), "asset"), app.Number(r.Number("live_cases"), "live case"))
		}})
}

// Contracts is the command group contract.
func (a *Commands) Contracts() *cobra.Command {
	return a.standing(app.Noun{Name: "contract", Many: "contracts", Path: "/contracts", Article: "a", Sample: "TW-C-7718",
		Added: "TW-C-8001", Word: "TW-",
		Example: "  roundhouse contract add --vendor tallow --number TW-C-8001 --starts 2027-01-01 --ends 2027-12-31 " +
			"--everything \\\n    --term \"first-response 1 1h round-the-clock\" --term \"update 2 1bd tallow-office\"",
		Fields: []app.FieldFlag{vendorField, {Member: "number", Kind: "text", Help: "its number"},
			{Member: "tier", Kind: "text", Help: "what the vendor calls this kind of support"},
			{Member: "starts", Kind: "text", Help: "its first date"}, {Member: "ends", Kind: "text", Help: "its last date"},
			{Member: "notice", Kind: "text", Help: "the last date to give notice"},
			{Member: "country", Kind: "text", Help: "country code of two capital letters, like NO"},
			{Member: "rights", Kind: "list", Help: "what we may ask for; repeat for several"},
			{Member: "kinds", Kind: "list", Label: "kinds of case",
				Help: "a kind of case that its tier includes; repeat for several, all if left out"},
			{Member: "exclusions", Kind: "text", Help: "what is not covered"},
			{Member: "everything", Kind: "yes", Label: "covers everything",
				Help: "it covers everything we have from the vendor"},
			{Member: "products", Kind: "list", Help: "a product that it covers; repeat for several"},
			{Member: "accounts", Kind: "list", Help: "an account that it covers; repeat for several"},
			{Member: "allowance.unit", Kind: "text", Help: "prepaid: cases or hours", Values: words.Units},
			{Member: "allowance.amount", Kind: "number", Help: "how many were paid for"},
			{Member: "allowance.used", Kind: "number", Help: "how many were used in addition to those the desk counts"},
			{Member: "on_change", Kind: "text", Label: "on level change", Values: words.OnChange,
				Help: "clocks on a level change: restart, keep or restart-if-raised"},
			{Member: "while_ours", Kind: "text", Label: "while waiting on us", Values: words.WhileOurs,
				Help: "the vendor's clocks while waiting on us: pause or run"},
			{Member: "terms", Kind: "terms",
				Help: "a target: DEADLINE LEVEL TARGET [CALENDAR] [kind=…] [channel=…] [country=…]; repeat for all of them"},
			{Member: "note", Kind: "text", Help: "a note"}},
		Filters: []app.FieldFlag{{Member: "cover", Kind: "text", Help: "in-force or ended"},
			{Member: "ending_on", Kind: "text", Help: "only those that end, or whose notice date comes, by this date"}},
		Columns: []app.Column{app.Fact("contract", "number").Whole(), vendorColumn().Title(),
			app.Fact("tier", "tier").Leaves(2), app.Fact("starts", "starts").Leaves(1).Whole(), app.Fact("ends", "ends").Whole(),
			{Column: out.Column{Name: "days left", Right: true, Drop: 4}, Cell: func(r app.Record) string {
				if n := r.Number("days_left"); n >= 0 {
					return app.Itoa(n)
				}
				return "ended"
			}}, counted("assets", "assets").Leaves(1), counted("live cases", "live_cases").Leaves(3),
			{Column: out.Column{Name: "note", Shrink: true}, Cell: func(r app.Record) string {
				return strings.Join(r.Texts("warnings"), ". ")
			}}},
		Show: func(p *out.Printer, r app.Record) {
			for _, w := range r.Texts("warnings") {
				p.Line("Note: %s", w)
			}
			if n := r.Number("days_left"); n >= 0 {
				left := app.Number(n, "day")
				if n > 3*365 {
					left = app.Number(n*4/1461, "year")
				}
				p.Line("%s left, %s under it, %s of them live", left, app.Number(r.Number("opened_cases"), "case"),
					r.Text("live_cases"))
			} else {
				p.Line("Ended %s ago", app.Number(-n, "day"))
			}
			ShowTerms(p, "level", r.Facts())
		}})
}

// ShowTerms prints targets as a table.
func ShowTerms(p *out.Printer, rank string, f app.Record) {
	var rows [][]string
	list, _ := f["terms"].([]any)
	for _, t := range list {
		x := app.Record(t.(map[string]any))
		rows = append(rows, []string{x.Text("level"), words.Deadlines.Of(x.Text("deadline")), words.Target(x.Text("target")),
			x.Text("calendar"), narrowed(x.Text("kind"), x.Text("channel"), x.Text("country"))})
	}
	if len(rows) == 0 {
		p.Line("It has no targets.")
		return
	}
	p.Table([]out.Column{{Name: rank, Right: true}, {Name: "deadline"}, {Name: "target"}, {Name: "calendar"},
		{Name: "only"}}, rows)
}

// Assets is the command group asset.
func (a *Commands) Assets() *cobra.Command {
	return a.Noun(app.Noun{Name: "asset", Many: "assets", Path: "/assets", Article: "an", Sample: `"Array Gannetholm-2"`,
		Added: `"Array Marrowby-3"`, Word: "array",
		Example: "  roundhouse asset add --vendor tallow --name \"Array Marrowby-3\" --serial TWS-40-0101110 --product " +
			"\"Array 40\" --site Marrowby --environment production",
		Fields: []app.FieldFlag{vendorField, {Member: "name", Kind: "text", Help: "what we call it"},
			{Member: "serial", Kind: "text", Help: "its serial number"},
			{Member: "model", Kind: "text", Help: "the maker's model"},
			{Member: "product", Kind: "text", Help: "its product"},
			{Member: "version", Kind: "text", Help: "the product's version"},
			{Member: "system", Kind: "text", Help: "its operating system"},
			{Member: "resource_id", Kind: "text", Help: "its identifier at a cloud vendor"},
			{Member: "account", Kind: "text", Help: "its account"},
			{Member: "region", Kind: "text", Help: "its region"},
			{Member: "environment", Kind: "text", Help: "production or other", Values: words.Environments},
			{Member: "site", Kind: "text", Help: "where it is"},
			{Member: "address", Kind: "text", Help: "the site's address"},
			{Member: "country", Kind: "text", Help: "country code of two capital letters, like NO"},
			{Member: "site_contact", Kind: "text", Help: "who to ask there"},
			{Member: "site_phone", Kind: "text", Help: "the phone number of the site contact"},
			{Member: "contract", Kind: "text", Help: "the contract that names it"},
			{Member: "owner", Kind: "text", Help: "which of our people is responsible for it"},
			{Member: "start_with", Kind: "text", Help: "who to go to first, if not the vendor"},
			{Member: "number_found", Kind: "text", Label: "find the serial",
				Help: "where to find its serial number, if not in the usual place"},
			{Member: "platform.supported", Kind: "text",
				Values: words.Supported, Help: "whether the vendor supports what it runs on: yes, no or unknown"},
			{Member: "platform.until", Kind: "text", Help: "the date its support ends"},
			{Member: "platform.source", Kind: "text", Help: "who said whether it is supported"},
			{Member: "platform.checked", Kind: "text", Help: "when that was checked"},
			{Member: "attributes", Kind: "pairs", Help: "a field of your own, NAME=VALUE; repeat for several"},
			{Member: "note", Kind: "text", Help: "a note"}},
		Filters: []app.FieldFlag{{Member: "cover", Kind: "text", Help: "covered, twice or not-covered"},
			{Member: "site", Kind: "text", Help: "only at this site"},
			{Member: "product", Kind: "named", Help: "only of this product"},
			{Member: "account", Kind: "named", Help: "only in this account"},
			{Member: "contract", Kind: "named", Help: "only those named by this contract"}},
		Columns: []app.Column{app.Fact("asset", "name").Title(), app.Fact("serial", "serial"), vendorColumn().Leaves(5),
			app.Fact("product", "product").Leaves(3), app.Fact("version", "version").Leaves(1),
			app.Fact("site", "site").Leaves(2),
			{Column: out.Column{Name: "cover", Shrink: true}, Cell: func(r app.Record) string {
				return r.In("cover").Text("words")
			}}, counted("live cases", "live_cases").Leaves(4)},
		Show: func(p *out.Printer, r app.Record) {
			p.Line("%s", r.In("cover").Text("words"))
			if w := r.Text("number_found"); w != "" && w != r.Facts().Text("number_found") {
				p.Line("Where to find the serial number: %s", w)
			}
		}})
}

// Find is the command find.
func (a *Commands) Find() *cobra.Command {
	var kind string
	c := &cobra.Command{Use: "find WORDS...", Short: "Find anything by a number, a name or words",
		Args:    cobra.MinimumNArgs(1),
		Example: "  roundhouse find tws 40 0093187\n  roundhouse find snapshot --kind case",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.Client()
			if err != nil {
				return err
			}
			q := url.Values{"words": {strings.Join(args, " ")}, "limit": {"30"}}
			if kind != "" {
				q.Set("kind", kind)
			}
			var hits clientgen.Hits
			if _, err := c.Do(cmd.Context(), "GET", "/find?"+q.Encode(), nil, nil, &hits); err != nil {
				return err
			}
			p := a.Printer()
			if a.Format == "json" {
				return p.JSON(hits.Items)
			}
			if len(hits.Items) == 0 {
				return &app.Missing{Text: fmt.Sprintf("nothing matches %q, and nothing is close to it", strings.Join(args, " "))}
			}
			if app.Deref(hits.Items[0].Near) {
				p.Line("Nothing matches %q exactly. Close matches:", strings.Join(args, " "))
			}
			var rows [][]string
			for _, h := range hits.Items {
				mark := ""
				switch {
				case h.Exact:
					mark = "exact"
				case app.Deref(h.Near):
					mark = "close"
				}
				rows = append(rows, []string{words.Things.Of(string(h.Kind)), h.Name, h.Title, h.Detail,
					strings.ReplaceAll(h.Field, "_", " "),
					mark})
			}
			p.Table([]out.Column{{Name: "kind"}, {Name: "name", Shrink: true}, {Name: "title", Main: true},
				{Name: "detail", Shrink: true}, {Name: "found in", Drop: 1}, {Name: "match"}}, rows)
			return nil
		}}
	c.Flags().StringVar(&kind, "kind", "",
		"only case, asset, product, account, contract, vendor, person (one of us) or contact (at a vendor)")
	return c
}

var vendorNoun = app.Noun{Name: "vendor", Many: "vendors", Path: "/vendors", Article: "a", ByKey: true,
	Sample: "tallow", Added: "ferrous",
	Example: "  roundhouse vendor add --from ferrous.yaml",
	Fields: []app.FieldFlag{{Member: "key", Kind: "text", Help: "a short name for commands and addresses"},
		{Member: "name", Kind: "text", Help: "its name"}, {Member: "kind", Kind: "text", Help: "what kind of vendor"},
		{Member: "does", Kind: "text", Help: "what we buy from it"},
		{Member: "zone", Kind: "text", Help: "its time zone, like Europe/Oslo"},
		{Member: "languages", Kind: "list", Help: "a language; repeat for several"},
		{Member: "takes", Kind: "list",
			Help: "a kind of case that it takes, if not all; repeat for several"},
		{Member: "hours", Kind: "text", Help: "the calendar of its support hours"},
		{Member: "site", Kind: "text", Help: "its support site"},
		{Member: "other_way", Kind: "text", Help: "the way in when the site is down"},
		{Member: "through", Kind: "text", Help: "the vendor to go to first"},
		{Member: "direct_allowed", Kind: "yes", Help: "we may also go to it directly"},
		{Member: "closes_after_days", Kind: "number", Help: "days without a reply from us after which it closes a case"},
		{Member: "receipt_within", Kind: "text",
			Help: "how long it has, in its support hours, to confirm that something arrived, like 30m; or none"},
		{Member: "reopens_within_days", Kind: "number", Help: "days within which it reopens a case"},
		{Member: "reopens_by", Kind: "list", Help: "a channel by which it takes a reopening, if not any; repeat for several"},
		{Member: "reference_pattern", Kind: "text", Help: "what its references look like, as a regular expression"},
		{Member: "gives_no_reference", Kind: "yes", Help: "it gives no case references"},
		{Member: "reference_page", Kind: "text", Help: "the address of its page for a case, with {reference} for the number"},
		{Member: "automatic_pattern", Kind: "text", Help: "what its automatic replies look like, as a regular expression"},
		{Member: "login_how", Kind: "text", Help: "how to get a login there, and how long it takes"},
		{Member: "note", Kind: "text", Help: "a note"}}}

// vendorCards prints the vendor's people as contact cards.
func (a *Commands) vendorCards() *cobra.Command {
	return &cobra.Command{Use: "cards VENDOR", Short: "Export a vendor's people as contact cards (vCard)",
		Args: cobra.ExactArgs(1), Example: "  roundhouse vendor cards tallow > tallow.vcf",
		RunE: func(cmd *cobra.Command, args []string) error {
			return a.copied(cmd.Context(), "/vendors/"+url.PathEscape(args[0])+"/people")
		}}
}
