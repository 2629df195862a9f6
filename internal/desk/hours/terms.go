package hours

import (
	"cmp"
	"context"
	"fmt"
	"slices"

	"roundhouse.example/internal/store/db"
	hoursdb "roundhouse.example/internal/store/hours"

	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/desk"
)

// UnknownCalendars says which promises name a calendar that is not there.
func UnknownCalendars(terms []register.Term, calendars map[string]int64) (wrong []desk.Field) {
	for i, t := range terms {
		if _, there := calendars[t.Calendar]; t.Calendar != "" && !there {
			wrong = append(wrong, desk.Field{Name: fmt.Sprintf("terms[%d].calendar", i),
				Detail: fmt.Sprintf("there is no calendar %.60q", t.Calendar)})
		}
	}
	return wrong
}

// TermRows turns promises into rows, calendars by id.
func TermRows(terms []register.Term, calendars map[string]int64) (rows []hoursdb.Term) {
	for _, t := range terms {
		r := hoursdb.Term{Deadline: t.Deadline, Rank: t.Level, Target: t.Target, Kind: t.Kind, Channel: t.Channel,
			Country: t.Country}
		if id, there := calendars[t.Calendar]; there {
			r.CalendarID = &id
		}
		rows = append(rows, r)
	}
	return rows
}

// TermsFrom gives rows as facts, calendars by name, sorted.
func (d *Hours) TermsFrom(ctx context.Context, q db.Querier, g *Compiled,
	rows []hoursdb.Term) ([]register.Term, error) {
	var out []register.Term
	for _, r := range rows {
		t := register.Term{Deadline: r.Deadline, Level: r.Rank, Target: r.Target, Kind: r.Kind, Channel: r.Channel,
			Country: r.Country}
		if r.CalendarID != nil {
			cal, err := g.Calendar(ctx, q, *r.CalendarID)
			if err != nil {
				return nil, err
			}
			t.Calendar = cal.Name
		}
		out = append(out, t)
	}
	return SortedTerms(out), nil
}

// SortedTerms puts promises into the order in which people read them.
func SortedTerms(list []register.Term) []register.Term {
	out := slices.Clone(list)
	slices.SortStableFunc(out, func(a, b register.Term) int {
		if a.Level != b.Level {
			return a.Level - b.Level
		}
		if x, y := deadline.Order(a.Deadline), deadline.Order(b.Deadline); x != y {
			return x - y
		}
		return cmp.Or(cmp.Compare(a.Kind, b.Kind), cmp.Compare(a.Channel, b.Channel), cmp.Compare(a.Country, b.Country))
	})
	return out
}
