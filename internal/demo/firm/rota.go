package firm

import (
	"context"
	"time"

	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/rota"
	"roundhouse.example/internal/desk/whole"
)

// shifts are who can be reached round the clock, from two weeks before the present on. Nobody took the night that comes
// in three days.
func shifts(ctx context.Context, d *whole.Desk, people []desk.Actor, present time.Time) error {
	zone, err := time.LoadLocation("Europe/Oslo")
	if err != nil {
		return err
	}
	local := present.In(zone)
	at := func(days, hour int) time.Time {
		return time.Date(local.Year(), local.Month(), local.Day()+days, hour, 0, 0, 0, zone)
	}
	for _, x := range []struct {
		person      int
		from, until time.Time
		phone, note string
	}{
		{0, at(-14, 8), at(-7, 8), "", ""},
		{1, at(-7, 8), at(0, 8), "", ""},
		{2, at(0, 8), at(3, 18), "+44 1632 960 099", "The duty phone, in the harbour office at Gannetholm"},
		{0, at(4, 8), at(11, 8), "", ""},
		{1, at(11, 8), at(18, 8), "", ""},
		{2, at(18, 8), at(25, 8), "+44 1632 960 099", ""},
	} {
		who := people[x.person]
		if _, err := d.Rota.Add(ctx, who, rota.Shift{From: x.from, Until: x.until, Person: who.Email, Phone: x.phone,
			Note: x.note}); err != nil {
			return err
		}
	}
	return nil
}
