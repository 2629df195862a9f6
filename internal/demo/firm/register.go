// Package firm is Saltmarsh Ferries, an invented company, with its people, its invented vendors and what it has of
// them: the desk of the demo before any case is opened. Package demo plays the cases.
package firm

import (
	"context"
	"time"

	"roundhouse.example/internal/store/db"
	hoursdb "roundhouse.example/internal/store/hours"
	inboxdb "roundhouse.example/internal/store/inbox"
	registerdb "roundhouse.example/internal/store/register"

	"roundhouse.example/internal/desk/people"
	"roundhouse.example/internal/desk/whole"

	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/desk"
)

// Person is somebody of the demo who can sign in.
type Person struct {
	Name     string `json:"name"`
	Email    string `json:"email"`
	Role     string `json:"role"`
	Password string `json:"password"`
	Token    string `json:"token"`
}

// People are the demo's; their passwords are no secret.
func People() []Person {
	return []Person{
		{Name: "Ragna Lie", Email: "ragna@saltmarsh.example", Role: "handler", Password: "harbour-light-1"},
		{Name: "Emil Dahl", Email: "emil@saltmarsh.example", Role: "handler", Password: "harbour-light-2"},
		{Name: "Solveig Brandt", Email: "solveig@saltmarsh.example", Role: "lead", Password: "harbour-light-3"},
		{Name: "Aksel Rud", Email: "aksel@saltmarsh.example", Role: "auditor", Password: "harbour-light-4"},
		{Name: "Tuva Holm", Email: "tuva@saltmarsh.example", Role: "administrator", Password: "harbour-light-5"},
	}
}

type term struct {
	deadline string
	rank     int
	target   string
	calendar string
}

// vendorSpec is a vendor that was there from the beginning, with its first contract.
type vendorSpec struct {
	key, prefix                  string
	contract, onChange, whileOur string
}

func week(open string, days ...string) map[string][]string {
	out := map[string][]string{}
	for _, d := range days {
		out[d] = []string{open}
	}
	return out
}

var weekdays = []string{"mon", "tue", "wed", "thu", "fri"}

func calendars(year int) map[string]calendar.Definition {
	holidays := func(y int, days ...string) (out []string) {
		for _, d := range days {
			out = append(out, time.Date(y, 1, 1, 0, 0, 0, 0, time.UTC).Format("2006-")+d,
				time.Date(y+1, 1, 1, 0, 0, 0, 0, time.UTC).Format("2006-")+d)
		}
		return out
	}
	return map[string]calendar.Definition{
		"round-the-clock": {Always: true},
		"our-desk": {Zone: "Europe/Oslo", Week: week("08:00-16:00", weekdays...),
			Closed: holidays(year, "01-01", "05-01", "05-17", "12-25", "12-26")},
		"corvane-office": {Zone: "Atlantic/Reykjavik", Week: week("08:00-18:00", weekdays...),
			Closed: holidays(year, "01-01", "12-25")},
		"fathom-days": {Zone: "Asia/Kolkata", Week: week("09:30-18:30", "mon", "tue", "wed", "thu", "fri", "sat"),
			Closed: holidays(year, "01-26", "08-15")},
		"tallow-office": {Zone: "Pacific/Apia", Week: week("08:00-17:00", weekdays...),
			Closed: holidays(year, "01-01", "06-01", "12-25")},
	}
}

var vendors = []vendorSpec{
	{"corvane", "CV-", "CC-2231-P", "restart-if-raised", "pause"},
	{"ninefathom", "NF/", "NFN/SLK/0093", "restart", "run"},
	{"tallow", "TW/", "TW-C-7718", "keep", "pause"},
}

var ours = []term{
	{"our-answer", 1, "1h", "round-the-clock"}, {"our-answer", 2, "4h", "our-desk"}, {"our-answer", 3, "1bd", "our-desk"},
	{"our-answer", 4, "3bd", "our-desk"},
	{"verification", 1, "2h", "round-the-clock"}, {"verification", 2, "1bd", "our-desk"},
	{"verification", 3, "3bd", "our-desk"}, {"verification", 4, "5bd", "our-desk"},
}

