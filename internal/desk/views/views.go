// Package views keeps named views of the list of cases: people's own, and the desk's.
package views

import (
	"context"
	"encoding/json"
	"strings"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/store/db"
	listsdb "roundhouse.example/internal/store/lists"
)

// Views is the subject. Use New.
type Views struct {
	*desk.Desk
	db *db.Store
}

// New makes the subject over a desk's database.
func New(d *desk.Desk, db *db.Store) *Views { return &Views{d, db} }

// View is a named view.
type View = listsdb.View

// most is how many views one person sees.
const most = 200

// List is a person's own views and the desk's, by name.
func (d *Views) List(ctx context.Context, a desk.Actor) ([]View, error) {
	if err := a.May(access.Read); err != nil {
		return nil, err
	}
	return listsdb.Views(ctx, d.db.DB, a.ID)
}

// Saving is a view to be kept; Query is what narrows the list, as JSON in the form of the API.
type Saving struct {
	Name    string
	Query   json.RawMessage
	Columns []string
	Desk    bool // for all; only leads and administrators keep one
}

// Save keeps a view; one of the same name is replaced.
func (d *Views) Save(ctx context.Context, a desk.Actor, s Saving) (v View, err error) {
	act := access.Read
	if s.Desk {
		act = access.Contracts
	}
	if err := a.May(act); err != nil {
		return v, err
	}
	if s.Name = strings.TrimSpace(s.Name); s.Name == "" {
		return v, desk.Fault("name", "give the view a name")
	}
	v = View{Name: s.Name, MadeBy: a.ID, MadeAt: d.Now()}
	v.Query.V, v.Columns.V = s.Query, append([]string{}, s.Columns...)
	if !s.Desk {
		v.PersonID = &a.ID
	}
	return v, d.db.Do(ctx, func(tx *db.Tx) error {
		list, err := listsdb.Views(ctx, tx, a.ID)
		if err != nil {
			return err
		}
		if len(list) >= most {
			return desk.Fault("name", "there are %d views, which is the most there can be: delete some", len(list))
		}
		return listsdb.SaveView(ctx, tx, &v)
	})
}

// Delete takes a view away: one's own, or the desk's by who may keep those.
func (d *Views) Delete(ctx context.Context, a desk.Actor, id int64) error {
	if err := a.May(access.Read); err != nil {
		return err
	}
	v, err := listsdb.ViewByID(ctx, d.db.DB, id)
	switch {
	case err != nil:
		return err
	case v.PersonID == nil:
		if err := a.May(access.Contracts); err != nil {
			return err
		}
	case *v.PersonID != a.ID:
		return db.ErrNotFound
	}
	return listsdb.DeleteView(ctx, d.db.DB, id)
}
