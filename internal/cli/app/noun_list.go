package app

import (
	"context"
	"fmt"
	"maps"
	"math"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
)

// records are up to most of a list; more says that there are others.
func (n Noun) records(ctx context.Context, c *client.Client, q url.Values, most int) (items []Record, more bool,
	err error) {
	items = []Record{}
	for len(items) < most {
		q.Set("limit", strconv.Itoa(min(200, most-len(items))))
		var page struct {
			Items []Record `json:"items"`
			Next  string   `json:"next"`
		}
		if _, err := c.Do(ctx, "GET", n.Path+"?"+q.Encode(), nil, nil, &page); err != nil {
			return nil, false, err
		}
		items = append(items, page.Items...)
		if more = page.Next != ""; !more {
			break
		}
		q.Set("cursor", page.Next)
	}
	return items, more, nil
}

func (a *App) printRecords(n Noun, items []Record, more bool) error {
	p := a.Printer()
	switch {
	case a.Format == "json":
		return p.JSON(items)
	case a.Format == "csv":
		n.csv(p, items)
		return nil
	case len(items) == 0:
		p.Line("No matching %s.", n.Many)
		return nil
	}
	var cols []out.Column
	for _, k := range n.Columns {
		cols = append(cols, k.Column)
	}
	var rows [][]string
	for _, r := range items {
		var row []string
		for _, k := range n.Columns {
			row = append(row, k.Cell(r))
		}
		rows = append(rows, row)
	}
	p.Table(cols, rows)
	a.AndMore(more)
	return nil
}

func (a *App) nounList(n Noun) *cobra.Command {
	var vendor, words string
	var limit int
	c := &cobra.Command{Use: "list", Short: "List " + n.Many, Args: cobra.NoArgs, Example: "  roundhouse " + n.Name +
		" list --vendor tallow\n  roundhouse " + n.Name + " list --words " + n.Word + " -o json",
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.Client()
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
			for _, f := range n.Filters {
				v, _ := cmd.Flags().GetString(f.flag())
				if f.Kind == "named" && v != "" {
					hit, err := a.Named(cmd.Context(), c, f.Member, v)
					if err != nil {
						return err
					}
					v = strconv.FormatInt(hit.Id, 10)
				}
				set(f.Member, v)
			}
			most, err := a.Limit(cmd, limit)
			if err != nil {
				return err
			}
			items, more, err := n.records(cmd.Context(), c, q, most)
			if err != nil {
				return err
			}
			return a.printRecords(n, items, more)
		}}
	c.Flags().StringVar(&vendor, "vendor", "", "only of this vendor")
	c.Flags().StringVar(&words, "words", "", "the beginning of a number, or words from the name")
	LimitFlag(c, &limit)
	for _, f := range n.Filters {
		c.Flags().String(f.flag(), "", f.Help)
	}
	return c
}

// LimitFlag bounds a list for people; programs get all of it.
func LimitFlag(c *cobra.Command, to *int) {
	c.Flags().IntVar(to, "limit", 50, "maximum number of results; json and csv show all unless it is given")
}

// Limit is how many results a list shows.
func (a *App) Limit(cmd *cobra.Command, said int) (int, error) {
	switch {
	case said < 1:
		return 0, Usagef("--limit is 1 or more, not %d", said)
	case a.Format != "table" && !cmd.Flags().Changed("limit"):
		return math.MaxInt, nil
	}
	return said, nil
}

// AndMore says that a list goes on.
func (a *App) AndMore(more bool) {
	if more && a.Format == "table" {
		a.Printer().Line("There are more; raise --limit to see them.")
	}
}

// Named is the thing of a kind that a name, number or serial means.
func (a *App) Named(ctx context.Context, c *client.Client, kind, name string) (clientgen.Hit, error) {
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
		return clientgen.Hit{}, Usagef("%q matches several: %s; use a number that only one of them has", name,
			hitWords(exact))
	case len(hits.Items) > 0:
		return clientgen.Hit{}, &Missing{fmt.Sprintf("there is no %s %q; did you mean %s?", kind, name, hitWords(hits.Items))}
	}
	return clientgen.Hit{}, &Missing{fmt.Sprintf("there is no %s %q; roundhouse %s list shows them", kind, name, kind)}
}

// Missing is an error whose exit status is "not found".
type Missing struct{ Text string }

func (e *Missing) Error() string { return e.Text }

func hitWords(hits []clientgen.Hit) string {
	var words []string
	for _, h := range hits[:min(3, len(hits))] {
		words = append(words, fmt.Sprintf("%s (%s, %s)", h.Name, h.Title, h.Detail))
	}
	return strings.Join(words, " or ")
}

// LoadRecord finds a record by any name it has, and gives it with its ETag.
func (a *App) LoadRecord(ctx context.Context, n Noun, name string) (*client.Client, Record, string, error) {
	c, err := a.Client()
	if err != nil {
		return nil, nil, "", err
	}
	var r Record
	if n.ByKey {
		tag, err := c.Do(ctx, "GET", n.Path+"/"+url.PathEscape(name), nil, nil, &r)
		return c, r, tag, err
	}
	hit, err := a.Named(ctx, c, n.Name, name)
	if err != nil {
		return nil, nil, "", err
	}
	tag, err := c.Do(ctx, "GET", fmt.Sprintf("%s/%d", n.Path, hit.Id), nil, nil, &r)
	return c, r, tag, err
}

func (a *App) nounShow(n Noun) *cobra.Command {
	return &cobra.Command{Use: "show NAME", Short: "Show " + n.Article + " " + n.Name + ", by any number or name it has",
		Args:              cobra.ExactArgs(1),
		Example:           "  roundhouse " + n.Name + " show " + n.Sample,
		ValidArgsFunction: a.Complete(n.Name),
		RunE: func(cmd *cobra.Command, args []string) error {
			_, r, _, err := a.LoadRecord(cmd.Context(), n, args[0])
			if err != nil {
				return err
			}
			return a.PrintRecord(n, r)
		}}
}

// PrintRecord prints a record whole.
func (a *App) PrintRecord(n Noun, r Record) error {
	p := a.Printer()
	if a.Format == "json" {
		return p.JSON(r)
	}
	f := r.Facts()
	title := FirstOf(f.Text("name"), f.Text("number"))
	p.Line("%s, %s", title, FirstOf(r.Text("vendor_name"), f.Text("key")))
	if n.Show != nil {
		n.Show(p, r)
	}
	for _, x := range n.Fields {
		if x.Member == "vendor" || x.Kind == "terms" {
			continue
		}
		where, member := f, x.Member
		if outer, inner, ok := strings.Cut(x.Member, "."); ok {
			where, member = f.In(outer), inner
		}
		v := where.Text(member)
		if x.Kind == "pairs" {
			var pairs []string
			for _, k := range slices.Sorted(maps.Keys(f.In(x.Member))) {
				pairs = append(pairs, k+" "+f.In(x.Member).Text(k))
			}
			v = strings.Join(pairs, ", ")
		}
		if v = x.Values.Of(v); v != "" && v != title {
			p.Line("%-19s %s", x.label(), strings.ReplaceAll(v, "\n", "\n"+strings.Repeat(" ", 20)))
		}
	}
	return nil
}
