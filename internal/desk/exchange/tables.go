package exchange

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"

	"roundhouse.example/internal/store/db"
	registerdb "roundhouse.example/internal/store/register"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/table"
	"roundhouse.example/internal/desk"
	registry "roundhouse.example/internal/desk/register"
)

// ImportTable takes a table in, all of it or nothing: rows of what is known are
// changed, others added, and an empty cell clears the field.
func ImportTable[T any](ctx context.Context, d *Exchange, k *registry.Kind[T], a desk.Actor, kind table.Kind,
	file io.Reader, o Options) (Sum, error) {
	if err := a.May(k.Act); err != nil {
		return Sum{}, err
	}
	run := &tableRun{o: o}
	from, err := table.NewReader(file, kind)
	if err != nil {
		return run.ended(err)
	}
	return run.ended(d.db.Do(ctx, func(tx *db.Tx) error {
		if err := tx.ByIndex(ctx); err != nil {
			return err
		}
		in := &thingTable[T]{k: k, d: d, kind: kind, run: run, l: &registry.Lookup{Tx: tx, Remember: true},
			about: map[int64]int{}}
		if err := run.read(from, func(rows []table.Row) error { return in.take(ctx, rows) }); err != nil {
			return err
		}
		return run.settle()
	}))
}

type thingTable[T any] struct {
	k    *registry.Kind[T]
	d    *Exchange
	kind table.Kind
	run  *tableRun
	l    *registry.Lookup
	// about is the line at which each record that is known was named.
	about map[int64]int
}

// at is a row with what it is about.
type at[T any] struct {
	table.Row
	said   []string // why it is refused
	asks   bool     // only until it is confirmed
	vendor registerdb.Vendor
	id     int64
	before *registry.Thing[T]
}

func (in *thingTable[T]) take(ctx context.Context, rows []table.Row) error {
	list := make([]at[T], len(rows))
	key := in.kind.Key[len(in.kind.Key)-1] // name or number
	var find registerdb.ThingKeys
	for i, r := range rows {
		x := &list[i]
		x.Row = r
		x.said = saidOf(r)
		name, serial := member(r.Members, key), member(r.Members, "serial")
		if len(r.Wrong) == 0 {
			v, err := in.l.Vendor(ctx, member(r.Members, "vendor"))
			switch {
			case errors.Is(err, db.ErrNotFound):
				x.said = append(x.said, fmt.Sprintf("vendor: there is no vendor %.60q", member(r.Members, "vendor")))
			case err != nil:
				return err
			}
			x.vendor = v
			r.Members["vendor"] = v.Key
			x.said = append(x.said, in.run.again(r.Line, key, v.Key, name)...)
			x.said = append(x.said, in.run.again(r.Line, "serial", v.Key, serial)...)
		}
		find.Vendors, find.Names, find.Serials = append(find.Vendors, x.vendor.ID), append(find.Names, name),
			append(find.Serials, serial)
	}
	if err := in.known(ctx, list, find, key); err != nil {
		return err
	}
	var added, changed []registerdb.Thing[T]
	for i := range list {
		x := &list[i]
		row, what, err := in.weigh(ctx, x)
		if err != nil {
			return err
		}
		if err := in.run.tell(Row{x.Line, what, cmp.Or(member(x.Members, key), member(x.Members, "vendor")),
			x.said, x.asks}); err != nil {
			return err
		}
		if in.run.o.Look || in.run.sum.Refused > 0 {
			continue
		}
		switch what {
		case "added":
			added = append(added, row)
		case "changed":
			changed = append(changed, row)
		}
	}
	return in.write(ctx, added, changed)
}

// known finds what rows are about: by serial, else by name.
func (in *thingTable[T]) known(ctx context.Context, list []at[T], find registerdb.ThingKeys, key string) error {
	hits, err := registerdb.MatchThings(ctx, in.l.Tx, in.k.ThingKind, find)
	if err != nil {
		return err
	}
	var ids []int64
	for _, h := range hits {
		x := &list[h.Row-1]
		if len(x.said) > 0 {
			continue
		}
		switch {
		case h.Named != nil && h.Serial != nil && *h.Named != *h.Serial:
			x.said = append(x.said, fmt.Sprintf("serial: %s has this serial, and another asset this name", h.SerialOf))
		case h.Serial != nil:
			x.id = *h.Serial
		case h.Named != nil:
			x.id = *h.Named
		}
		if x.id == 0 {
			continue
		}
		if line, twice := in.about[x.id]; twice {
			x.said = append(x.said, fmt.Sprintf("line %d has the same %s: remove one of the two rows", line,
				in.k.Name))
			continue
		}
		in.about[x.id] = x.Line
		ids = append(ids, x.id)
	}
	if len(ids) == 0 {
		return nil
	}
	rows, err := registerdb.Things[T](ctx, in.l.Tx, in.k.ThingKind, registerdb.ThingFilter{IDs: ids, Limit: len(ids)})
	if err != nil {
		return err
	}
	things, err := in.k.ToldOf(ctx, in.d.register, in.l.Tx, rows)
	if err != nil {
		return err
	}
	byID := map[int64]*registry.Thing[T]{}
	for i := range things {
		byID[things[i].ID] = &things[i]
	}
	for i := range list {
		list[i].before = byID[list[i].id]
	}
	return nil
}

