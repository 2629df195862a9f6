// Package demo is the scenario that ships with Roundhouse: Saltmarsh Ferries, an
// invented company, with its invented vendors and half a year of their cases.
package demo

import (
	"context"
	"time"

	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/store"
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

type vendorSpec struct {
	store.Vendor
	hours    string
	levels   []store.Level
	contract string
	onChange string
	whileOur string
	terms    []term
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
			out = append(out, time.Date(y, 1, 1, 0, 0, 0, 0, time.UTC).Format("2006-")+d, time.Date(y+1, 1, 1, 0, 0, 0, 0, time.UTC).Format("2006-")+d)
		}
		return out
	}
	return map[string]calendar.Definition{
		"round-the-clock": {Always: true},
		"our-desk":        {Zone: "Europe/Oslo", Week: week("08:00-16:00", weekdays...), Closed: holidays(year, "01-01", "05-01", "05-17", "12-25", "12-26")},
		"corvane-office":  {Zone: "Atlantic/Reykjavik", Week: week("08:00-18:00", weekdays...), Closed: holidays(year, "01-01", "12-25")},
		"fathom-days":     {Zone: "Asia/Kolkata", Week: week("09:30-18:30", "mon", "tue", "wed", "thu", "fri", "sat"), Closed: holidays(year, "01-26", "08-15")},
		"tallow-office":   {Zone: "Pacific/Apia", Week: week("08:00-17:00", weekdays...), Closed: holidays(year, "01-01", "06-01", "12-25")},
	}
}

func vendors() []vendorSpec {
	return []vendorSpec{
		{
			Vendor: store.Vendor{Key: "corvane", Name: "Corvane Cloud", Does: "Hosting: machines, object store, private network", Zone: "Atlantic/Reykjavik", ReferencePrefix: "CV-"},
			hours:  "corvane-office", contract: "CC-2231-P", onChange: "by-direction", whileOur: "pause",
			levels: []store.Level{
				{Rank: 1, Label: "Alarm", Meaning: "A service that people depend on right now does not run at all.", RoundTheClock: true, Severities: []int{1},
					Criteria: []store.Criterion{{Text: "The service is out of use for a whole region or for all of our users"}, {Text: "We have ruled out our own last change"}}},
				{Rank: 2, Label: "Urgent", Meaning: "A service runs badly enough to stop work.", Severities: []int{2},
					Criteria: []store.Criterion{{Text: "Work is held up today"}}},
				{Rank: 3, Label: "Regular", Meaning: "Something is wrong, and work goes on.", Severities: []int{3}},
				{Rank: 4, Label: "Query", Meaning: "A question.", Severities: []int{4}},
				{Rank: 5, Label: "Wish", Meaning: "Something for a later release."},
			},
			terms: []term{
				{"first-response", 1, "30m", "round-the-clock"}, {"update", 1, "2h", "round-the-clock"}, {"workaround", 1, "8h", "round-the-clock"}, {"resolution", 1, "1d", "round-the-clock"},
				{"first-response", 2, "2h", "round-the-clock"}, {"update", 2, "8h", "corvane-office"}, {"resolution", 2, "3bd", "corvane-office"},
				{"first-response", 3, "4h", "corvane-office"}, {"update", 3, "2bd", "corvane-office"}, {"resolution", 3, "10bd", "corvane-office"},
				{"first-response", 4, "1bd", "corvane-office"}, {"first-response", 5, "none", "corvane-office"},
			},
		},
		{
			Vendor: store.Vendor{Key: "ninefathom", Name: "Nine Fathom Networks", Does: "Lines and radio links between harbours and ferries", Zone: "Asia/Kolkata", ReferencePrefix: "NF/"},
			hours:  "fathom-days", contract: "NFN/SLK/0093", onChange: "restart", whileOur: "run",
			levels: []store.Level{
				{Rank: 1, Label: "Circuit down", Meaning: "No traffic passes.", RoundTheClock: true, Severities: []int{1},
					Criteria: []store.Criterion{{Text: "The equipment at our end has power and was restarted"}}},
				{Rank: 2, Label: "Circuit poor", Meaning: "Traffic passes, with losses or delays.", Severities: []int{2, 3}},
				{Rank: 3, Label: "Advice", Meaning: "Questions and changes.", Severities: []int{4}},
			},
			terms: []term{
				{"first-response", 1, "15m", "round-the-clock"}, {"update", 1, "1h", "round-the-clock"}, {"resolution", 1, "4h", "round-the-clock"},
				{"first-response", 2, "2h", "fathom-days"}, {"update", 2, "1bd", "fathom-days"}, {"resolution", 2, "2bd", "fathom-days"},
				{"first-response", 3, "1bd", "fathom-days"},
			},
		},
		{
			Vendor: store.Vendor{Key: "tallow", Name: "Tallow & Wick Storage", Does: "Arrays and servers, with parts and visits", Zone: "Pacific/Apia", ReferencePrefix: "TW/"},
			hours:  "tallow-office", contract: "TW-C-7718", onChange: "keep", whileOur: "pause",
			levels: []store.Level{
				{Rank: 1, Label: "Grade I", Meaning: "Data cannot be reached.", RoundTheClock: true, Severities: []int{1},
					Criteria: []store.Criterion{{Text: "Data cannot be read or written"}, {Text: "No second copy can serve"}}},
				{Rank: 2, Label: "Grade II", Meaning: "Data can be reached, with reduced speed or safety.", Severities: []int{2}},
				{Rank: 3, Label: "Grade III", Meaning: "A part has failed and another carries it.", Severities: []int{3}},
				{Rank: 4, Label: "Grade IV", Meaning: "Questions, spare parts to stock.", Severities: []int{4}},
			},
			terms: []term{
				{"first-response", 1, "1h", "round-the-clock"}, {"update", 1, "4h", "round-the-clock"}, {"workaround", 1, "12h", "round-the-clock"}, {"resolution", 1, "2d", "round-the-clock"},
				{"first-response", 2, "4h", "tallow-office"}, {"update", 2, "1bd", "tallow-office"}, {"resolution", 2, "5bd", "tallow-office"},
				{"first-response", 3, "1bd", "tallow-office"}, {"update", 3, "3bd", "tallow-office"},
				{"first-response", 4, "2bd", "tallow-office"},
			},
		},
	}
}

