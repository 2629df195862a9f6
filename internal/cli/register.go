package cli

import (
	"fmt"
	"net/url"
	"strings"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client/clientgen"
)

func counted(name, member string) column {
	return column{out.Column{Name: name, Right: true}, func(r record) string {
		if s := r.text(member); s != "0" {
			return s
		}
		return ""
	}}
}

func vendorColumn() column {
	return column{out.Column{Name: "vendor", Shrink: true}, func(r record) string { return r.text("vendor_name") }}
}

var vendorField = fieldFlag{"vendor", "text", "the vendor's key or name"}

func (a *app) products() *cobra.Command {
	return a.noun(noun{name: "product", many: "products", path: "/products", article: "a",
		example: "  roundhouse product add --vendor tallow --name \"Array 60\" --our-name \"the tall one\" --component controller",
		fields: []fieldFlag{vendorField, {"name", "text", "its name"}, {"our_names", "list", "what we call it; repeat for several"}, {"components", "list", "a component; repeat for several"}, {"versions", "versions", "a version, with until when it is supported as in 4.1=2027-06-30; repeat for all of them"},
			{"number_found", "text", "where on such a thing its number stands"}, {"note", "text", "a note"}},
		columns: []column{fact("product", "name"), vendorColumn(), fact("we call it", "our_names"), counted("assets", "assets")},
		show: func(p *out.Printer, r record) {
			p.Line("%s in the register", number(r.number("assets"), "asset"))
			versions, _ := r.facts()["versions"].([]any)
			for _, v := range versions {
				x := record(v.(map[string]any))
				until := ""
				if x.text("supported_until") != "" {
					until = ", supported until " + x.text("supported_until")
				}
				p.Line("%-19s %s%s", "version", x.text("name"), until)
			}
		}})
}

func number(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	return fmt.Sprintf("%d %ss", n, what)
}

func (a *app) accounts() *cobra.Command {
	return a.noun(noun{name: "account", many: "accounts", path: "/accounts", article: "an",
		example: "  roundhouse account add --vendor corvane --number saltmarsh-lab --called tenant --region Ern --country NO",
		fields: []fieldFlag{vendorField, {"number", "text", "the number or name at the vendor"}, {"name", "text", "what it is for"}, {"called", "text", "what the vendor calls such a number"},
			{"regions", "list", "a region; repeat for several"}, {"country", "text", "two capital letters"}, {"holder", "text", "who of ours has the secret part"}, {"note", "text", "a note"}},
		columns: []column{fact("account", "number"), fact("for", "name"), vendorColumn(), fact("regions", "regions"), counted("assets", "assets"), counted("live cases", "live_cases")},
		show: func(p *out.Printer, r record) {
			p.Line("%s, %s", number(r.number("assets"), "asset"), number(r.number("live_cases"), "live case"))
		}})
}

