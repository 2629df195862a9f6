package apart

import (
	"context"
	"slices"
	"time"

	"roundhouse.example/internal/demo"
	"roundhouse.example/internal/demo/firm"
	"roundhouse.example/internal/service"
	"roundhouse.example/internal/standin"
	inboxdb "roundhouse.example/internal/store/inbox"
)

// Play plays the demo on a desk whose links then lead nowhere, and gives its people.
func Play(ctx context.Context, d *service.Desk) ([]firm.Person, error) {
	cast, err := standin.New(standin.Options{})
	if err != nil {
		return nil, err
	}
	return demo.Play(ctx, d.Store, cast, time.Now(), func(v string) (inboxdb.Link, error) {
		raw, err := standin.Description(time.Second, 2*time.Second)
		l := inboxdb.Link{Address: "http://127.0.0.1:1/" + v}
		l.Description.V = raw
		return l, err
	})
}

// Columns are those of a table but for some, by name, quoted where they have to be.
func Columns(ctx context.Context, d *service.Desk, table string, but ...string) (all []string, err error) {
	err = d.Store.DB.SelectContext(ctx, &all, `select quote_ident(column_name) from information_schema.columns
		where table_schema = 'public' and table_name = $1 order by ordinal_position`, table)
	return slices.DeleteFunc(all, func(c string) bool { return slices.Contains(but, c) }), err
}

// Verdict says whether a figure keeps its goal.
func Verdict(holds bool) string {
	if holds {
		return "holds"
	}
	return "MISSED"
}
