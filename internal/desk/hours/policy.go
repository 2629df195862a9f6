package hours

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"

	"roundhouse.example/internal/store/db"
	hoursdb "roundhouse.example/internal/store/hours"
	inboxdb "roundhouse.example/internal/store/inbox"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/desk"
)

// Beginning is what a desk is that begins with nothing.
type Beginning struct {
	Name string // "Our desk" where empty
	Zone string // of its office hours; UTC where empty
}

// ours is what a desk promises itself until it says otherwise: an answer and a
// check of a fix by severity, and when a case has been quiet for too long.
var ours = []register.Term{
	{Deadline: "our-answer", Level: 1, Target: "1h", Calendar: "round-the-clock"},
	{Deadline: "our-answer", Level: 2, Target: "4h", Calendar: "our-desk"},
	{Deadline: "our-answer", Level: 3, Target: "1bd", Calendar: "our-desk"},
	{Deadline: "our-answer", Level: 4, Target: "3bd", Calendar: "our-desk"},
	{Deadline: "verification", Level: 1, Target: "2h", Calendar: "round-the-clock"},
	{Deadline: "verification", Level: 2, Target: "1bd", Calendar: "our-desk"},
	{Deadline: "verification", Level: 3, Target: "3bd", Calendar: "our-desk"},
	{Deadline: "verification", Level: 4, Target: "5bd", Calendar: "our-desk"},
}

// FirstPolicy gives a desk that begins its hours and its policy.
func (d *Hours) FirstPolicy(ctx context.Context, tx *db.Tx, b Beginning) error {
	now := d.Now()
	ids, err := hoursdb.CalendarNames(ctx, tx, 0)
	if err != nil {
		return err
	}
	office := map[string][]string{}
	for _, day := range []string{"mon", "tue", "wed", "thu", "fri"} {
		office[day] = []string{"08:00-16:00"}
	}
	for name, def := range map[string]calendar.Definition{"round-the-clock": {Always: true},
		"our-desk": {Zone: b.Zone, Week: office}} {
		if ids[name] != 0 {
			continue
		}
		c := hoursdb.Calendar{Name: name}
		if err := hoursdb.BeginCalendar(ctx, tx, &c, def, now); err != nil {
			return err
		}
		ids[name] = c.ID
	}
	t := hoursdb.Terms{Version: 1, OnChange: "restart-if-raised", WhileOurs: "pause", MadeAt: now}
	if err := hoursdb.AddTerms(ctx, tx, &t, TermRows(ours, ids)); err != nil {
		return err
	}
	return hoursdb.AddPolicy(ctx, tx,
		hoursdb.DeskPolicy{TermsID: t.ID, DeskName: b.Name, CalendarID: ids["our-desk"], Quiet1: "2h", Quiet2: "1bd",
			Quiet3: "3bd", Quiet4: "10bd", QuietCalm: "20bd",
			React1: "30m", React2: "2h", React3: "1bd", React4: "3bd"})
}

// Policy is our own, with its version.
func (d *Hours) Policy(ctx context.Context, a desk.Actor) (register.Policy, int, error) {
	if err := a.May(access.Read); err != nil {
		return register.Policy{}, 0, err
	}
	return d.policyFacts(ctx, d.db.DB)
}

func (d *Hours) policyFacts(ctx context.Context, q db.Querier) (f register.Policy, version int, err error) {
	t, err := hoursdb.CurrentTerms(ctx, q, nil)
	if err != nil {
		return f, 0, err
	}
	p, err := hoursdb.Policy(ctx, q, t.ID)
	if err != nil {
		return f, 0, err
	}
	_, rows, err := hoursdb.TermsByID(ctx, q, t.ID)
	if err != nil {
		return f, 0, err
	}
	g, err := d.Compiled(ctx, q)
	if err != nil {
		return f, 0, err
	}
	cal, err := g.Calendar(ctx, q, p.CalendarID)
	if err != nil {
		return f, 0, err
	}
	f = register.Policy{DeskName: p.DeskName, Calendar: cal.Name, OnChange: t.OnChange, Quiet1: p.Quiet1,
		Quiet2: p.Quiet2, Quiet3: p.Quiet3, Quiet4: p.Quiet4, QuietCalm: p.QuietCalm,
		React1: p.React1, React2: p.React2, React3: p.React3, React4: p.React4, EmailLink: p.EmailLink}
	if f.Terms, err = d.TermsFrom(ctx, q, g, rows); err != nil {
		return f, 0, err
	}
	return f, t.Version, nil
}

