package exchange

import (
	"errors"
	"fmt"
	"io"
	"strings"

	"roundhouse.example/internal/store/db"

	"roundhouse.example/internal/core/table"
	"roundhouse.example/internal/desk"
)

// Row is what became of one row of a table, or would.
type Row struct {
	Line int
	What string // added, changed, same, refused
	Name string
	Said []string // what changes, or why it is refused
	// NeedsConfirm says that it is refused only until the person confirms what it does to live cases.
	NeedsConfirm bool
}

// Sum is what became of a table.
type Sum struct {
	Rows, Added, Changed, Same, Refused int
	// Ignored are the headers that were not understood.
	Ignored []string
	// Done is false where it was only looked at, or refused.
	Done bool
}

// Options say how a table is taken in. Row and Progress are told as it goes;
// an error of theirs ends it with nothing done.
type Options struct {
	Look bool // only say what it would do
	// Confirmed says that changes which affect live cases are applied.
	Confirmed bool
	// Row is told of each row when looking, else of those that are refused.
	Row      func(Row) error
	Progress func(rows int, bytes int64) error
}

// abreast is how many rows are taken at a time.
const abreast = 500

// tableRun is one table on its way in.
type tableRun struct {
	o    Options
	sum  Sum
	seen map[string]int // line of what has stood in the file already
}

func (r *tableRun) tell(row Row) error {
	r.sum.Rows++
	switch row.What {
	case "added":
		r.sum.Added++
	case "changed":
		r.sum.Changed++
	case "same":
		r.sum.Same++
	case "refused":
		r.sum.Refused++
	}
	if r.o.Row != nil && (r.o.Look || row.What == "refused") {
		return r.o.Row(row)
	}
	return nil
}

// again says why a row cannot be, where an earlier one was about the same.
func (r *tableRun) again(line int, what, vendor, name string) []string {
	if name == "" {
		return nil
	}
	key := what + "\x00" + vendor + "\x00" + strings.ToLower(name)
	if before, there := r.seen[key]; there {
		return []string{fmt.Sprintf("%s: line %d has %s %.60q already", what, before, what, name)}
	}
	r.seen[key] = line
	return nil
}

// read gives rows to take in pieces, until the table ends.
func (r *tableRun) read(from *table.Reader, take func([]table.Row) error) error {
	r.seen = map[string]int{}
	r.sum.Ignored = from.Ignored
	rows := make([]table.Row, 0, abreast)
	for {
		row, err := from.Next()
		if err != nil && err != io.EOF {
			return err
		}
		if err == nil {
			rows = append(rows, row)
		}
		if len(rows) == abreast || err == io.EOF && len(rows) > 0 {
			if err := take(rows); err != nil {
				return err
			}
			rows = rows[:0]
			if r.o.Progress != nil {
				if err := r.o.Progress(r.sum.Rows, from.Bytes()); err != nil {
					return err
				}
			}
		}
		if err == io.EOF {
			return nil
		}
	}
}

// settle ends the transaction: with nothing done where it was a look or a row is refused.
func (r *tableRun) settle() error {
	if r.o.Look || r.sum.Refused > 0 {
		return desk.ErrOnlyLooked
	}
	r.sum.Done = true
	return nil
}

// ended gives the sum, and a table's own problem in the desk's terms.
func (r *tableRun) ended(err error) (Sum, error) {
	var p *table.Problem
	switch {
	case errors.Is(err, desk.ErrOnlyLooked):
		err = nil
	case errors.As(err, &p):
		err = desk.Fault("table", "%s; nothing was changed", p)
	case db.Unique(err, "asset_name"), db.Unique(err, "asset_serial"), db.Unique(err, "product_name"),
		db.Unique(err, "account_number"), db.Unique(err, "contract_vendor_id_number_key"), db.Unique(err, "person_email"):
		err = &desk.InUse{Why: "Nothing was changed: two rows swap a name, a number or a serial, or somebody has just " +
			"added one of them. Do the swap in two imports, or try again."}
	}
	if err != nil {
		r.sum.Done = false
	}
	return r.sum, err
}

func member(m map[string]any, name string) string {
	s, _ := m[name].(string)
	return s
}

// saidOf is what is wrong with single cells of a row.
func saidOf(r table.Row) (said []string) {
	for _, f := range r.Wrong {
		said = append(said, strings.TrimPrefix(f.Column+": "+f.Detail, ": "))
	}
	return said
}
