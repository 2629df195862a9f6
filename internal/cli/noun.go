package cli

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"math"
	"net/url"
	"os"
	"os/exec"
	"slices"
	"strconv"
	"strings"

	"github.com/goccy/go-yaml"
	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/core/pack"
	"roundhouse.example/internal/core/register"
)

// noun is one kind of thing in the register: the same verbs for each.
type noun struct {
	name, many, path, article string
	fields                    []fieldFlag
	filters                   []fieldFlag
	columns                   []column
	show                      func(*out.Printer, record)
	example                   string
	// byKey is for what the API names by its key, not by a number.
	byKey bool
}

// fieldFlag is a member of the facts, or of a list's query, with the flag that sets it.
type fieldFlag struct {
	member string
	// kind is text, list, yes (true or false), pairs (NAME=VALUE), number, or terms.
	kind, help string
}

func (f fieldFlag) flag() string {
	if f.kind == "list" || f.kind == "terms" || f.kind == "pairs" || f.kind == "versions" { // one at a time
		return strings.TrimSuffix(strings.ReplaceAll(f.member, "_", "-"), "s")
	}
	return strings.ReplaceAll(strings.ReplaceAll(f.member, "_", "-"), ".", "-")
}

type column struct {
	out.Column
	cell func(record) string
}

// record is one as the API gives it.
type record map[string]any

func (r record) facts() record {
	f, _ := r["facts"].(map[string]any)
	return f
}

func (r record) text(member string) string {
	switch v := r[member].(type) {
	case string:
		return v
	case json.Number:
		return v.String()
	case bool:
		if v {
			return "yes"
		}
	case []any:
		return strings.Join(r.texts(member), ", ")
	}
	return ""
}

func (r record) texts(member string) (out []string) {
	list, _ := r[member].([]any)
	for _, x := range list {
		if s, ok := x.(string); ok {
			out = append(out, s)
		}
	}
	return out
}

func (r record) in(member string) record {
	v, _ := r[member].(map[string]any)
	return v
}

func (r record) number(member string) int {
	n, _ := strconv.Atoi(r.text(member))
	return n
}

func fact(name, member string) column {
	return column{out.Column{Name: name, Shrink: true}, func(r record) string { return r.facts().text(member) }}
}

func (a *app) noun(n noun) *cobra.Command {
	c := group(n.name, fmt.Sprintf("%s of the register", strings.ToUpper(n.many[:1])+n.many[1:]), a.nounList(n), a.nounShow(n), a.nounAdd(n), a.nounChange(n), a.nounRemove(n), a.tableExport(n.name, n.many), a.tableImport(n.name, n.many))
	c.Example = n.example
	return c
}

func (a *app) nounList(n noun) *cobra.Command {
	var vendor, words string
	var limit int
	c := &cobra.Command{Use: "list", Short: "List " + n.many, Args: cobra.NoArgs, Example: "  roundhouse " + n.name + " list --vendor tallow\n  roundhouse " + n.name + " list --words array -o json",
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.client()
			if err != nil {
				return err
			}
			q := url.Values{}
			set := func(k, v string) {
				if v != "" {
					q.Set(k, v)
				}
			}
			set("vendor", vendor)
			set("words", words)
			for _, f := range n.filters {
				v, _ := cmd.Flags().GetString(f.flag())
				if f.kind == "named" && v != "" {
					hit, err := a.named(cmd.Context(), c, f.member, v)
					if err != nil {
						return err
					}
					v = strconv.FormatInt(hit.Id, 10)
				}
				set(f.member, v)
			}
			most, err := a.limit(cmd, limit)
			if err != nil {
				return err
			}
			items, more := []record{}, false
			for len(items) < most {
				q.Set("limit", strconv.Itoa(min(200, most-len(items))))
				var page struct {
					Items []record `json:"items"`
					Next  string   `json:"next"`
				}
				if _, err := c.Do(cmd.Context(), "GET", n.path+"?"+q.Encode(), nil, nil, &page); err != nil {
					return err
				}
				items = append(items, page.Items...)
				if more = page.Next != ""; !more {
					break
				}
				q.Set("cursor", page.Next)
			}
			p := a.printer()
			if a.format == "json" {
				return p.JSON(items)
			}
			if len(items) == 0 && a.format == "table" {
				p.Line("No matching %s.", n.many)
				return nil
			}
			if a.format == "csv" {
				n.csv(p, items)
				return nil
			}
			var cols []out.Column
			for _, k := range n.columns {
				cols = append(cols, k.Column)
			}
			var rows [][]string
			for _, r := range items {
				var row []string
				for _, k := range n.columns {
					row = append(row, k.cell(r))
				}
				rows = append(rows, row)
			}
			p.Table(cols, rows)
			a.andMore(more)
			return nil
		}}
	c.Flags().StringVar(&vendor, "vendor", "", "only this vendor's")
	c.Flags().StringVar(&words, "words", "", "the beginning of a number, or words of its name")
	limitFlag(c, &limit)
	for _, f := range n.filters {
		c.Flags().String(f.flag(), "", f.help)
	}
	return c
}

