package today

import (
	"context"
	"slices"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/desk"
	casesdb "roundhouse.example/internal/store/cases"
)

// exported is how many cases are read at a time.
const exported = 200

// Note is a note of a case.
type Note = casesdb.Note

// Export gives all cases of a list, some at a time, each with its notes where they are asked for. Between two pages it
// holds nothing of the database. Who may not read notes gets none, and is refused.
func (d *Today) Export(ctx context.Context, a desk.Actor, f casesdb.Filter, s Scope, notes bool,
	each func(CaseLine, []Note) error) error {
	if err := a.May(access.Read); err != nil {
		return err
	}
	if notes && slices.Contains(a.Grant().Hidden(), "note") {
		return desk.Fault("notes", "you cannot read notes: leave them out")
	}
	f.Limit, f.After = exported, false
	for {
		lines, more, err := d.CasesOf(ctx, a, f, s)
		if err != nil {
			return err
		}
		of := map[int64][]Note{}
		if notes {
			ids := make([]int64, len(lines))
			for i, l := range lines {
				ids[i] = l.ID
			}
			list, err := casesdb.NotesOf(ctx, d.db.DB, ids)
			if err != nil {
				return err
			}
			for _, n := range list {
				of[n.CaseID] = append(of[n.CaseID], n)
			}
		}
		for _, l := range lines {
			if err := each(l, of[l.ID]); err != nil {
				return err
			}
		}
		if !more {
			return nil
		}
		last := lines[len(lines)-1]
		f.After, f.AfterKey, f.AfterCase = true, casesdb.SortKey(f.Sort, last.Row), last.Number
	}
}
