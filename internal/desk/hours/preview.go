package hours

import (
	"context"
	"time"

	"roundhouse.example/internal/store/db"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/desk"
)

// Preview is what a target would mean in some hours, begun at an instant.
type Preview struct {
	Zone     string
	From     time.Time
	Due      *time.Time
	Problem  string // why there is no due
	Warning  string
	Windows  []calendar.Window // from the start on, for two weeks or until due
	OpenNow  bool
	OpenTill *time.Time
}

// Preview says when a target would fall due; an empty one only shows the hours.
func (d *Hours) Preview(_ context.Context, a desk.Actor, def calendar.Definition, target string,
	from *time.Time) (Preview, error) {
	var p Preview
	if err := a.May(access.Read); err != nil {
		return p, err
	}
	c, err := calendar.New(def)
	if err != nil {
		return p, desk.Fault("definition", "%s", err)
	}
	p.Zone, p.From = c.Location().String(), d.Now().Truncate(time.Second)
	if from != nil {
		p.From = from.UTC().Truncate(time.Second)
	}
	start := p.From.Unix()
	end := start + 14*86400
	if target != "" {
		t, err := calendar.ParseTarget(target)
		if err != nil {
			return p, desk.Fault("target", "%s", err)
		}
		p.Warning = t.Warning(c)
		if due, err := c.DueTarget(start, t); err != nil {
			p.Problem = err.Error()
		} else {
			p.Due = new(db.Instant(due))
			end = max(end, min(due, start+60*86400))
		}
	}
	p.Windows = c.Windows(start, end, 200)
	open, till, known := c.Open(start)
	if p.OpenNow = open; known {
		p.OpenTill = new(db.Instant(till))
	}
	return p, nil
}