var ours = []term{
	{"our-answer", 1, "1h", "round-the-clock"}, {"our-answer", 2, "4h", "our-desk"}, {"our-answer", 3, "1bd", "our-desk"}, {"our-answer", 4, "3bd", "our-desk"},
	{"verification", 1, "2h", "round-the-clock"}, {"verification", 2, "1bd", "our-desk"}, {"verification", 3, "3bd", "our-desk"}, {"verification", 4, "5bd", "our-desk"},
}

// Register writes people, vendors, calendars, contracts and our own policy, as
// they were from an instant on. It returns the people with a token each.
func Register(ctx context.Context, d *desk.Desk, from time.Time, link func(vendor string) (store.Link, error)) ([]Person, error) {
	people := People()
	for i, p := range people {
		row, err := d.AddPerson(ctx, nil, desk.NewPerson{Name: p.Name, Email: p.Email, Role: p.Role, Password: p.Password})
		if err != nil {
			return nil, err
		}
		if _, people[i].Token, err = d.AddToken(ctx, desk.Actor{Person: row}, "demo"); err != nil {
			return nil, err
		}
	}
	return people, d.Store.Do(ctx, func(tx *store.Tx) error {
		ids := map[string]int64{}
		for name, def := range calendars(from.Year()) {
			c := store.Calendar{Name: name}
			if err := store.BeginCalendar(ctx, tx, &c, def, from); err != nil {
				return err
			}
			ids[name] = c.ID
		}
		rows := func(list []term) (out []store.Term) {
			for _, t := range list {
				id := ids[t.calendar]
				out = append(out, store.Term{Deadline: t.deadline, Rank: t.rank, Target: t.target, CalendarID: &id})
			}
			return out
		}
		policy := store.Terms{Version: 1, OnChange: "by-direction", WhileOurs: "pause", MadeAt: from}
		if err := store.AddTerms(ctx, tx, &policy, rows(ours)); err != nil {
			return err
		}
		if err := store.AddPolicy(ctx, tx, store.DeskPolicy{TermsID: policy.ID, DeskName: "Saltmarsh Ferries", CalendarID: ids["our-desk"],
			Quiet1: "2h", Quiet2: "1bd", Quiet3: "3bd", Quiet4: "10bd"}); err != nil {
			return err
		}
		for _, v := range vendors() {
			if err := addVendor(ctx, tx, v, ids, from, rows(v.terms), link); err != nil {
				return err
			}
		}
		return nil
	})
}

func addVendor(ctx context.Context, tx *store.Tx, v vendorSpec, calendars map[string]int64, from time.Time, terms []store.Term, link func(string) (store.Link, error)) error {
	v.HoursID, v.CreatedAt = calendars[v.hours], from
	if err := store.AddVendor(ctx, tx, &v.Vendor); err != nil {
		return err
	}
	for _, l := range v.levels {
		l.VendorID = v.ID
		if err := store.AddLevel(ctx, tx, &l); err != nil {
			return err
		}
	}
	day := from.Truncate(24 * time.Hour)
	k := store.Contract{VendorID: v.ID, Number: v.contract, StartsOn: day.AddDate(-1, 0, 0), EndsOn: day.AddDate(1, 3, 0)}
	if err := store.AddContract(ctx, tx, &k); err != nil {
		return err
	}
	t := store.Terms{ContractID: &k.ID, Version: 1, OnChange: v.onChange, WhileOurs: v.whileOur, MadeAt: from}
	if err := store.AddTerms(ctx, tx, &t, terms); err != nil {
		return err
	}
	l, err := link(v.Key)
	if err != nil {
		return err
	}
	l.VendorID = v.ID
	return store.AddLink(ctx, tx, &l)
}
