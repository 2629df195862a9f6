package filing

import (
	"context"
	"errors"

	"roundhouse.example/internal/access"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	inboxdb "roundhouse.example/internal/store/inbox"
	registerdb "roundhouse.example/internal/store/register"

	"roundhouse.example/internal/core/severity"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/hours"
)

// Grading is the answer to "how bad is it, and what is that with them?".
type Grading struct {
	Supported severity.Grade
	Severity  severity.Level
	Warning   string
	Level     *registerdb.Level
	Targets   []TargetNow
}

// Grade computes without a case: the severity, the vendor's level, the targets for it.
func (d *Filing) Grade(ctx context.Context, a desk.Actor, vendor, kind string, facts casesdb.Facts,
	chosen *int) (Grading, error) {
	var g Grading
	if err := a.May(access.Read); err != nil {
		return g, err
	}
	grade, err := d.Supported(kind, facts)
	var fe *severity.FactError
	if errors.As(err, &fe) {
		return g, desk.Fault("facts."+fe.Field, "%s", fe.Problem)
	} else if err != nil {
		return g, err
	}
	g.Supported, g.Severity = grade, grade.Level
	if chosen != nil {
		g.Severity = severity.Level(*chosen)
		g.Warning = severity.Override(grade.Level, g.Severity)
	}
	if vendor == "" {
		return g, nil
	}
	v, err := registerdb.VendorByKey(ctx, d.db.DB, vendor)
	if errors.Is(err, db.ErrNotFound) {
		return g, desk.Fault("vendor", "there is no vendor %q; see the list of vendors", vendor)
	} else if err != nil {
		return g, err
	}
	levels, err := registerdb.Levels(ctx, d.db.DB, v.ID)
	if err != nil {
		return g, err
	}
	sev := int(g.Severity)
	about := &casesdb.Case{Severity: &sev}
	g.Level = levelFor(levels, about)
	if g.Level == nil {
		return g, nil
	}
	f := Case{about: about, Vendor: v, Level: g.Level}
	if f.Links, err = inboxdb.LinksOf(ctx, d.db.DB, v.ID); err != nil {
		return g, err
	}
	by := hours.By{Kind: kind}
	if routes := f.Routes(); len(routes) > 0 {
		by.Channel = routes[0].Kind
	}
	g.Targets, err = d.targets(ctx, v.ID, g.Level.Rank, by)
	return g, err
}

// Supported is the level that the facts of a case of a kind support, at the desk's time.
func (d *Filing) Supported(kind string, f casesdb.Facts) (severity.Grade, error) {
	facts := severity.Facts{Environment: f.Environment, Effect: f.Effect, Reach: f.Reach, Workaround: f.Workaround,
		Exposure: f.Exposure}
	if f.NeededBy != nil {
		h := f.NeededBy.Sub(d.Now()).Hours()
		facts.NeededWithinHours = &h
	}
	return severity.For(kind, facts)
}
