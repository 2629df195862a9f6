package app

import (
	"encoding/json"
	"fmt"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/core/words"
)

// Noun is one kind of thing in the register: the same verbs for each.
type Noun struct {
	Name, Many, Path, Article string
	Fields                    []FieldFlag
	Filters                   []FieldFlag
	Columns                   []Column
	Show                      func(*out.Printer, Record)
	Example                   string
	// Sample is one that the demo has, Added the one that Example adds, and Word finds some: for the examples.
	Sample, Added, Word string
	// byKey is for what the API names by its key, not by a number.
	ByKey bool
}

// FieldFlag is a member of the facts, or of a list's query, with the flag that sets it.
type FieldFlag struct {
	Member string
	// Kind is text, list, yes (true or false), pairs (NAME=VALUE), number, or terms.
	Kind, Help string
	// Label is what people read of it; the member's own words where it is left out.
	Label string
	// Values are the labels of its values, where they are an enum.
	Values words.Set
}

func (f FieldFlag) label() string {
	return FirstOf(f.Label, strings.ReplaceAll(strings.ReplaceAll(f.Member, "_", " "), ".", " "))
}

func (f FieldFlag) flag() string {
	if f.Kind == "list" || f.Kind == "terms" || f.Kind == "pairs" || f.Kind == "versions" { // one at a time
		return strings.TrimSuffix(strings.ReplaceAll(f.Member, "_", "-"), "s")
	}
	return strings.ReplaceAll(strings.ReplaceAll(f.Member, "_", "-"), ".", "-")
}

// Column is a column of a list, with what stands in a record's cell.
type Column struct {
	out.Column
	Cell func(Record) string
}

// Record is one as the API gives it.
type Record map[string]any

// Facts are the part of a record that people fill in.
func (r Record) Facts() Record {
	f, _ := r["facts"].(map[string]any)
	return f
}

// Text is a member in words; empty where it is missing.
func (r Record) Text(member string) string {
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
		return strings.Join(r.Texts(member), ", ")
	}
	return ""
}

// Texts is a member that is a list.
func (r Record) Texts(member string) (out []string) {
	list, _ := r[member].([]any)
	for _, x := range list {
		if s, ok := x.(string); ok {
			out = append(out, s)
		}
	}
	return out
}

// In is a member that is an object.
func (r Record) In(member string) Record {
	v, _ := r[member].(map[string]any)
	return v
}

// Number is a member that counts something.
func (r Record) Number(member string) int {
	n, _ := strconv.Atoi(r.Text(member))
	return n
}

// Fact is a column of one member of the facts.
func Fact(name, member string) Column {
	return Column{out.Column{Name: name, Shrink: true}, func(r Record) string { return r.Facts().Text(member) }}
}

// Title is the column as the one that gets room first in a narrow window.
func (c Column) Title() Column {
	c.Main = true
	return c
}

// Whole is the column with its cells never cut, as identifiers are.
func (c Column) Whole() Column {
	c.Shrink = false
	return c
}

// Leaves is the column as one that a narrow window leaves out, those with the lowest turn first.
func (c Column) Leaves(turn int) Column {
	c.Drop = turn
	return c
}

// Noun has the commands that every kind of record has: list, show, add, change, remove, export,
// import.
func (a *App) Noun(n Noun) *cobra.Command {
	c := Group(n.Name, fmt.Sprintf("%s in the register", Capital(n.Many)), a.nounList(n),
		a.nounShow(n), a.NounAdd(n), a.NounChange(n), a.NounRemove(n), a.TableExport(n.Name, n.Many),
		a.TableImport(n.Name, n.Many))
	return c
}

// csv writes records with all that is known of them, as the API says it.
func (n Noun) csv(p *out.Printer, items []Record) {
	cols := Columns("id")
	for _, f := range n.Fields {
		if f.Kind != "terms" {
			cols = append(cols, out.Column{Name: f.Member})
		}
	}
	var rows [][]string
	for _, r := range items {
		row := []string{r.Text("id")}
		for _, c := range cols[1:] {
			where, member := r.Facts(), c.Name
			if outer, inner, ok := strings.Cut(member, "."); ok {
				where, member = where.In(outer), inner
			}
			row = append(row, where.raw(member))
		}
		rows = append(rows, row)
	}
	p.Table(cols, rows)
}

// raw is a member as the API says it; what is no single value is JSON.
func (r Record) raw(member string) string {
	switch v := r[member].(type) {
	case nil:
		return ""
	case bool:
		return strconv.FormatBool(v)
	case []any, map[string]any:
		text, _ := json.Marshal(v)
		return string(text)
	}
	return r.Text(member)
}

// at is where the API has a record.
func (n Noun) at(r Record) string { return n.Path + "/" + FirstOf(r.Text("id"), r.Text("key")) }

// FirstOf is the first text that is not empty.
func FirstOf(list ...string) string {
	for _, s := range list {
		if s != "" {
			return s
		}
	}
	return ""
}