func (a *app) contracts() *cobra.Command {
	return a.noun(noun{name: "contract", many: "contracts", path: "/contracts", article: "a",
		example: "  roundhouse contract add --vendor tallow --number TW-C-8001 --starts 2027-01-01 --ends 2027-12-31 --everything \\\n    --term \"first-response 1 1h round-the-clock\" --term \"update 2 1bd tallow-office\"",
		fields: []fieldFlag{vendorField, {"number", "text", "its number"}, {"level", "text", "what the vendor calls this kind of support"}, {"starts", "text", "its first date"}, {"ends", "text", "its last date"},
			{"notice", "text", "the last date to give notice"}, {"country", "text", "two capital letters"}, {"rights", "list", "what we may ask for; repeat for several"}, {"exclusions", "text", "what is not covered"},
			{"everything", "yes", "all that we have of the vendor is covered"}, {"products", "list", "a product that it covers; repeat for several"}, {"accounts", "list", "an account that it covers; repeat for several"},
			{"allowance.unit", "text", "paid ahead: cases or hours"}, {"allowance.amount", "number", "how many were paid for"}, {"allowance.used", "number", "how many were used beside those that the desk counts"},
			{"on_change", "text", "clocks on a change of level: restart, keep or by-direction"}, {"while_ours", "text", "their clocks while the move is ours: pause or run"},
			{"terms", "terms", "a promise: DEADLINE LEVEL TARGET [CALENDAR] [kind=…] [channel=…] [country=…]; repeat for all of them"}, {"note", "text", "a note"}},
		filters: []fieldFlag{{"cover", "text", "in-force or ended"}, {"ending_on", "text", "only those that end or must be given notice by this date"}},
		columns: []column{fact("contract", "number"), vendorColumn(), fact("kind", "level"), fact("starts", "starts"), fact("ends", "ends"),
			{out.Column{Name: "days left", Right: true}, func(r record) string {
				if n := r.number("days_left"); n >= 0 {
					return itoa(n)
				}
				return "ended"
			}}, counted("assets", "assets"), counted("live cases", "live_cases"),
			{out.Column{Name: "note", Shrink: true}, func(r record) string { return strings.Join(r.texts("warnings"), "; ") }}},
		show: func(p *out.Printer, r record) {
			for _, w := range r.texts("warnings") {
				p.Line("Note: %s", w)
			}
			if n := r.number("days_left"); n >= 0 {
				p.Line("%d days left, %s under it, %s of them live", n, number(r.number("opened_cases"), "case"), r.text("live_cases"))
			} else {
				p.Line("Ended %d days ago", -n)
			}
			showTerms(p, r.facts())
		}})
}

func showTerms(p *out.Printer, f record) {
	var rows [][]string
	list, _ := f["terms"].([]any)
	for _, t := range list {
		x := record(t.(map[string]any))
		rows = append(rows, []string{x.text("level"), x.text("deadline"), x.text("target"), x.text("calendar"), x.text("kind"), x.text("channel"), x.text("country")})
	}
	if len(rows) > 0 {
		p.Table([]out.Column{{Name: "level", Right: true}, {Name: "promise"}, {Name: "within"}, {Name: "counted in"}, {Name: "kind"}, {Name: "channel"}, {Name: "country"}}, rows)
	}
}

func (a *app) assets() *cobra.Command {
	return a.noun(noun{name: "asset", many: "assets", path: "/assets", article: "an",
		example: "  roundhouse asset add --vendor tallow --name \"Array Vaag-1\" --serial TWS-40-0101110 --product \"Array 40\" --site Vaag --environment production",
		fields: []fieldFlag{vendorField, {"name", "text", "what we call it"}, {"serial", "text", "its serial number"}, {"model", "text", "the maker's model"}, {"product", "text", "the product that it is one of"},
			{"version", "text", "the product's version"}, {"system", "text", "its operating system"}, {"resource_id", "text", "how a cloud calls it"}, {"account", "text", "the account that it is in"}, {"region", "text", "the region that it is in"},
			{"environment", "text", "production or other"}, {"site", "text", "where it stands"}, {"address", "text", "the site's address"}, {"country", "text", "two capital letters"}, {"site_contact", "text", "whom to ask there"},
			{"site_phone", "text", "and on what number"}, {"contract", "text", "the contract that names it"}, {"owner", "text", "who of ours answers for it"}, {"start_with", "text", "whom to go to first, where that is not the vendor"},
			{"number_found", "text", "where on it its number stands"}, {"platform.supported", "text", "whether the vendor supports what it runs on: yes, no or unknown"}, {"platform.until", "text", "until which date"},
			{"platform.source", "text", "who says so"}, {"platform.checked", "text", "when that was looked up"}, {"attributes", "pairs", "NAME=VALUE of your own; repeat for several"}, {"note", "text", "a note"}},
		filters: []fieldFlag{{"cover", "text", "covered, twice or not-covered"}, {"site", "text", "only at this site"}, {"product", "named", "only of this product"}, {"account", "named", "only in this account"}, {"contract", "named", "only those that this contract names"}},
		columns: []column{fact("asset", "name"), fact("serial", "serial"), vendorColumn(), fact("product", "product"), fact("version", "version"), fact("site", "site"),
			{out.Column{Name: "cover", Shrink: true}, func(r record) string { return r.in("cover").text("words") }}, counted("live cases", "live_cases")},
		show: func(p *out.Printer, r record) {
			p.Line("%s", r.in("cover").text("words"))
			if w := r.text("number_found"); w != "" && w != r.facts().text("number_found") {
				p.Line("Its number stands: %s", w)
			}
		}})
}

