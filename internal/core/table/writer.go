package table

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"

	"roundhouse.example/internal/core/register"
)

// Style is how a table is written; the zero value is UTF-8 without a mark, with commas.
type Style struct {
	Semicolons bool
	Mark       bool // a byte order mark, which some spreadsheets need to see UTF-8
}

// Writer writes a table that a Reader takes in unchanged.
type Writer struct {
	csv     *csv.Writer
	columns []Column
}

// NewWriter writes the header: the kind's columns, and one for each of the names that
// pairs, such as attributes, have in any record.
func NewWriter(w io.Writer, kind Kind, pairs []string, style Style) (*Writer, error) {
	if style.Mark {
		if _, err := io.WriteString(w, "\uFEFF"); err != nil {
			return nil, err
		}
	}
	out := &Writer{csv.NewWriter(w), slices.Clone(kind.Columns)}
	out.csv.UseCRLF = true
	if style.Semicolons {
		out.csv.Comma = ';'
	}
	for _, p := range pairs {
		out.columns = append(out.columns, Column{Name: kind.Pairs + "." + p})
	}
	header := make([]string, len(out.columns))
	for i, c := range out.columns {
		header[i] = Guard(c.Name)
	}
	return out, out.csv.Write(header)
}

// Write writes one record.
func (w *Writer) Write(record any) error {
	raw, err := json.Marshal(record)
	if err != nil {
		return err
	}
	var members map[string]json.RawMessage
	if err := json.Unmarshal(raw, &members); err != nil {
		return err
	}
	cells := make([]string, len(w.columns))
	for i, c := range w.columns {
		if cells[i], err = c.write(members); err != nil {
			return fmt.Errorf("%s: %w", c.Name, err)
		}
		cells[i] = Guard(cells[i])
	}
	return w.csv.Write(cells)
}

// Changes are the columns in which two records differ, in words.
func (k Kind) Changes(was, will any) (said []string, err error) {
	var sides [2]map[string]json.RawMessage
	for i, x := range []any{was, will} {
		raw, err := json.Marshal(x)
		if err == nil {
			err = json.Unmarshal(raw, &sides[i])
		}
		if err != nil {
			return nil, err
		}
	}
	all := slices.Clone(k.Columns)
	if k.Pairs != "" {
		names := map[string]bool{}
		for _, side := range sides {
			var pairs map[string]string
			if raw := side[k.Pairs]; raw != nil {
				if err := json.Unmarshal(raw, &pairs); err != nil {
					return nil, err
				}
			}
			for n := range pairs {
				names[n] = true
			}
		}
		for _, n := range slices.Sorted(maps.Keys(names)) {
			all = append(all, Column{Name: k.Pairs + "." + n})
		}
	}
	for _, c := range all {
		a, err := c.write(sides[0])
		if err != nil {
			return nil, err
		}
		b, err := c.write(sides[1])
		if err != nil {
			return nil, err
		}
		if c.Type == Yes { // what is not said is no
			a, b = strings.TrimSuffix(a, "no"), strings.TrimSuffix(b, "no")
		}
		if a != b {
			said = append(said, fmt.Sprintf("%s: %q -> %q", c.Name, a, b))
		}
	}
	return said, nil
}

// Flush writes what is still held back.
func (w *Writer) Flush() error {
	w.csv.Flush()
	return w.csv.Error()
}

func (c Column) write(members map[string]json.RawMessage) (string, error) {
	outer, inner, nested := strings.Cut(c.Name, ".")
	raw := members[outer]
	if nested && raw != nil {
		var m map[string]json.RawMessage
		if err := json.Unmarshal(raw, &m); err != nil {
			return "", err
		}
		raw = m[inner]
	}
	if raw == nil || string(raw) == "null" {
		return "", nil
	}
	switch c.Type {
	case Yes:
		if string(raw) == "true" {
			return "yes", nil
		}
		return "no", nil
	case Number:
		return string(raw), nil
	case List:
		return lines(raw, func(s string) string { return s })
	case Versions:
		return lines(raw, writeVersion)
	case Terms:
		return lines(raw, register.Term.String)
	}
	var s string
	err := json.Unmarshal(raw, &s)
	return s, err
}

func lines[T any](raw json.RawMessage, write func(T) string) (string, error) {
	var list []T
	if err := json.Unmarshal(raw, &list); err != nil {
		return "", err
	}
	out := make([]string, len(list))
	for i, x := range list {
		out[i] = write(x)
	}
	return written(out), nil
}
