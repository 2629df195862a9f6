package firm

import (
	"context"
	"time"

	"roundhouse.example/internal/store/db"
	peopledb "roundhouse.example/internal/store/people"

	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/people"
	"roundhouse.example/internal/desk/whole"
)

// Furnish adds what a desk has beside its vendors' terms as of a present instant: who can be called where, the vendors'
// forms and people, what is owned, who is reachable at night. It returns the people in the order of their list.
func Furnish(ctx context.Context, d *whole.Desk, st *db.Store, staff []Person, present time.Time) ([]desk.Actor,
	error) {
	var all []desk.Actor
	for _, p := range staff {
		row, err := peopledb.ByEmail(ctx, st.DB, p.Email)
		if err != nil {
			return nil, err
		}
		all = append(all, desk.Actor{Person: row})
	}
	lead, admin := all[2], all[4]
	for i, phone := range []string{"+44 1632 960 010", "+44 1632 960 011", "+44 1632 960 012"} {
		zone, hours, languages := "Europe/Oslo", "07:00-15:00", "Norwegian, English"
		if _, err := d.People.Change(ctx, admin, all[i].ID, all[i].Version,
			people.Edit{Phone: &phone, Zone: &zone, Hours: &hours, Languages: &languages}); err != nil {
			return nil, err
		}
	}
	if err := profiles(ctx, d, admin, present); err != nil {
		return nil, err
	}
	if err := shifts(ctx, d, all[:3], present); err != nil {
		return nil, err
	}
	if err := Things(ctx, d, st, lead, present); err != nil {
		return nil, err
	}
	if err := terminals(ctx, d, admin, lead, present); err != nil {
		return nil, err
	}
	return all, newcomers(ctx, d, admin, lead, present)
}