// csv writes records with all that is known of them, as the API says it.
func (n noun) csv(p *out.Printer, items []record) {
	cols := named("id")
	for _, f := range n.fields {
		if f.kind != "terms" {
			cols = append(cols, out.Column{Name: f.member})
		}
	}
	var rows [][]string
	for _, r := range items {
		row := []string{r.text("id")}
		for _, c := range cols[1:] {
			where, member := r.facts(), c.Name
			if outer, inner, ok := strings.Cut(member, "."); ok {
				where, member = where.in(outer), inner
			}
			row = append(row, where.raw(member))
		}
		rows = append(rows, row)
	}
	p.Table(cols, rows)
}

// raw is a member as the API says it; what is no single value is JSON.
func (r record) raw(member string) string {
	switch v := r[member].(type) {
	case nil:
		return ""
	case bool:
		return strconv.FormatBool(v)
	case []any, map[string]any:
		text, _ := json.Marshal(v)
		return string(text)
	}
	return r.text(member)
}

// limitFlag bounds a list for people; programs get all of it.
func limitFlag(c *cobra.Command, to *int) {
	c.Flags().IntVar(to, "limit", 50, "maximum number of results; json and csv show all unless it is given")
}

// limit is how many results a list shows.
func (a *app) limit(cmd *cobra.Command, said int) (int, error) {
	switch {
	case said < 1:
		return 0, usagef("--limit is 1 or more, not %d", said)
	case a.format != "table" && !cmd.Flags().Changed("limit"):
		return math.MaxInt, nil
	}
	return said, nil
}

// andMore says that a list goes on.
func (a *app) andMore(more bool) {
	if more && a.format == "table" {
		a.printer().Line("There are more: --limit shows them.")
	}
}

// named is the thing of a kind that a name, number or serial means.
func (a *app) named(ctx context.Context, c *client.Client, kind, name string) (clientgen.Hit, error) {
	var hits clientgen.Hits
	q := url.Values{"words": {name}, "kind": {kind}}
	if _, err := c.Do(ctx, "GET", "/find?"+q.Encode(), nil, nil, &hits); err != nil {
		return clientgen.Hit{}, err
	}
	exact := slices.DeleteFunc(slices.Clone(hits.Items), func(h clientgen.Hit) bool { return !h.Exact })
	switch {
	case len(exact) == 1:
		return exact[0], nil
	case len(exact) > 1:
		return clientgen.Hit{}, usagef("%q means several: %s; name one by a number of its own", name, hitWords(exact))
	case len(hits.Items) > 0:
		return clientgen.Hit{}, &missing{fmt.Sprintf("there is no %s %q; did you mean %s?", kind, name, hitWords(hits.Items))}
	}
	return clientgen.Hit{}, &missing{fmt.Sprintf("there is no %s %q; roundhouse %s list shows them", kind, name, kind)}
}

// missing is an error whose exit status is "not found".
type missing struct{ text string }

func (e *missing) Error() string { return e.text }

func hitWords(hits []clientgen.Hit) string {
	var words []string
	for _, h := range hits[:min(3, len(hits))] {
		words = append(words, fmt.Sprintf("%s (%s, %s)", h.Name, h.Title, h.Detail))
	}
	return strings.Join(words, " or ")
}

func (a *app) loadRecord(ctx context.Context, n noun, name string) (*client.Client, record, string, error) {
	c, err := a.client()
	if err != nil {
		return nil, nil, "", err
	}
	var r record
	if n.byKey {
		tag, err := c.Do(ctx, "GET", n.path+"/"+url.PathEscape(name), nil, nil, &r)
		return c, r, tag, err
	}
	hit, err := a.named(ctx, c, n.name, name)
	if err != nil {
		return nil, nil, "", err
	}
	tag, err := c.Do(ctx, "GET", fmt.Sprintf("%s/%d", n.path, hit.Id), nil, nil, &r)
	return c, r, tag, err
}

// at is where the API has a record.
func (n noun) at(r record) string { return n.path + "/" + firstOf(r.text("id"), r.text("key")) }

