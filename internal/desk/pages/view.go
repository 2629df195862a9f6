package pages

import (
	"context"
	"slices"
	"time"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/attention"
	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/files"
	"roundhouse.example/internal/core/intake"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/core/severity"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/filing"
	"roundhouse.example/internal/desk/hours"
	"roundhouse.example/internal/desk/ladders"
	"roundhouse.example/internal/desk/record"
	"roundhouse.example/internal/desk/today"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	filesdb "roundhouse.example/internal/store/files"
	outagesdb "roundhouse.example/internal/store/outages"
	outboxdb "roundhouse.example/internal/store/outbox"
	registerdb "roundhouse.example/internal/store/register"
)

// Contact is who had a case at its vendor, and since when.
type Contact = casesdb.Contact

// View is everything a case's page shows besides the record.
type View struct {
	Line       today.CaseLine
	Filing     filing.Case
	References []Reference
	Outage     *outagesdb.Outage // of the vendor, that the case comes from; nil for none
	Allowed    []casework.Step
	Refused    []casework.Refused
	Needs      []intake.Need
	Pieces     []intake.Piece     // of a draft's description
	Promised   []filing.TargetNow // what filing a draft would start
	Deadlines  []record.DeadlineView
	Dates      []record.ItemView
	// Read is how far the person who asks has read it.
	Read       casesdb.Reading
	Contacts   []casesdb.Contact // at the vendor, the latest first
	Deliveries []outboxdb.Delivery
	Carried    map[int64]filing.Carried // of the deliveries that a person takes there
	Routes     []route.Route            // by which it can go, the usual one first
	// Files is what each of the routes takes of files, and Enclosed are the files of each delivery.
	Files    []files.Limit
	Enclosed map[int64][]filesdb.Enclosed
	// FilesDue are the files that the vendor wants with it and has not got.
	FilesDue  []string
	Confirmed []casesdb.Confirmed
	Level     *registerdb.Level
	Contract  *registerdb.Contract
	Supported *severity.Grade
	Warning   string
	Next      *attention.Line
	Advice    *ladders.Advice // nil while nothing is to be escalated
	// ReopenUntil is until when the vendor reopens it, nil where it has not ended or there is no limit.
	ReopenUntil *time.Time
	Zone        string
	VendorOpen  bool
	VendorTill  *time.Time
	Preview     string
	Asked       []Question
	Earlier     []Earlier // requests like this one
	Untold      []Untold
	// Hours are those of a draft's routes on which somebody has to be there, such as the phone.
	Hours map[route.Kind]Hours
	// Fitted is how a draft goes by each of its channels that does not take it as it is.
	Fitted map[route.Kind]intake.Fitted
	Now    time.Time
}

// Hours say whether somebody is there now, and until when that stays so.
type Hours struct {
	Open  bool
	Until *time.Time
}

// Untold is what was completed since the vendor was told last.
type Untold struct {
	Field, Label string
	Entry        int
}

// Earlier is a request for capacity that was made before.
type Earlier struct {
	Case   casesdb.Case
	Wanted string // the amounts, as the vendor read them
}

// Question is one field of the vendor's form, with its answer.
type Question struct {
	intake.Question
	Type    string
	Choices []string
	Given   bool // by a person, not by the register
}

// Find names a case by its number or any reference. One that the person does not see is not there.
func (d *Pages) Find(ctx context.Context, a desk.Actor, name string) (int64, error) {
	if err := a.May(access.Read); err != nil {
		return 0, err
	}
	id, err := casesdb.Find(ctx, d.db.DB, name)
	if err != nil {
		return 0, err
	}
	return id, d.seen(ctx, a, id)
}

// seen is db.ErrNotFound for a case that the person does not see.
func (d *Pages) seen(ctx context.Context, a desk.Actor, id int64) error {
	g := a.Grant()
	if g.Vendors == nil {
		return nil
	}
	vendor, err := casesdb.VendorOf(ctx, d.db.DB, id)
	if err == nil && !g.SeesVendor(vendor) {
		err = db.ErrNotFound
	}
	return err
}

// Case is a case whole, all of it as it stood at one instant: what is on its way and the
// state that its arrival brings are never seen apart.
func (d *Pages) Case(ctx context.Context, a desk.Actor, id int64) (v View, err error) {
	if err := a.May(access.Read); err != nil {
		return v, err
	}
	return d.read(ctx, a, id, false)
}

// Saved is a case after a change of its head. Of a draft it does not say what filing it would start: that is asked for
// when the case is read, not whenever somebody types.
func (d *Pages) Saved(ctx context.Context, a desk.Actor, id int64) (v View, err error) {
	if err := a.May(access.Read); err != nil {
		return v, err
	}
	return d.read(ctx, a, id, true)
}

