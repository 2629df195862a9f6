package rehearse

import (
	"context"
	"errors"
	"fmt"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/severity"
	"roundhouse.example/internal/demo/firm"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/drafts"
	"roundhouse.example/internal/desk/whole"
	"roundhouse.example/internal/standin"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	inboxdb "roundhouse.example/internal/store/inbox"
	outboxdb "roundhouse.example/internal/store/outbox"
	registerdb "roundhouse.example/internal/store/register"
)

// Stage is a desk on which one scenario is played, with a clock and simulated vendors of its own. Use Set.
type Stage struct {
	Scenario Scenario
	Clock    *Clock
	People   []firm.Person  // the first one is the handler who practises
	Zone     *time.Location // of our own hours

	cast     *standin.Standin
	desk     *whole.Desk
	db       *db.Store
	handler  desk.Actor
	helper   desk.Actor // writes the notes of the script
	vendor   registerdb.Vendor
	link     int64
	expected int // the severity that the facts ask for

	caseID    int64 // 0 until there is one
	reference string
	next      int       // of the script, the next line
	since     time.Time // when the line before was done
	done      []happened
}

// happened is a line of the script, and when it was done.
type happened struct {
	at   time.Time
	line Line
}

// Cast are simulated vendors that do nothing but what a script says.
func Cast(clock *Clock) (*standin.Standin, error) {
	return standin.New(standin.Options{Now: clock.Now, Manner: "mute"})
}

// Set furnishes an empty desk for a scenario, whose simulated vendors answer at host:port already, and files its case.
// The clock stands until it is started.
func Set(ctx context.Context, s Scenario, clock *Clock, cast *standin.Standin, vendors string, d *whole.Desk,
	st *db.Store) (*Stage, error) {
	x := &Stage{Scenario: s, Clock: clock, cast: cast, desk: d, db: st}
	grade, err := severity.For(s.Case.Kind, s.Case.Facts)
	if err != nil {
		return nil, err
	}
	x.expected = int(grade.Level)
	x.People, err = firm.Register(ctx, d, st, s.Begins.AddDate(0, 0, -180), func(vendor string) (inboxdb.Link, error) {
		timeout := time.Duration(float64(10*time.Second) * max(1, clock.Speed)) // sending takes real time
		raw, err := standin.Description(timeout, 2*timeout)
		l := inboxdb.Link{Address: "http://" + vendors + "/" + vendor}
		l.Description.V = raw
		return l, err
	})
	if err != nil {
		return nil, err
	}
	all, err := firm.Furnish(ctx, d, st, x.People, s.Begins)
	if err != nil {
		return nil, err
	}
	x.handler, x.helper = all[0], all[1]
	if x.vendor, err = registerdb.VendorByKey(ctx, st.DB, s.Vendor); err != nil {
		return nil, err
	}
	if x.Zone, err = d.Hours.Zone(ctx, st.DB); err != nil {
		return nil, err
	}
	links, err := inboxdb.LinksOf(ctx, st.DB, x.vendor.ID)
	if err != nil {
		return nil, err
	}
	if len(links) == 0 {
		return nil, fmt.Errorf("%s has no link", s.Vendor)
	}
	x.link = links[0].ID
	clock.Jump(s.Begins)
	if s.Case.FileWithin != "" {
		return x, nil
	}
	return x, x.file(ctx)
}

func facts(s Scenario) casesdb.Facts {
	f := s.Case.Facts
	return casesdb.Facts{Environment: f.Environment, Effect: f.Effect, Reach: f.Reach, Workaround: f.Workaround,
		Exposure: f.Exposure}
}

// file opens the case and files it, as the handler who practises.
func (x *Stage) file(ctx context.Context) error {
	m := x.Scenario.Case
	n := drafts.Draft{Vendor: x.Scenario.Vendor, Title: m.Title, Kind: m.Kind, Facts: facts(x.Scenario),
		Answers: m.Answers, Texts: casesdb.Texts{Happened: m.Happened, Expected: m.Expected, Affected: m.Asset,
			Since: m.Since, Contact: x.handler.Reach()}}
	if x.expected == 1 {
		n.Texts.ContactAlways = x.handler.Reach()
	}
	if m.Asset != "" {
		id, err := registerdb.ThingNamed(ctx, x.db.DB, registerdb.Assets, x.vendor.ID, m.Asset)
		if err != nil {
			return fmt.Errorf("the scenario's asset %q: %w", m.Asset, err)
		}
		n.Asset = &id
	}
	ref, err := x.desk.Drafts.Open(ctx, x.handler, n)
	if err != nil {
		return fmt.Errorf("opening the scenario's case: %w", err)
	}
	v, err := x.desk.Pages.Case(ctx, x.handler, ref.ID)
	if err != nil {
		return err
	}
	steps := []cases.StepRequest{}
	if v.Level != nil {
		for _, c := range v.Level.Criteria {
			steps = append(steps, cases.StepRequest{Step: casework.Confirm, Criterion: c.ID})
		}
	}
	for _, step := range append(steps, cases.StepRequest{Step: casework.File}) {
		c, err := casesdb.ByID(ctx, x.db.DB, ref.ID)
		if err != nil {
			return err
		}
		if _, err := x.desk.Cases.Step(ctx, x.handler, ref.ID, c.Version, step); err != nil {
			return fmt.Errorf("filing the scenario's case: %w", err)
		}
	}
	list, err := outboxdb.Open(ctx, x.db.DB, []int64{ref.ID})
	if err != nil {
		return err
	}
	for _, delivery := range list {
		err = errors.Join(err, x.desk.Outbox.Deliver(ctx, delivery.ID))
	}
	if err == nil && !x.found(ctx) {
		err = errors.New("the simulated vendor did not take the scenario's case")
	}
	return err
}

// found says whether the case is with the vendor, and remembers it.
func (x *Stage) found(ctx context.Context) bool {
	if x.caseID != 0 {
		return true
	}
	for _, job := range x.cast.Jobs(x.Scenario.Vendor) {
		if id, err := casesdb.ByReference(ctx, x.db.DB, x.vendor.ID, job.No); err == nil {
			x.caseID, x.reference, x.since = id, job.No, job.Logged
			return true
		}
	}
	return false
}