func (a *app) nounShow(n noun) *cobra.Command {
	return &cobra.Command{Use: "show NAME", Short: "Show one, by any number or name it has", Args: cobra.ExactArgs(1), ValidArgsFunction: a.complete(n.name),
		RunE: func(cmd *cobra.Command, args []string) error {
			_, r, _, err := a.loadRecord(cmd.Context(), n, args[0])
			if err != nil {
				return err
			}
			return a.printRecord(n, r)
		}}
}

func (a *app) printRecord(n noun, r record) error {
	p := a.printer()
	if a.format == "json" {
		return p.JSON(r)
	}
	f := r.facts()
	title := firstOf(f.text("name"), f.text("number"))
	p.Line("%s, %s", title, firstOf(r.text("vendor_name"), f.text("key")))
	if n.show != nil {
		n.show(p, r)
	}
	for _, x := range n.fields {
		if x.member == "vendor" || x.kind == "terms" {
			continue
		}
		where, member := f, x.member
		if outer, inner, ok := strings.Cut(x.member, "."); ok {
			where, member = f.in(outer), inner
		}
		v := where.text(member)
		if x.kind == "pairs" {
			var pairs []string
			for _, k := range slices.Sorted(maps.Keys(f.in(x.member))) {
				pairs = append(pairs, k+" "+f.in(x.member).text(k))
			}
			v = strings.Join(pairs, ", ")
		}
		if v != "" && v != title {
			p.Line("%-19s %s", strings.ReplaceAll(strings.ReplaceAll(x.member, "_", " "), ".", " "), strings.ReplaceAll(v, "\n", "\n"+strings.Repeat(" ", 20)))
		}
	}
	return nil
}

func firstOf(list ...string) string {
	for _, s := range list {
		if s != "" {
			return s
		}
	}
	return ""
}

// factFlags adds a flag for each member of the facts, and ways to give many at once.
func factFlags(f *pflag.FlagSet, n noun) {
	for _, x := range n.fields {
		switch x.kind {
		case "list", "pairs", "terms", "versions":
			f.StringArray(x.flag(), nil, x.help)
		case "yes":
			f.Bool(x.flag(), false, x.help)
		default:
			f.String(x.flag(), "", x.help)
		}
	}
	f.String("from", "", "read members from a YAML or JSON file (- for standard input)")
}

// given collects what the flags say as a merge patch: an empty text takes a member out.
func (a *app) given(f *pflag.FlagSet, n noun) (map[string]any, error) {
	patch := map[string]any{}
	if file, _ := f.GetString("from"); file != "" {
		if err := a.members(file, &patch); err != nil {
			return nil, err
		}
	}
	for _, x := range n.fields {
		if !f.Changed(x.flag()) {
			continue
		}
		var v any
		switch x.kind {
		case "list":
			list, _ := f.GetStringArray(x.flag())
			v = list
			if len(list) == 1 && list[0] == "" {
				v = nil
			}
		case "versions":
			list, _ := f.GetStringArray(x.flag())
			all := []map[string]any{}
			for _, s := range list {
				name, until, dated := strings.Cut(s, "=")
				version := map[string]any{"name": name}
				if dated {
					version["supported_until"] = until
				}
				all = append(all, version)
			}
			v = all
		case "pairs":
			list, _ := f.GetStringArray(x.flag())
			pairs := map[string]any{}
			for _, p := range list {
				k, val, ok := strings.Cut(p, "=")
				if !ok {
					return nil, usagef("--%s: write it as NAME=VALUE, not %q", x.flag(), p)
				}
				pairs[k] = val
				if val == "" {
					pairs[k] = nil
				}
			}
			v = pairs
		case "yes":
			v, _ = f.GetBool(x.flag())
		case "number":
			s, _ := f.GetString(x.flag())
			num, err := strconv.Atoi(s)
			if err != nil && s != "" {
				return nil, usagef("--%s: %q is not a whole number", x.flag(), s)
			}
			if v = num; s == "" {
				v = nil
			}
		case "terms":
			list, _ := f.GetStringArray(x.flag())
			terms := []any{}
			for _, s := range list {
				term, err := register.ParseTerm(s)
				if err != nil {
					return nil, usagef("--term: %s", err)
				}
				terms = append(terms, term)
			}
			v = terms
		default:
			s, _ := f.GetString(x.flag())
			if v = s; s == "" {
				v = nil
			}
		}
		if outer, inner, ok := strings.Cut(x.member, "."); ok {
			m, _ := patch[outer].(map[string]any)
			if m == nil {
				m = map[string]any{}
			}
			m[inner], patch[outer] = v, m
			continue
		}
		patch[x.member] = v
	}
	return patch, nil
}