func (d *Pages) read(ctx context.Context, a desk.Actor, id int64, brief bool) (v View, err error) {
	ctx = hours.Remember(ctx)
	err = d.db.Snapshot(ctx, func(q db.Querier) error {
		v, err = d.at(ctx, q, a, id, brief)
		return err
	})
	return v, err
}

// at puts the page together from what q sees.
func (d *Pages) at(ctx context.Context, q db.Querier, a desk.Actor, id int64, brief bool) (View, error) {
	var v View
	row, err := casesdb.RowByID(ctx, q, id)
	if err == nil && !a.Grant().SeesVendor(row.VendorID) {
		err = db.ErrNotFound
	}
	if err != nil {
		return v, err
	}
	g, err := d.hours.Compiled(ctx, q)
	if err != nil {
		return v, err
	}
	live, err := d.today.LiveOf(ctx, q, g, []casesdb.Row{row})
	if err != nil {
		return v, err
	}
	now := d.Now()
	v.Line = d.today.Line(row, live, now.Unix())
	c := &row.Case
	if v.Filing, err = d.filing.Prepare(ctx, q, c); err != nil {
		return v, err
	}
	v.Level, v.Contract, v.Confirmed = v.Filing.Level, v.Filing.Contract, v.Filing.Confirmed
	if v.Filing.GradeErr == nil {
		v.Supported = &v.Filing.Grade
		if c.Severity != nil {
			v.Warning = severity.Override(v.Filing.Grade.Level, severity.Level(*c.Severity))
		}
	}
	if v.Deliveries, err = outboxdb.Open(ctx, q, []int64{id}); err != nil {
		return v, err
	}
	v.Now = now
	if c.State == casework.Draft {
		err = d.drafted(ctx, q, c, &v, brief)
	} else if c.State.Live() {
		err = d.described(ctx, q, c, &v)
	}
	if err != nil {
		return v, err
	}
	if err := d.known(ctx, q, &v, c, live.References); err != nil {
		return v, err
	}
	if v.Carried, err = d.filing.Carried(ctx, q, c, v.Filing.Vendor, v.Deliveries, v.Line.Reference); err != nil {
		return v, err
	}
	if v.Routes, err = routes(ctx, q, c, &v.Filing, live.References); err != nil {
		return v, err
	}
	if err := d.withFiles(ctx, q, a, c, &v); err != nil {
		return v, err
	}
	if c.State == casework.Draft {
		if v.Hours, err = d.hoursOf(ctx, q, g, c, &v); err != nil {
			return v, err
		}
	}
	if a.May(access.Work) == nil {
		now := cases.SituationOf(c, v.Deliveries)
		now.Mine = c.OwnerID != nil && *c.OwnerID == a.ID
		v.Allowed, v.Refused = casework.Allowed(now), casework.NotAllowed(now)
	}
	if err := d.watched(ctx, q, a, g, c, &v); err != nil {
		return v, err
	}
	v.VendorOpen, v.VendorTill, err = d.hours.OpenNow(ctx, q, g, v.Filing.Vendor)
	return v, err
}

// watched adds a case's deadlines, and what needs doing next. A draft has neither, but for what of it waits to be sent.
func (d *Pages) watched(ctx context.Context, q db.Querier, a desk.Actor, g *hours.Compiled, c *casesdb.Case,
	v *View) error {
	p, err := g.Policy(ctx, q, 0)
	if err != nil {
		return err
	}
	v.Zone, v.ReopenUntil = p.Hours.Latest().Location().String(), cases.ReopenUntil(c, v.Filing.Vendor)
	if c.State == casework.Draft && len(v.Deliveries) == 0 {
		return nil
	}
	if v.Deadlines, err = d.record.Explained(ctx, q, c, v.Now); err != nil {
		return err
	}
	if v.Read, err = casesdb.ReadBy(ctx, q, a.ID, c.ID); err != nil {
		return err
	}
	if v.Contacts, err = casesdb.Contacts(ctx, q, c.ID); err != nil {
		return err
	}
	if v.Dates, err = d.record.Items(ctx, q, c.ID, v.Now); err != nil {
		return err
	}
	ours := p.Hours.At(v.Now.Unix())
	lateness(v.Dates, ours, v.Now)
	if v.Advice, err = ladders.Advised(ctx, q, d.hours, g, c, v.Filing.Vendor); err != nil {
		return err
	}
	pressing := casesdb.PressingOf(c)
	pressing.Asks = true
	v.Next, err = d.today.LineAt(ctx, q, g, pressing, ours, v.Now)
	v.Advice.NameIn(v.Next)
	return err
}