// weigh says what a row does, and gives the record that it makes.
func (in *thingTable[T]) weigh(ctx context.Context, x *at[T]) (row registerdb.Thing[T], what string, err error) {
	if len(x.said) > 0 {
		return row, "refused", nil
	}
	members := map[string]any{}
	if x.before != nil {
		row = x.before.Thing
		raw, err := json.Marshal(x.before.Facts)
		if err == nil {
			err = json.Unmarshal(raw, &members)
		}
		if err != nil {
			return row, "", err
		}
	}
	table.Apply(members, x.Members)
	raw, err := json.Marshal(members)
	if err != nil {
		return row, "", err
	}
	var facts T
	if err := json.Unmarshal(raw, &facts); err != nil {
		return row, "", err
	}
	err = in.k.Prepare(ctx, in.l, &row, facts)
	var wrong *desk.Invalid
	if errors.As(err, &wrong) {
		x.said = wrong.Lines()
		return row, "refused", nil
	} else if err != nil {
		return row, "", err
	}
	if x.before == nil {
		row.Whole = facts
		return row, "added", nil
	}
	if x.said, err = in.kind.Changes(x.before.Facts, facts); err != nil || len(x.said) == 0 {
		return row, "same", err
	}
	if in.k.Touches != nil && !in.run.o.Confirmed {
		words, err := in.k.Touches(ctx, in.d.register, in.l.Tx, *x.before, facts)
		if err != nil {
			return row, "", err
		}
		if words != "" {
			x.said, x.asks = append(x.said, words), true
			return row, "refused", nil
		}
	}
	row.Whole = facts
	return row, "changed", nil
}

func (in *thingTable[T]) write(ctx context.Context, added, changed []registerdb.Thing[T]) error {
	if in.run.sum.Refused > 0 {
		return nil
	}
	if err := registerdb.AddThings(ctx, in.l.Tx, in.k.ThingKind, added); err != nil {
		return err
	}
	if ok, err := registerdb.ChangeThings(ctx, in.l.Tx, in.k.ThingKind, changed); err != nil {
		return err
	} else if !ok {
		return &desk.Stale{What: "register"}
	}
	if in.k.After == nil {
		return nil
	}
	rows := slices.Concat(added, changed)
	ids := make([]int64, len(rows))
	for i := range rows {
		ids[i] = rows[i].ID
	}
	if err := in.l.ReadTerms(ctx, ids); err != nil {
		return err
	}
	for i := range rows {
		if err := in.k.After(ctx, in.d.register, in.l, &rows[i], rows[i].Whole); err != nil {
			return err
		}
	}
	return nil
}

// ExportTable writes a kind's records, of one vendor or ("") of all, as a table that
// ImportTable takes in unchanged.
func ExportTable[T any](ctx context.Context, d *Exchange, k *registry.Kind[T], a desk.Actor, kind table.Kind,
	vendor string, w io.Writer, style table.Style) error {
	if err := a.May(access.Read); err != nil {
		return err
	}
	var pairs []string
	if kind.Pairs != "" {
		var err error
		if pairs, err = registerdb.PairNames(ctx, d.db.DB, k.ThingKind, kind.Pairs); err != nil {
			return err
		}
	}
	out, err := table.NewWriter(w, kind, pairs, style)
	if err != nil {
		return err
	}
	f := registerdb.ThingFilter{Vendor: vendor, Limit: abreast}
	for {
		rows, err := registerdb.Things[T](ctx, d.db.DB, k.ThingKind, f)
		if err != nil {
			return err
		}
		things, err := k.ToldOf(ctx, d.register, d.db.DB, rows)
		if err != nil {
			return err
		}
		for _, t := range things {
			if err := out.Write(t.Facts); err != nil {
				return err
			}
		}
		if len(rows) < f.Limit {
			return out.Flush()
		}
		last := rows[len(rows)-1]
		f.After, f.AfterKey, f.AfterID = true, last.Key, last.ID
	}
}
