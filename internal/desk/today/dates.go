package today

import (
	"roundhouse.example/internal/core/attention"
	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/dated"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/desk"
	casesdb "roundhouse.example/internal/store/cases"
)

// coveredDay is one covered day of our hours, in seconds: what a date is late by is measured against it.
const coveredDay = 8 * 3600

// dateAsked is a live dated item of a case, with what Today says of it.
type dateAsked struct {
	item   dated.Item
	what   string
	person int64 // whose it is on our side; 0 for the desk
}

func dateOf(x casesdb.DatedItem) dateAsked {
	return dateAsked{dated.Item{Name: x.Name, Kind: x.Kind, Owed: x.Owed, Set: x.SetAt.Unix(), Due: x.DueAt.Unix()},
		x.Words, desk.Deref(x.PersonID)}
}

// at is the item at an instant, in the core's terms. Lateness counts in our own hours.
func (d *dateAsked) at(now int64, ours *calendar.Calendar) attention.Item {
	i := attention.Item{Name: d.item.Name, Kind: d.item.Kind, Owed: d.item.Owed, What: d.what,
		Due: d.item.Due, Day: coveredDay,
		Standing: d.item.Standing(now)}
	if i.Standing == deadline.Late {
		i.Over = ours.Span(d.item.Due, now)
	}
	return i
}
