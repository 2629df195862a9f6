package today

import (
	"context"
	"iter"
	"slices"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/desk"
	casesdb "roundhouse.example/internal/store/cases"
	listsdb "roundhouse.example/internal/store/lists"
)

// exported is how many cases are read at a time.
const exported = 200

// Note is a note of a case.
type Note = casesdb.Note

// Exported is a case of a list, with its notes where they are asked for.
type Exported struct {
	CaseLine
	Notes []Note
}

// Export gives all cases of a list, some at a time. Between two pages it holds nothing of the database. What is wrong
// with the question is an error at once: the first page is read before it returns. Who may not read notes gets none,
// and is refused.
func (d *Today) Export(ctx context.Context, a desk.Actor, f listsdb.Filter, s Scope, notes bool) (
	iter.Seq2[Exported, error], error) {
	if err := a.May(access.Read); err != nil {
		return nil, err
	}
	if notes && slices.Contains(a.Grant().Hidden(), "note") {
		return nil, desk.Fault("notes", "you cannot read notes: leave them out")
	}
	f.Limit, f.After = exported, false
	page, more, err := d.exported(ctx, a, f, s, notes)
	if err != nil {
		return nil, err
	}
	return func(yield func(Exported, error) bool) {
		for {
			for _, x := range page {
				if !yield(x, nil) {
					return
				}
			}
			if !more {
				return
			}
			last := page[len(page)-1]
			f.After, f.AfterKey, f.AfterCase = true, listsdb.SortKey(f.Sort, last.Row), last.Number
			if page, more, err = d.exported(ctx, a, f, s, notes); err != nil {
				yield(Exported{}, err)
				return
			}
		}
	}, nil
}

// exported is one page of an export.
func (d *Today) exported(ctx context.Context, a desk.Actor, f listsdb.Filter, s Scope, notes bool) (out []Exported,
	more bool, err error) {
	lines, more, err := d.CasesOf(ctx, a, f, s)
	if err != nil {
		return nil, false, err
	}
	of := map[int64][]Note{}
	if notes {
		ids := make([]int64, len(lines))
		for i, l := range lines {
			ids[i] = l.ID
		}
		list, err := casesdb.NotesOf(ctx, d.db.DB, ids)
		if err != nil {
			return nil, false, err
		}
		for _, n := range list {
			of[n.CaseID] = append(of[n.CaseID], n)
		}
	}
	for _, l := range lines {
		out = append(out, Exported{l, of[l.ID]})
	}
	return out, more, nil
}