// members reads a file of YAML or JSON into a map; "-" is standard input.
func (a *app) members(file string, into *map[string]any) error {
	var raw []byte
	var err error
	if file == "-" {
		raw, err = io.ReadAll(io.LimitReader(a.stdin, most))
	} else {
		raw, err = readBounded(file)
	}
	if err != nil {
		return err
	}
	return readYAML(file, raw, into)
}

// readYAML names the file in what it says is wrong.
func readYAML(name string, raw []byte, into *map[string]any) error {
	members, findings := pack.Members(raw)
	if len(findings) > 0 {
		return fmt.Errorf("%s:%s", name, findings[0])
	}
	*into = members
	return nil
}

// usualTerms are what the contracts of a vendor usually promise.
func usualTerms(ctx context.Context, c *client.Client, contract map[string]any) (any, error) {
	vendor, _ := contract["vendor"].(string)
	if vendor == "" {
		return nil, usagef("say whose contract it is, with --vendor")
	}
	if contract["terms"] != nil {
		return nil, usagef("give either --usual-terms or the promises themselves")
	}
	var v record
	if _, err := c.Do(ctx, "GET", "/vendors/"+url.PathEscape(vendor), nil, nil, &v); err != nil {
		return nil, err
	}
	terms := v.facts()["usual_terms"]
	if terms == nil {
		return nil, fmt.Errorf("nobody has written down what contracts of %s usually promise; give the promises with --term", vendor)
	}
	return terms, nil
}

func (a *app) nounAdd(n noun) *cobra.Command {
	var usual bool
	c := &cobra.Command{Use: "add", Short: "Add " + n.article + " " + n.name, Args: cobra.NoArgs, Example: n.example,
		RunE: func(cmd *cobra.Command, _ []string) error {
			facts, err := a.given(cmd.Flags(), n)
			if err != nil {
				return err
			}
			if len(facts) == 0 {
				return usagef("say what it is, by flags or with --from FILE; see roundhouse %s add --help", n.name)
			}
			c, err := a.client()
			if err != nil {
				return err
			}
			if usual {
				if facts["terms"], err = usualTerms(cmd.Context(), c, facts); err != nil {
					return err
				}
			}
			var r record
			if _, err := c.Do(cmd.Context(), "POST", n.path, facts, map[string]string{"Idempotency-Key": *client.Key()}, &r); err != nil {
				return err
			}
			return a.printRecord(n, r)
		}}
	factFlags(c.Flags(), n)
	if n.name == "contract" {
		c.Flags().BoolVar(&usual, "usual-terms", false, "begin with what the vendor's contracts usually promise")
	}
	return c
}

func (a *app) nounChange(n noun) *cobra.Command {
	var edit, meant bool
	c := &cobra.Command{Use: "change NAME", Short: "Change one: by flags (an empty one takes a member out), by a file, or in the editor", Args: cobra.ExactArgs(1), ValidArgsFunction: a.complete(n.name),
		Example: "  roundhouse " + n.name + " change NAME --note \"as of the audit\"\n  roundhouse " + n.name + " change NAME --edit",
		RunE: func(cmd *cobra.Command, args []string) error {
			patch, err := a.given(cmd.Flags(), n)
			if err != nil {
				return err
			}
			c, r, tag, err := a.loadRecord(cmd.Context(), n, args[0])
			if err != nil {
				return err
			}
			if edit {
				written, err := a.editFacts(r.facts())
				if err != nil {
					return err
				}
				maps.Copy(written, patch) // what a flag says holds
				patch = written
			}
			if len(patch) == 0 {
				return usagef("say what to change, by flags, with --from FILE or with --edit")
			}
			at := n.at(r)
			if meant {
				at += "?meant=true"
			}
			var after record
			if _, err := c.Do(cmd.Context(), "PATCH", at, patch, map[string]string{"If-Match": tag}, &after); err != nil {
				if p, ok := client.IsProblem(err); ok && p.Kind() == "touches-cases" {
					return fmt.Errorf("%w Repeat it with --meant.", err)
				}
				return err
			}
			return a.printRecord(n, after)
		}}
	factFlags(c.Flags(), n)
	c.Flags().BoolVar(&edit, "edit", false, "change it in $EDITOR, as YAML")
	if n.name == "contract" {
		c.Flags().BoolVar(&meant, "meant", false, "the open cases that the change concerns are meant")
	}
	return c
}

