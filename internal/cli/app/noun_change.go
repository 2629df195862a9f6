package app

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"net/url"
	"strconv"
	"strings"

	"github.com/goccy/go-yaml"
	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"roundhouse.example/internal/client"
	"roundhouse.example/internal/core/pack"
	"roundhouse.example/internal/core/register"
)

// FactFlags adds a flag for each member of the facts, and ways to give many at once.
func FactFlags(f *pflag.FlagSet, n Noun) {
	for _, x := range n.Fields {
		switch x.Kind {
		case "list", "pairs", "terms", "versions":
			f.StringArray(x.flag(), nil, x.Help)
		case "yes":
			f.Bool(x.flag(), false, x.Help)
		default:
			f.String(x.flag(), "", x.Help)
		}
		f.Lookup(x.flag()).Annotations = map[string][]string{"member": {x.Member}}
	}
	f.String("from", "", "read fields from a YAML or JSON file (- for standard input)")
}

// given is what a flag says of a member: nil clears it.
func (x FieldFlag) given(f *pflag.FlagSet) (any, error) {
	switch x.Kind {
	case "list":
		list, _ := f.GetStringArray(x.flag())
		if len(list) == 1 && list[0] == "" {
			return nil, nil
		}
		return list, nil
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
		return all, nil
	case "pairs":
		list, _ := f.GetStringArray(x.flag())
		pairs := map[string]any{}
		for _, p := range list {
			k, val, ok := strings.Cut(p, "=")
			if !ok {
				return nil, Usagef("--%s: write it as NAME=VALUE, not %q", x.flag(), p)
			}
			pairs[k] = val
			if val == "" {
				pairs[k] = nil
			}
		}
		return pairs, nil
	case "yes":
		return f.GetBool(x.flag())
	case "number":
		s, _ := f.GetString(x.flag())
		num, err := strconv.Atoi(s)
		if err != nil && s != "" {
			return nil, Usagef("--%s: %q is not a whole number", x.flag(), s)
		}
		if s == "" {
			return nil, nil
		}
		return num, nil
	case "terms":
		list, _ := f.GetStringArray(x.flag())
		terms := []any{}
		for _, s := range list {
			term, err := register.ParseTerm(s)
			if err != nil {
				return nil, Usagef("--term: %s", err)
			}
			terms = append(terms, term)
		}
		return terms, nil
	}
	s, _ := f.GetString(x.flag())
	if s == "" {
		return nil, nil
	}
	return s, nil
}

// Given collects what the flags say as a merge patch: an empty text clears the field.
func (a *App) Given(f *pflag.FlagSet, n Noun) (map[string]any, error) {
	patch := map[string]any{}
	if file, _ := f.GetString("from"); file != "" {
		if err := a.Members(file, &patch); err != nil {
			return nil, err
		}
	}
	for _, x := range n.Fields {
		if !f.Changed(x.flag()) {
			continue
		}
		v, err := x.given(f)
		if err != nil {
			return nil, err
		}
		if outer, inner, ok := strings.Cut(x.Member, "."); ok {
			m, _ := patch[outer].(map[string]any)
			if m == nil {
				m = map[string]any{}
			}
			m[inner], patch[outer] = v, m
			continue
		}
		patch[x.Member] = v
	}
	return patch, nil
}

// Members reads a file of YAML or JSON into a map; "-" is standard input.
func (a *App) Members(file string, into *map[string]any) error {
	var raw []byte
	var err error
	if file == "-" {
		raw, err = io.ReadAll(io.LimitReader(a.Stdin, Most))
	} else {
		raw, err = ReadBounded(file)
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
		return nil, Usagef("name the vendor of the contract with --vendor")
	}
	if contract["terms"] != nil {
		return nil, Usagef("give either --usual-terms or --term, not both")
	}
	var v Record
	if _, err := c.Do(ctx, "GET", "/vendors/"+url.PathEscape(vendor), nil, nil, &v); err != nil {
		return nil, err
	}
	terms := v.Facts()["usual_terms"]
	if terms == nil {
		return nil, fmt.Errorf("the usual targets of contracts with %s are not recorded; give the targets with --term",
			vendor)
	}
	return terms, nil
}

// NounAdd is the command that adds a record of a kind.
func (a *App) NounAdd(n Noun) *cobra.Command {
	var usual bool
	c := &cobra.Command{Use: "add", Short: "Add " + n.Article + " " + n.Name, Args: cobra.NoArgs, Example: n.Example,
		RunE: func(cmd *cobra.Command, _ []string) error {
			facts, err := a.Given(cmd.Flags(), n)
			if err != nil {
				return err
			}
			if len(facts) == 0 {
				return Usagef("describe it with flags or with --from FILE; see roundhouse %s add --help", n.Name)
			}
			c, err := a.Client()
			if err != nil {
				return err
			}
			if usual {
				if facts["terms"], err = usualTerms(cmd.Context(), c, facts); err != nil {
					return err
				}
			}
			var r Record
			if _, err := c.Do(cmd.Context(), "POST", n.Path, facts, map[string]string{"Idempotency-Key": *client.Key()},
				&r); err != nil {
				return err
			}
			return a.PrintRecord(n, r)
		}}
	FactFlags(c.Flags(), n)
	if n.Name == "contract" {
		c.Flags().BoolVar(&usual, "usual-terms", false, "start from the usual targets of the vendor's contracts")
	}
	return c
}