func (a *app) find() *cobra.Command {
	var kind string
	c := &cobra.Command{Use: "find WORDS...", Short: "Find anything by any number, name or word it has", Args: cobra.MinimumNArgs(1),
		Example: "  roundhouse find tws 40 0093187\n  roundhouse find snapshot --kind case",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.client()
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
			p := a.printer()
			if a.format == "json" {
				return p.JSON(hits.Items)
			}
			if len(hits.Items) == 0 {
				return &missing{fmt.Sprintf("nothing here has %q, nor anything like it", strings.Join(args, " "))}
			}
			if deref(hits.Items[0].Near) {
				p.Line("Nothing has %q. Nearly so:", strings.Join(args, " "))
			}
			var rows [][]string
			for _, h := range hits.Items {
				mark := ""
				switch {
				case h.Exact:
					mark = "exactly"
				case deref(h.Near):
					mark = "nearly"
				}
				rows = append(rows, []string{string(h.Kind), h.Name, h.Title, h.Detail, strings.ReplaceAll(h.Field, "_", " "), mark})
			}
			p.Table([]out.Column{{Name: "what"}, {Name: "name", Shrink: true}, {Name: "title", Main: true}, {Name: "of", Shrink: true}, {Name: "found in", Drop: 1}, {Name: "match"}}, rows)
			return nil
		}}
	c.Flags().StringVar(&kind, "kind", "", "only case, asset, product, account, contract, vendor, person (ours) or contact (a vendor's)")
	return c
}

var vendorNoun = noun{name: "vendor", many: "vendors", path: "/vendors", article: "a", byKey: true,
	example: "  roundhouse vendor add --from ferrous.yaml\n  roundhouse vendor change tallow --other-way \"+44 1632 960 090\"",
	fields: []fieldFlag{{"key", "text", "a short word by which cases and commands know it"}, {"name", "text", "its name"}, {"kind", "text", "what sort of vendor"}, {"does", "text", "what we buy from it"}, {"zone", "text", "its time zone, like Europe/Oslo"},
		{"languages", "list", "a language; repeat for several"}, {"takes", "list", "a kind of case that it takes, where it does not take all; repeat for several"}, {"hours", "text", "the calendar of its support hours"}, {"site", "text", "its support site"}, {"other_way", "text", "the way in when the site is down"},
		{"through", "text", "the vendor to go to first"}, {"direct_allowed", "yes", "going direct is allowed"}, {"closes_after_days", "number", "days of silence after which it closes a case by itself"}, {"reopens_within_days", "number", "days within which it reopens one"},
		{"reference_pattern", "text", "what its reference numbers look like, as a regular expression"}, {"automatic_pattern", "text", "what its automatic acknowledgements look like"}, {"login_how", "text", "how to get a login there, and how long it takes"}, {"note", "text", "a note"}}}

// vendorCards prints the vendor's people as contact cards.
func (a *app) vendorCards() *cobra.Command {
	return &cobra.Command{Use: "cards VENDOR", Short: "Write the vendor's people as contact cards (vCard)", Args: cobra.ExactArgs(1), Example: "  roundhouse vendor cards tallow > tallow.vcf",
		RunE: func(cmd *cobra.Command, args []string) error {
			return a.copied(cmd.Context(), "/vendors/"+url.PathEscape(args[0])+"/people")
		}}
}
