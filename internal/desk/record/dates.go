package record

import (
	"context"
	"slices"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/dated"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/desk/hours"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
)

func itemOf(i *casesdb.Item) *deadline.Item {
	if i == nil {
		return nil
	}
	return &deadline.Item{Name: i.Name, Kind: i.Kind, Owed: i.Owed, Due: db.Unix(i.Due), Rung: i.Rung,
		Awaits: i.Rung > 0 && i.Due != nil}
}

// itemRows are the dated items of a case. What is to happen, and whose it is, stands in the entry that set the first of
// a chain.
func itemRows(caseID int64, items *dated.Machine, history []casesdb.EffectRow) []casesdb.DatedItem {
	said := map[int]*casesdb.Item{} // by the number of its entry
	more := map[string][]int{}      // entries that add details, by the item's name
	for _, r := range history {
		if x := r.Effect.V.Item; x != nil {
			said[r.Number] = x
			if r.Effect.V.Event == "" {
				more[x.Name] = append(more[x.Name], r.Number)
			}
		}
	}
	rows := make([]casesdb.DatedItem, len(items.Items()))
	for i := range items.Items() {
		x := &items.Items()[i]
		row := casesdb.DatedItem{CaseID: caseID, Opened: i, Name: x.Name, Kind: x.Kind, Owed: x.Owed,
			SetAt: db.Instant(x.Set), DueAt: db.Instant(x.Due), SoonAt: db.Instant(x.SoonFrom()),
			Outcome: outcomes[x.Outcome], StartEntry: x.StartEntry, EndEntry: x.EndEntry}
		if x.Outcome != deadline.Live {
			row.EndedAt = new(db.Instant(x.End))
		}
		if x.Follows >= 0 {
			before := rows[x.Follows]
			row.Follows, row.Words, row.PersonID, row.Details = new(x.Follows), before.Words, before.PersonID, before.Details
		}
		if s := said[x.StartEntry]; s != nil {
			if x.Follows < 0 {
				row.Words, row.PersonID = s.Words, some(s.Person)
			}
			row.Details.V.Take(s.Details)
		}
		if x.Kind == dated.Closing {
			row.Words = "The vendor closes it unless it hears from us"
		}
		for _, n := range more[x.Name] {
			if n > x.StartEntry && (x.Outcome == deadline.Live || n < x.EndEntry) {
				row.Details.V.Take(said[n].Details)
			}
		}
		rows[i] = row
	}
	return rows
}

// ItemView is a dated item as it stands at an instant.
type ItemView struct {
	casesdb.NamedItem
	Standing deadline.Standing
	Late     int64 // covered seconds of our own hours since its due, if it is late
}

// Items are the dated items of a case at an instant not before the last change of it: those that are open, the earliest
// due first, then those that have ended, the latest first.
func (d *Record) Items(ctx context.Context, q db.Querier, caseID int64, at time.Time) (out []ItemView, err error) {
	rows, err := casesdb.DatedNamed(ctx, q, caseID)
	for _, r := range rows {
		x := ItemOf(r.DatedItem)
		out = append(out, ItemView{NamedItem: r, Standing: x.Standing(at.Unix())})
	}
	return out, err
}

// ItemOf is a dated item in the core's terms.
func ItemOf(x casesdb.DatedItem) dated.Item {
	return dated.Item{Name: x.Name, Kind: x.Kind, Owed: x.Owed, Set: x.SetAt.Unix(), Due: x.DueAt.Unix(),
		End: db.Unix(x.EndedAt), Outcome: deadline.Outcome(max(0, slices.Index(outcomes[:], x.Outcome)))}
}

// nextDates sets when the case asks for attention next, which a live case always
// does, and when the sweep must look at it.
func (d *Record) nextDates(ctx context.Context, q db.Querier, c *casesdb.Case, m *deadline.Machine,
	items *dated.Machine, now int64) error {
	dates, err := casework.Next(m, items, now, db.Unix(c.ParkedUntil), func() (int64, error) {
		g, err := d.hours.Compiled(ctx, q)
		if err != nil {
			return 0, err
		}
		return d.quietUntil(ctx, q, g, c, now)
	})
	c.NextAt, c.WakeAt = orNil(dates.Next), orNil(dates.Wake)
	return err
}

// some is a pointer to a value, or nil to the zero value.
func some[T comparable](v T) *T {
	var zero T
	if v == zero {
		return nil
	}
	return &v
}

func orNil(at int64) *time.Time {
	if at == 0 {
		return nil
	}
	return new(db.Instant(at))
}

// quietUntil is when a case that nothing else dates asks for attention.
func (d *Record) quietUntil(ctx context.Context, q db.Querier, g *hours.Compiled, c *casesdb.Case,
	now int64) (int64, error) {
	var id int64
	if c.PolicyID != nil {
		id = *c.PolicyID
	}
	p, err := g.Policy(ctx, q, id)
	if err != nil {
		return 0, err
	}
	since := c.ChangedAt
	if c.LastWordAt != nil {
		since = *c.LastWordAt
	}
	ours := p.Hours.At(now)
	until, err := ours.DueTarget(since.Unix(), p.Quiet[*c.Severity])
	if err != nil || p.Calm == nil || *c.Severity < 3 || !slices.Contains(register.CalmKinds, c.Kind) {
		return until, err
	}
	calm, err := ours.DueTarget(since.Unix(), *p.Calm)
	return max(until, calm), err
}