// NounChange is the command that changes one.
func (a *App) NounChange(n Noun) *cobra.Command {
	var edit, confirm bool
	c := &cobra.Command{Use: "change NAME",
		Short: "Change " + n.Article + " " + n.Name + " by flags (\"\" clears a field), a file or the editor",
		Args:  cobra.ExactArgs(1), ValidArgsFunction: a.Complete(n.Name),
		Example: "  roundhouse " + n.Name + " change " + n.Sample + " --note \"Checked in the spring audit\"\n  roundhouse " +
			n.Name + " change " + n.Sample + " --edit",
		RunE: func(cmd *cobra.Command, args []string) error {
			patch, err := a.Given(cmd.Flags(), n)
			if err != nil {
				return err
			}
			c, r, tag, err := a.LoadRecord(cmd.Context(), n, args[0])
			if err != nil {
				return err
			}
			var w Written
			repeat := fmt.Sprintf("%s %q", cmd.CommandPath(), args[0])
			if edit {
				var written map[string]any
				if written, w, err = a.EditFacts(r.Facts()); err != nil {
					return w.Kept(err, repeat)
				}
				maps.Copy(written, patch) // a flag goes before the file
				patch = written
			}
			if len(patch) == 0 {
				return Usagef("say what to change with flags, --from FILE or --edit")
			}
			at := n.at(r)
			if confirm {
				at += "?confirm=true"
			}
			var after Record
			if _, err := c.Do(cmd.Context(), "PATCH", at, patch, map[string]string{"If-Match": tag}, &after); err != nil {
				if p, ok := client.IsProblem(err); ok && p.Kind() == "touches-cases" {
					err = fmt.Errorf("%w Repeat it with --confirm.", err)
				}
				return w.Kept(err, repeat)
			}
			w.Done()
			return a.PrintRecord(n, after)
		}}
	FactFlags(c.Flags(), n)
	c.Flags().BoolVar(&edit, "edit", false, "edit it in $EDITOR as YAML")
	if n.Name == "contract" {
		c.Flags().BoolVar(&confirm, "confirm", false, "apply a change that affects live cases")
	}
	return c
}

// EditFacts lets a person change facts as YAML, and gives back what differs. What was written is kept until it is Done.
func (a *App) EditFacts(facts Record) (patch map[string]any, w Written, err error) {
	before, err := yaml.MarshalWithOptions(numbered(map[string]any(facts)), yaml.UseLiteralStyleIfMultiline(true))
	if err != nil {
		return nil, w, err
	}
	w, raw, err := a.Editor("roundhouse-*.yaml", string(before),
		"set EDITOR, or say what to change with flags or --from FILE")
	if err != nil {
		return nil, w, err
	}
	var after map[string]any
	if err := readYAML("not valid YAML", raw, &after); err != nil {
		return nil, w, err
	}
	patch = map[string]any{}
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
		w.Done()
		return nil, Written{}, fmt.Errorf("nothing was changed in the editor, so nothing was done")
	}
	return patch, w, nil
}

// numbered is a value with its numbers as such: as JSON left them they would be written as texts.
func numbered(v any) any {
	switch v := v.(type) {
	case json.Number:
		if n, err := v.Int64(); err == nil {
			return n
		}
		f, _ := v.Float64()
		return f
	case map[string]any:
		out := map[string]any{}
		for k, x := range v {
			out[k] = numbered(x)
		}
		return out
	case []any:
		out := make([]any, len(v))
		for i, x := range v {
			out[i] = numbered(x)
		}
		return out
	}
	return v
}

func sameJSON(a, b any) bool {
	x, errX := json.Marshal(a)
	y, errY := json.Marshal(b)
	return errX == nil && errY == nil && bytes.Equal(x, y)
}

// NounRemove is the command that removes one.
func (a *App) NounRemove(n Noun) *cobra.Command {
	return &cobra.Command{Use: "remove NAME", Short: "Remove " + n.Article + " " + n.Name + " that nothing refers to",
		Args:              cobra.ExactArgs(1),
		Example:           "  roundhouse " + n.Name + " remove " + n.Added,
		ValidArgsFunction: a.Complete(n.Name),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, r, tag, err := a.LoadRecord(cmd.Context(), n, args[0])
			if err != nil {
				return err
			}
			if _, err := c.Do(cmd.Context(), "DELETE", n.at(r), nil, map[string]string{"If-Match": tag}, nil); err != nil {
				return err
			}
			if a.Format == "table" {
				a.Printer().Line("Removed.")
			}
			return nil
		}}
}