// editFacts lets a person change facts as YAML, and gives back what differs.
func (a *app) editFacts(facts record) (map[string]any, error) {
	editor := os.Getenv("EDITOR")
	if editor == "" {
		return nil, usagef("set EDITOR, or say what to change by flags or with --from FILE")
	}
	before, err := yaml.MarshalWithOptions(facts, yaml.UseLiteralStyleIfMultiline(true))
	if err != nil {
		return nil, err
	}
	f, err := os.CreateTemp("", "roundhouse-*.yaml")
	if err != nil {
		return nil, err
	}
	defer os.Remove(f.Name())
	if _, err := f.Write(before); err != nil {
		return nil, err
	}
	if err := f.Close(); err != nil {
		return nil, err
	}
	cmd := exec.Command("sh", "-c", editor+` "$1"`, "sh", f.Name())
	cmd.Stdin, cmd.Stdout, cmd.Stderr = os.Stdin, os.Stdout, os.Stderr
	if err := cmd.Run(); err != nil {
		return nil, fmt.Errorf("the editor: %w", err)
	}
	raw, err := readBounded(f.Name())
	if err != nil {
		return nil, err
	}
	var after map[string]any
	if err := readYAML("what was written is not YAML", raw, &after); err != nil {
		return nil, err
	}
	patch := map[string]any{}
	for k, v := range after {
		if !sameJSON(v, facts[k]) {
			patch[k] = v
		}
	}
	for k := range facts {
		if _, there := after[k]; !there {
			patch[k] = nil
		}
	}
	if len(patch) == 0 {
		return nil, fmt.Errorf("nothing was changed, so nothing was done")
	}
	return patch, nil
}

func sameJSON(a, b any) bool {
	x, errX := json.Marshal(a)
	y, errY := json.Marshal(b)
	return errX == nil && errY == nil && bytes.Equal(x, y)
}

func (a *app) nounRemove(n noun) *cobra.Command {
	return &cobra.Command{Use: "remove NAME", Short: "Take one out that nothing refers to", Args: cobra.ExactArgs(1), ValidArgsFunction: a.complete(n.name),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, r, tag, err := a.loadRecord(cmd.Context(), n, args[0])
			if err != nil {
				return err
			}
			if _, err := c.Do(cmd.Context(), "DELETE", n.at(r), nil, map[string]string{"If-Match": tag}, nil); err != nil {
				return err
			}
			if a.format == "table" {
				a.printer().Line("Removed.")
			}
			return nil
		}}
}

// complete offers names of a kind, as far as they are typed.
func (a *app) complete(kind string) cobra.CompletionFunc {
	return func(cmd *cobra.Command, args []string, typed string) ([]string, cobra.ShellCompDirective) {
		if len(args) > 0 {
			return nil, cobra.ShellCompDirectiveNoFileComp
		}
		return a.offers(cmd.Context(), kind, typed), cobra.ShellCompDirectiveNoFileComp
	}
}

// offers are names with what they are, for the shell; it never says an error.
func (a *app) offers(ctx context.Context, kind, typed string) (out []string) {
	c, err := a.client()
	if err != nil {
		return nil
	}
	if kind == "case" && typed == "" || kind == "case" && strings.HasPrefix("C-", strings.ToUpper(typed)) {
		var page clientgen.CasePage
		if _, err := c.Do(ctx, "GET", "/cases?state=live&sort=newest&limit=50", nil, nil, &page); err == nil {
			for _, l := range page.Items {
				out = append(out, l.Number+"\t"+l.Title)
			}
		}
		return out
	}
	if kind == "vendor" {
		var vendors clientgen.Vendors
		if _, err := c.Do(ctx, "GET", "/vendors?brief=true", nil, nil, &vendors); err == nil {
			for _, v := range vendors.Items {
				out = append(out, v.Key+"\t"+v.Name)
			}
		}
		return out
	}
	if len(typed) < 1 {
		return nil
	}
	var hits clientgen.Hits
	if _, err := c.Do(ctx, "GET", "/find?"+url.Values{"words": {typed}, "kind": {kind}, "limit": {"30"}}.Encode(), nil, nil, &hits); err == nil {
		for _, h := range hits.Items {
			out = append(out, h.Name+"\t"+h.Title)
		}
	}
	return out
}

// completeFlag is complete for a flag's value.
func (a *app) completeFlag(kind string) cobra.CompletionFunc {
	return func(cmd *cobra.Command, _ []string, typed string) ([]string, cobra.ShellCompDirective) {
		return a.offers(cmd.Context(), kind, typed), cobra.ShellCompDirectiveNoFileComp
	}
}