// lateness says by how much dates are late at an instant, in our own hours.
func lateness(list []record.ItemView, ours *calendar.Calendar, at time.Time) {
	for i := range list {
		if x := &list[i]; x.Standing == deadline.Late {
			x.Late = ours.Span(x.DueAt.Unix(), at.Unix())
		}
	}
}

// drafted adds what only a draft shows: what it is asked, what it lacks, how it reads, what filing it starts.
func (d *Pages) drafted(ctx context.Context, q db.Querier, c *casesdb.Case, v *View, brief bool) error {
	v.asked(c)
	v.Needs, v.Preview = intake.Missing(v.Filing.Story), intake.Compose(v.Filing.Story)
	v.Fitted = map[route.Kind]intake.Fitted{}
	for _, r := range v.Filing.Routes() {
		f := intake.Fit(v.Filing.Vendor.Profile.V.LimitOf(r.Kind), c.Title, v.Preview)
		if f.Changed(c.Title, v.Preview) {
			v.Fitted[r.Kind] = f
		}
	}
	var err error
	if v.Earlier, err = earlier(ctx, q, c, v.Filing.Vendor.Profile.V); err != nil || brief {
		return err
	}
	v.Promised, err = d.filing.Promised(ctx, q, &v.Filing, c.Kind)
	return err
}

// asked shows what the description can have, and what the vendor's form asks.
func (v *View) asked(c *casesdb.Case) {
	for i, x := range v.Filing.Vendor.Profile.V.Asks(c.Kind) {
		v.Asked = append(v.Asked, Question{v.Filing.Story.Asked[i], x.Type, v.Filing.Choices(x), c.Answers.V[x.Key] != ""})
	}
	v.Pieces = intake.Pieces(v.Filing.Story)
}

// described adds to a live case what its description still lacks, and what of it the vendor has not been told.
func (d *Pages) described(ctx context.Context, q db.Querier, c *casesdb.Case, v *View) error {
	if err := d.filing.Describe(ctx, q, &v.Filing, c); err != nil {
		return err
	}
	v.asked(c)
	v.Needs = slices.DeleteFunc(intake.Missing(v.Filing.Story), func(n intake.Need) bool { return n.Points == 0 })
	for _, field := range filing.Untold(c, v.Deliveries) {
		v.Untold = append(v.Untold, Untold{field, intake.FieldLabel(v.Filing.Story, field), c.Untold.V[field]})
	}
	return nil
}

// hoursOf are a draft's hours of the phone and the chat, where they have their own.
func (d *Pages) hoursOf(ctx context.Context, q db.Querier, g *hours.Compiled, c *casesdb.Case,
	v *View) (map[route.Kind]Hours, error) {
	out := map[route.Kind]Hours{}
	for _, r := range v.Routes {
		ways := v.Filing.Vendor.Profile.V.WaysBy(r.Kind, c.Urgent())
		if r.Automatic() || r.Kind != route.Phone && r.Kind != route.Chat || len(ways) == 0 || ways[0].Calendar == "" {
			continue
		}
		open, until, err := d.hours.OpenBy(ctx, q, g, c.VendorID, ways[0].Calendar)
		if err != nil {
			return nil, err
		}
		if until != nil {
			out[r.Kind] = Hours{open, until}
		}
	}
	return out, nil
}

// earlierRequests is how many are shown.
const earlierRequests = 5

// earlier are the requests for capacity before a draft that asks for some.
func earlier(ctx context.Context, q db.Querier, c *casesdb.Case, vendor register.Vendor) (out []Earlier, err error) {
	if c.Kind != "capacity" {
		return nil, nil
	}
	list, err := casesdb.Earlier(ctx, q, c, earlierRequests)
	for _, e := range list {
		x := Earlier{Case: e}
		for _, f := range vendor.Asks(e.Kind) {
			if amounts, ok := f.Amounts(e.Answers.V[f.Key]); ok {
				x.Wanted = intake.Told(amounts)
			}
		}
		out = append(out, x)
	}
	return out, err
}

// routes are the ways by which a case can go, the usual one first, with where an email goes.
func routes(ctx context.Context, q db.Querier, c *casesdb.Case, f *filing.Case,
	refs []casesdb.Reference) ([]route.Route, error) {
	out := f.Routes()
	if c.State != casework.Draft {
		sent, err := outboxdb.Of(ctx, q, c.ID)
		if err != nil {
			return nil, err
		}
		out = filing.Ways(c.Urgent(), f.Vendor, f.Links, refs, sent)
	}
	for i, r := range out {
		if r.Kind == route.Email && r.Automatic() {
			out[i].To = f.Vendor.Profile.V.EmailTo(c.Urgent())
		}
	}
	return out, nil
}