// Register writes people, vendors, calendars, contracts and our own policy, as
// they were from an instant on. It returns the people with a token each.
func Register(ctx context.Context, d *whole.Desk, st *db.Store, from time.Time,
	link func(vendor string) (inboxdb.Link, error)) ([]Person, error) {
	list := People()
	for i, p := range list {
		row, err := d.People.Add(ctx, nil, people.NewPerson{Name: p.Name, Email: p.Email, Role: p.Role, Password: p.Password})
		if err != nil {
			return nil, err
		}
		if _, list[i].Token, err = d.People.AddToken(ctx, desk.Actor{Person: row}, "demo"); err != nil {
			return nil, err
		}
	}
	return list, st.Do(ctx, func(tx *db.Tx) error {
		ids := map[string]int64{}
		for name, def := range calendars(from.Year()) {
			c := hoursdb.Calendar{Name: name}
			if err := hoursdb.BeginCalendar(ctx, tx, &c, def, from); err != nil {
				return err
			}
			ids[name] = c.ID
		}
		rows := func(list []term) (out []hoursdb.Term) {
			for _, t := range list {
				id := ids[t.calendar]
				out = append(out, hoursdb.Term{Deadline: t.deadline, Rank: t.rank, Target: t.target, CalendarID: &id})
			}
			return out
		}
		policy := hoursdb.Terms{Version: 1, OnChange: "restart-if-raised", WhileOurs: "pause", MadeAt: from}
		if err := hoursdb.AddTerms(ctx, tx, &policy, rows(ours)); err != nil {
			return err
		}
		if err := hoursdb.AddPolicy(ctx, tx,
			hoursdb.DeskPolicy{TermsID: policy.ID, DeskName: "Saltmarsh Ferries", CalendarID: ids["our-desk"],
				Quiet1: "2h", Quiet2: "1bd", Quiet3: "3bd", Quiet4: "10bd",
				QuietCalm: "20bd", React1: "30m", React2: "2h", React3: "1bd", React4: "3bd"}); err != nil {
			return err
		}
		for _, v := range vendors {
			if err := addVendor(ctx, tx, v, ids, from, link); err != nil {
				return err
			}
		}
		return nil
	})
}

func addVendor(ctx context.Context, tx *db.Tx, v vendorSpec, calendars map[string]int64, from time.Time,
	link func(string) (inboxdb.Link, error)) error {
	p, err := Pack(v.key)
	if err != nil {
		return err
	}
	facts := p.Vendor
	row := registerdb.Vendor{Key: facts.Key, Name: facts.Name, Does: facts.Does, Zone: facts.Zone,
		HoursID: calendars[facts.Hours], ReferencePrefix: v.prefix, CreatedAt: from}
	if err := registerdb.AddVendor(ctx, tx, &row); err != nil {
		return err
	}
	for i, l := range facts.Levels {
		x := registerdb.Level{VendorID: row.ID, Rank: i + 1, Label: l.Label, Meaning: l.Meaning,
			RoundTheClock: l.RoundTheClock, Severities: l.Severities}
		for _, c := range l.Criteria {
			x.Criteria = append(x.Criteria, registerdb.Criterion{Text: c})
		}
		if err := registerdb.AddLevel(ctx, tx, &x); err != nil {
			return err
		}
	}
	day := from.Truncate(24 * time.Hour)
	k := registerdb.Contract{VendorID: row.ID, Number: v.contract, StartsOn: day.AddDate(-1, 0, 0),
		EndsOn: day.AddDate(1, 3, 0)}
	if err := registerdb.AddContract(ctx, tx, &k); err != nil {
		return err
	}
	var terms []hoursdb.Term
	for _, t := range facts.UsualTerms {
		x := hoursdb.Term{Deadline: t.Deadline, Rank: t.Level, Target: t.Target, Kind: t.Kind, Channel: t.Channel,
			Country: t.Country}
		if id, there := calendars[t.Calendar]; there {
			x.CalendarID = &id
		}
		terms = append(terms, x)
	}
	t := hoursdb.Terms{ContractID: &k.ID, Version: 1, OnChange: v.onChange, WhileOurs: v.whileOur, MadeAt: from}
	if err := hoursdb.AddTerms(ctx, tx, &t, terms); err != nil {
		return err
	}
	l, err := link(v.key)
	if err != nil {
		return err
	}
	l.Name, l.Kind = v.key, route.API
	if err := inboxdb.AddLink(ctx, tx, &l); err != nil {
		return err
	}
	return inboxdb.Serve(ctx, tx, l.ID, row.ID)
}