// ChangePolicy writes a new version of our own policy. Cases keep the one they
// were filed under.
func (d *Hours) ChangePolicy(ctx context.Context, a desk.Actor, match int, patch []byte) error {
	if err := a.May(access.Vendors); err != nil {
		return err
	}
	_, err := desk.Once(ctx, d.Desk, func(tx *db.Tx) (int, error) {
		f, version, err := d.policyFacts(ctx, tx)
		if err != nil {
			return 0, err
		}
		if version != match {
			return 0, &desk.Stale{What: "policy"}
		}
		if err := desk.Merge(&f, patch); err != nil {
			return 0, err
		}
		calendars, err := hoursdb.CalendarNames(ctx, tx, 0)
		if err != nil {
			return 0, err
		}
		wrong := checkPolicy(f, calendars)
		if f.EmailLink != "" {
			if l, err := inboxdb.ByName(ctx, tx, f.EmailLink); err != nil && !errors.Is(err, db.ErrNotFound) {
				return 0, err
			} else if err != nil || l.Kind != route.Email {
				wrong = append(wrong, desk.Field{Name: "email_link",
					Detail: fmt.Sprintf("there is no email link %.60q: roundhouse link list shows the links", f.EmailLink)})
			}
		}
		if len(wrong) > 0 {
			return 0, &desk.Invalid{Fields: wrong}
		}
		next := hoursdb.Terms{Version: version + 1, OnChange: cmp.Or(f.OnChange, "restart-if-raised"), WhileOurs: "pause",
			MadeAt: d.Now()}
		err = hoursdb.AddTerms(ctx, tx, &next, TermRows(f.Terms, calendars))
		if db.Unique(err, "terms_contract_id_version_key") {
			return 0, &desk.Stale{What: "policy"}
		} else if err != nil {
			return 0, err
		}
		return 0, hoursdb.AddPolicy(ctx, tx,
			hoursdb.DeskPolicy{TermsID: next.ID, DeskName: f.DeskName, CalendarID: calendars[f.Calendar], Quiet1: f.Quiet1,
				Quiet2: f.Quiet2, Quiet3: f.Quiet3, Quiet4: f.Quiet4, QuietCalm: f.QuietCalm,
				React1: f.React1, React2: f.React2, React3: f.React3, React4: f.React4, EmailLink: f.EmailLink})
	})
	return err
}

func checkPolicy(f register.Policy, calendars map[string]int64) (wrong []desk.Field) {
	for _, x := range register.CheckTerms(f.Terms, true) {
		wrong = append(wrong, desk.Field{Name: x.Field, Detail: x.Detail})
	}
	add := func(field, format string, args ...any) {
		wrong = append(wrong, desk.Field{Name: field, Detail: fmt.Sprintf(format, args...)})
	}
	if f.DeskName == "" || len(f.DeskName) > register.MaxName {
		add("desk_name", "give the name of the desk, in at most %d characters", register.MaxName)
	}
	if _, there := calendars[f.Calendar]; !there {
		add("calendar", "there is no calendar %.60q", f.Calendar)
	}
	wrong = append(wrong, UnknownCalendars(f.Terms, calendars)...)
	if !slices.Contains([]string{"", "restart", "keep", "restart-if-raised"}, f.OnChange) {
		add("on_change", "%.40q is not known; use restart, keep or restart-if-raised", f.OnChange)
	}
	long := func(field, target, what string) {
		t, err := calendar.ParseTarget(target)
		switch {
		case err != nil:
			add(field, "%s", err)
		case t.None || !t.Business && t.Seconds == 0:
			add(field, "give the longest time that %s", what)
		}
	}
	const quiet, react = "a case may be quiet", "a case may go without a reaction before the leads are told"
	for i, q := range []string{f.Quiet1, f.Quiet2, f.Quiet3, f.Quiet4} {
		long(fmt.Sprintf("quiet_%d", i+1), q, quiet)
	}
	for i, r := range []string{f.React1, f.React2, f.React3, f.React4} {
		long(fmt.Sprintf("react_%d", i+1), r, react)
	}
	if f.QuietCalm != "" { // else as the severity says
		long("quiet_calm", f.QuietCalm, quiet)
	}
	return wrong
}
