package out

import "time"

// Times writes instants for a reader, in the reader's zone.
type Times struct {
	Zone *time.Location
	Now  time.Time
}

// Short is an instant as a line of a table has it: the time of today, the day within a week, else the date; the month
// and the year where they are not plain. Empty for none.
func (x Times) Short(t *time.Time) string {
	if t == nil {
		return ""
	}
	at, now := t.In(x.Zone), x.Now.In(x.Zone)
	week := at.Sub(now).Abs() < 6*24*time.Hour
	switch {
	case at.Format(time.DateOnly) == now.Format(time.DateOnly):
		return at.Format("15:04")
	case week && at.Month() == now.Month():
		return at.Format("Mon 2, 15:04")
	case week:
		return at.Format("Mon 2 Jan, 15:04")
	case at.Year() == now.Year():
		return at.Format("2 Jan, 15:04")
	}
	return at.Format("2 Jan 2006, 15:04")
}

// Full is an instant to the second, with its date and without its zone, which a head line names.
func (x Times) Full(t time.Time) string { return t.In(x.Zone).Format("2 Jan 2006, 15:04:05") }

// Name is the zone as a head line names it.
func (x Times) Name() string {
	if x.Zone == time.Local {
		return x.Now.Format("MST")
	}
	return x.Zone.String()
}
