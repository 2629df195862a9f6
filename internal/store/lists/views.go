package lists

import (
	"context"
	"encoding/json"
	"time"

	"roundhouse.example/internal/store/db"
)

// View is a named view of the list of cases. Query is what narrows it, in the form of the API.
type View struct {
	ID       int64                    `db:"id"`
	PersonID *int64                   `db:"person_id"` // nil: the desk's
	Name     string                   `db:"name"`
	Query    db.JSON[json.RawMessage] `db:"query"`
	Columns  db.JSON[[]string]        `db:"columns"`
	MadeBy   int64                    `db:"made_by"`
	MadeAt   time.Time                `db:"made_at"`
}

// Views are a person's own and the desk's, by name.
func Views(ctx context.Context, q db.Querier, person int64) (out []View, err error) {
	return out, q.SelectContext(ctx, &out, `select * from case_view where person_id = $1 or person_id is null
		order by lower(name), person_id nulls first`, person)
}

// SaveView keeps a view; one of the same name and owner is replaced.
func SaveView(ctx context.Context, q db.Querier, v *View) error {
	return q.GetContext(ctx, &v.ID, `insert into case_view (person_id, name, query, columns, made_by, made_at)
		values ($1, $2, cast($3 as jsonb), cast($4 as jsonb), $5, $6)
		on conflict (coalesce(person_id, 0), lower(name)) do update set name = excluded.name, query = excluded.query,
			columns = excluded.columns, made_by = excluded.made_by, made_at = excluded.made_at
		returning id`, v.PersonID, v.Name, v.Query, v.Columns, v.MadeBy, v.MadeAt)
}

// ViewByID is ErrNotFound where there is none.
func ViewByID(ctx context.Context, q db.Querier, id int64) (v View, err error) {
	return v, db.One(q.GetContext(ctx, &v, "select * from case_view where id = $1", id))
}

// DeleteView takes a view away.
func DeleteView(ctx context.Context, q db.Querier, id int64) error {
	_, err := q.ExecContext(ctx, "delete from case_view where id = $1", id)
	return err
}
