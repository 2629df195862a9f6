package cases

import (
	"context"
	"time"

	"roundhouse.example/internal/store/db"
)

// Note is a note of a case.
type Note struct {
	CaseID int64     `db:"case_id"`
	At     time.Time `db:"happened_at"`
	By     string    `db:"author_name"`
	Text   string    `db:"body"`
}

// NotesOf are the notes of some cases, each case's in the order of its record.
func NotesOf(ctx context.Context, q db.Querier, cases []int64) (out []Note, err error) {
	return out, q.SelectContext(ctx, &out, `select e.case_id, e.happened_at, e.author_name, b.body from case_entry e
		join entry_body b on b.entry_id = e.id where e.case_id = any($1) and e.kind = 'note' order by e.case_id, e.number`,
		cases)
}
