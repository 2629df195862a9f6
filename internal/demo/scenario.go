package demo

import (
	"context"
	"fmt"
	"math/rand/v2"
	"sort"
	"strings"
	"time"

	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	inboxdb "roundhouse.example/internal/store/inbox"
	outboxdb "roundhouse.example/internal/store/outbox"
	peopledb "roundhouse.example/internal/store/people"
	registerdb "roundhouse.example/internal/store/register"

	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/people"
	"roundhouse.example/internal/desk/whole"

	"roundhouse.example/internal/channel"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/standin"
)

// matter is what a case is about.
type matter struct {
	vendor, title, onWhat, happened, expected string
	effect, reach, workaround                 string
	kind                                      string
}

var matters = []matter{
	{"corvane", "Region Ern loses its private address range", "Network ern-private-2", "Since the maintenance of last night machines in region Ern get addresses from the wrong range. Two services cannot see their database.", "Addresses from the range that is set.", "degraded", "many", "costly", "fault"},
	{"corvane", "Object store bills the retired region", "Account saltmarsh-prod", "The bill still lists 4.1 TB in region Vaag, which was emptied and retired in spring.", "Nothing billed for a retired region.", "inconvenient", "few", "acceptable", "money"},
	{"corvane", "Raise the message rate for storm notices", "Queue storm-notices", "At the last storm warning 8,000 messages waited for eleven minutes at the rate limit of 500 a minute.", "2,000 a minute from the first of the month.", "degraded", "many", "costly", "capacity"},
	{"corvane", "Snapshots of the timetable database take two hours", "Machine db-timetable-1", "The nightly snapshot that took nine minutes takes two hours since the first of the month.", "Minutes, as before.", "inconvenient", "many", "acceptable", "fault"},
	{"corvane", "Console signs people out every few minutes", "Account saltmarsh-prod", "Four of us are signed out of the hosting console every three to five minutes since this morning.", "A session that lasts a working day.", "inconvenient", "few", "acceptable", "fault"},
	{"corvane", "Certificate of the booking front is not renewed", "Front booking-eu", "The certificate runs out in six days and the automatic renewal answers with an internal error.", "Renewed thirty days ahead.", "inconvenient", "many", "costly", "fault"},
	{"ninefathom", "Radio link Ern-Vaag loses one packet in five", "Link RL-ERN-VAAG", "Loss of 18 to 22 per cent in both directions since the gale. Voice between the harbours cannot be understood.", "Loss under 0.1 per cent.", "degraded", "many", "none", "fault"},
	{"ninefathom", "No traffic on the line to Halsa pier", "Line L-0093-7", "The line went dark at low tide. Equipment at our end has power and was restarted.", "Traffic.", "stopped", "many", "costly", "fault"},
	{"ninefathom", "Which colour code for the new fibre at Ern?", "Site Ern harbour", "Our electrician asks which colour code applies to the pair that you lay in January.", "The table you use.", "none", "", "", "question"},
	{"ninefathom", "Jitter on ferry uplinks at the outer bank", "Uplinks of five ferries", "Between the outer bank and Vaag jitter rises to 140 ms, at every crossing.", "Below 30 ms as measured in summer.", "degraded", "few", "acceptable", "fault"},
	{"ninefathom", "Second address block for the Vaag office", "Site Vaag", "The office grows by nine desks in February and needs a further block of sixteen addresses.", "A block by the end of January.", "none", "", "", "capacity"},
	{"tallow", "Controller B restarts under snapshot load", "Array Halsa-2, TWS-40-0093187", "Controller B restarts when the second snapshot of an hour begins. Six times since Thursday.", "No restart.", "degraded", "many", "costly", "fault"},
	{"tallow", "Fan tray 2 reports wrong speed", "Array Halsa-1, TWS-40-0088021", "The tray says 0 turns and an alarm, while the fan can be heard.", "The speed it has.", "inconvenient", "few", "acceptable", "part"},
	{"tallow", "Spare shelf for Array Halsa-1", "Array Halsa-1, TWS-40-0088021", "We need a further shelf of twelve drives before the winter timetable.", "An offer and a date.", "none", "", "", "purchase"},
	{"tallow", "Write latency doubles every full hour", "Array Ern-1, TWS-40-0090455", "For four minutes from every full hour writes take 22 ms instead of 9.", "An even 9 ms.", "degraded", "many", "acceptable", "fault"},
	{"tallow", "Drive 14 failed and the spare did not take over", "Array Ern-1, TWS-40-0090455", "Drive 14 failed at 03:10. The hot spare stays idle.", "The spare takes over.", "degraded", "few", "none", "part"},
}

// act is one thing that happens in a case, so long after it was opened.
type act struct {
	after time.Duration
	what  string // file, auto, vendor, fix, workaround, carries-on, ours, note, accept, reject, resolve, close, park, level, they-close, grade, read
	text  string
}

var texts = map[string]string{
	"auto":       "This is an automatic message. We have received your request and will look at it in turn.",
	"vendor":     "Could you send us the event log of the hour in which it happened, and tell us whether anything was changed that day?",
	"carries-on": "I have what I need. The works are looking at it, and I will come back to you.",
	"ours":       "The log of that hour is below. Nothing was changed on our side that day, nor in the week before.",
	"note":       "The contractor was in the cabinet on Thursday and told nobody. Ask him before we blame them.",
	"fix":        "We have put a correction in. Please try it and tell us whether it works for you.",
	"workaround": "Until we have a correction: restart the collector every night, that keeps it going.",
	"grade":      "Handled at the level that our own assessment gives.",
	"they-close": "No further action is needed on our side. Closing.",
	"reject":     "The same again twenty minutes after the correction, with the same line in the log.",
}

const (
	minute = time.Minute
	hour   = time.Hour
	day    = 24 * time.Hour
)

// ended are the ways that past cases went.
var ended = [][]act{
	{{2 * minute, "file", ""}, {3 * minute, "auto", ""}, {70 * minute, "vendor", ""}, {2 * hour, "ours", ""}, {5 * hour, "carries-on", ""}, {26 * hour, "fix", ""}, {29 * hour, "accept", "Tried on the test system and then for a day in production."}, {30 * hour, "close", ""}},
	{{5 * minute, "file", ""}, {6 * minute, "auto", ""}, {27 * hour, "vendor", ""}, {28 * hour, "note", ""}, {30 * hour, "ours", ""}, {50 * hour, "workaround", ""}, {98 * hour, "fix", ""}, {100 * hour, "reject", ""}, {146 * hour, "fix", ""}, {170 * hour, "accept", "Holds since two nights."}, {171 * hour, "close", ""}},
	{{2 * minute, "file", ""}, {3 * minute, "auto", ""}, {3 * hour, "carries-on", ""}, {26 * hour, "resolve", "It was our own change of last week; taken back."}, {27 * hour, "close", ""}},
	{{10 * minute, "file", ""}, {11 * minute, "auto", ""}, {4 * hour, "vendor", ""}, {25 * hour, "ours", ""}, {30 * hour, "grade", ""}, {52 * hour, "they-close", ""}, {54 * hour, "resolve", "It has not come back."}, {54*hour + 5*minute, "close", ""}},
}

// going are the live ones: how long ago each was opened, at what severity, and
// what has happened since. Together they show every state and standing.
var going = []struct {
	ago    time.Duration
	matter int
	sev    int
	owner  int
	acts   []act
}{
	{100 * minute, 0, 2, 0, []act{{1 * minute, "file", ""}, {2 * minute, "auto", ""}}},
	{200 * minute, 7, 1, 2, []act{{2 * minute, "file", ""}, {3 * minute, "auto", ""}, {10 * minute, "carries-on", ""}}},
	{95 * hour, 11, 2, 0, []act{{2 * minute, "file", ""}, {3 * minute, "auto", ""}, {20 * hour, "vendor", ""}, {20*hour + 42*minute, "note", ""}, {21 * hour, "ours", ""}, {27 * hour, "carries-on", ""}}},
	{30 * hour, 6, 2, 1, []act{{2 * minute, "file", ""}, {3 * minute, "auto", ""}, {29 * hour, "vendor", ""}}},
	{6 * day, 1, 3, 1, []act{{9 * minute, "file", ""}, {10 * minute, "auto", ""}, {20 * hour, "vendor", ""}, {72 * hour, "they-close", ""}, {73 * hour, "read", ""}}},
	{5 * day, 3, 3, 0, []act{{9 * minute, "file", ""}, {10 * minute, "auto", ""}, {20 * hour, "carries-on", ""}, {96 * hour, "fix", ""}, {97 * hour, "read", ""}}},
	{40 * minute, 12, 3, 1, []act{{2 * minute, "file", ""}, {3 * minute, "auto", ""}}},
	{11 * day, 14, 3, 0, []act{{2 * minute, "file", ""}, {3 * minute, "auto", ""}, {30 * hour, "workaround", ""}, {31 * hour, "ours", ""}, {60 * hour, "park", "Waits for the change window of the winter timetable."}}},
	{9 * day, 9, 3, 2, []act{{2 * minute, "file", ""}, {3 * minute, "auto", ""}, {8 * hour, "vendor", ""}, {9 * hour, "ours", ""}, {50 * hour, "carries-on", ""}}},
	{26 * hour, 13, 4, 1, []act{{2 * minute, "file", ""}, {3 * minute, "auto", ""}}},
	{3 * day, 2, 2, 0, []act{{2 * minute, "file", ""}, {3 * minute, "auto", ""}, {90 * minute, "vendor", ""}, {2 * hour, "ours", ""}, {26 * hour, "grade", ""}, {28 * hour, "carries-on", ""}}},
	{12 * day, 10, 4, 1, []act{{2 * minute, "file", ""}, {3 * minute, "auto", ""}, {24 * hour, "vendor", ""}, {25 * hour, "ours", ""}}},
	{4 * day, 15, 2, 0, []act{{2 * minute, "file", ""}, {3 * minute, "auto", ""}, {4 * hour, "carries-on", ""}, {30 * hour, "fix", ""}, {33 * hour, "reject", ""}, {70 * hour, "carries-on", ""}}},
	{55 * minute, 5, 2, 2, []act{{2 * minute, "file", ""}, {3 * minute, "auto", ""}, {20 * minute, "vendor", ""}, {22 * minute, "read", ""}}},
	{2 * day, 8, 4, 1, []act{{2 * minute, "file", ""}, {3 * minute, "auto", ""}, {20 * hour, "vendor", ""}, {21 * hour, "ours", ""}, {22 * hour, "carries-on", ""}}},
	{7 * day, 4, 3, 1, []act{{2 * minute, "file", ""}, {3 * minute, "auto", ""}, {6 * hour, "vendor", ""}, {26 * hour, "ours", ""}, {40 * hour, "vendor", ""}, {50 * hour, "read", ""}}},
	{20 * hour, 14, 3, 0, []act{{2 * minute, "file", ""}, {3 * minute, "auto", ""}, {4 * hour, "carries-on", ""}}},
	{25 * minute, 3, 3, 0, nil}, // a draft
	{70 * minute, 7, 1, 1, nil}, // a draft that lacks much
	{15 * day, 12, 3, 0, []act{{2 * minute, "file", ""}, {3 * minute, "auto", ""}, {30 * hour, "carries-on", ""}, {5 * day, "fix", ""}, {6 * day, "accept", "The tray was changed."}}},
}

// stage is the world in which the past is played: its own clock, and a channel
// that answers as the vendors did.
type stage struct {
	d      *whole.Desk
	db     *db.Store
	now    time.Time
	people []desk.Actor
	cast   *standin.Standin
	seq    map[string]int64
	feed   map[string][]channel.Incoming
	number map[string]string
	links  map[string]int64
	refs   map[int64]string
	rnd    *rand.Rand
}

// Now is the time on the stage.
func (s *stage) Now() time.Time { return s.now }

// quiet is a queue that wakes nobody: on the stage, deliveries are made by hand.
type quiet struct{}

func (quiet) Deliver(context.Context, *db.Tx, int64) error { return nil }

// Play writes the scenario's cases into an empty desk as of a present instant,
// and gives the stand-in the jobs of those that are live.
func Play(ctx context.Context, st *db.Store, cast *standin.Standin, present time.Time, link func(vendor string) (inboxdb.Link, error)) ([]Person, error) {
	s := &stage{db: st, now: present.Add(-185 * day).Truncate(time.Second), cast: cast, seq: map[string]int64{}, feed: map[string][]channel.Incoming{},
		number: map[string]string{}, links: map[string]int64{}, refs: map[int64]string{}, rnd: rand.New(rand.NewPCG(20, 26))}
	s.d = whole.New(st, s, quiet{}, func(l inboxdb.Link) (desk.Channel, error) { return &player{s, l}, nil })
	staff, err := Register(ctx, s.d, st, s.now, link)
	if err != nil {
		return nil, err
	}
	for _, p := range staff[:3] {
		row, err := peopledb.ByEmail(ctx, s.db.DB, p.Email)
		if err != nil {
			return nil, err
		}
		s.people = append(s.people, desk.Actor{Person: row})
	}
	vendors, err := registerdb.Vendors(ctx, s.db.DB)
	if err != nil {
		return nil, err
	}
	var ids []int64
	for _, v := range vendors {
		ids = append(ids, v.ID)
	}
	links, err := inboxdb.LinksOf(ctx, s.db.DB, ids)
	if err != nil {
		return nil, err
	}
	for _, l := range links {
		v, err := registerdb.VendorByID(ctx, s.db.DB, l.VendorID)
		if err != nil {
			return nil, err
		}
		s.links[v.Key] = l.ID
	}
	lead, err := peopledb.ByEmail(ctx, s.db.DB, staff[2].Email)
	if err != nil {
		return nil, err
	}
	admin, err := peopledb.ByEmail(ctx, s.db.DB, staff[4].Email)
	if err != nil {
		return nil, err
	}
	phones := map[string]string{"Ragna Lie": "+44 1632 960 010", "Emil Dahl": "+44 1632 960 011", "Solveig Brandt": "+44 1632 960 012"}
	all, err := peopledb.All(ctx, s.db.DB)
	if err != nil {
		return nil, err
	}
	for _, p := range all {
		phone, zone, hours, languages := phones[p.Name], "Europe/Oslo", "07:00-15:00", "Norwegian, English"
		if phone == "" {
			continue
		}
		if _, err := s.d.People.Change(ctx, desk.Actor{Person: admin}, p.ID, p.Version, people.Edit{Phone: &phone, Zone: &zone, Hours: &hours, Languages: &languages}); err != nil {
			return nil, err
		}
	}
	if err := profiles(ctx, s.d, desk.Actor{Person: admin}, present); err != nil {
		return nil, err
	}
	if err := Things(ctx, s.d, s.db, desk.Actor{Person: lead}, present); err != nil {
		return nil, err
	}
	if err := terminals(ctx, s.d, desk.Actor{Person: admin}, desk.Actor{Person: lead}, present); err != nil {
		return nil, err
	}
	if err := newcomers(ctx, s.d, desk.Actor{Person: admin}, desk.Actor{Person: lead}, present); err != nil {
		return nil, err
	}
	if err := s.play(ctx, s.plan(present)); err != nil {
		return nil, err
	}
	return staff, s.carried(ctx, present)
}

// story is a case of the scenario from its opening on.
type story struct {
	matter matter
	sev    int
	owner  int
	opened time.Time
	acts   []act
	live   bool
	bare   bool
	caseID int64
	vendor string
}

type beat struct {
	at    time.Time
	story *story
	act   *act // nil opens it
}

func (s *stage) plan(present time.Time) []beat {
	var stories []*story
	for i := range 70 {
		opened := present.Add(-180*day + time.Duration(i)*57*hour + time.Duration(s.rnd.IntN(300))*minute)
		opened = opened.Truncate(day).Add(time.Duration(7*60+s.rnd.IntN(420)) * minute)
		for opened.Weekday() == time.Saturday || opened.Weekday() == time.Sunday {
			opened = opened.Add(day)
		}
		if present.Sub(opened) < 9*day {
			continue
		}
		stories = append(stories, &story{matter: matters[(i*5+i/3)%len(matters)], sev: 2 + (i*7%5+1)/2, owner: i % 3, opened: opened, acts: ended[i%len(ended)]})
	}
	for _, g := range going {
		stories = append(stories, &story{matter: matters[g.matter], sev: g.sev, owner: g.owner, opened: present.Add(-g.ago).Truncate(time.Second), acts: g.acts, live: true, bare: g.ago == 70*minute})
	}
	var beats []beat
	for _, st := range stories {
		st.sev = min(st.sev, 4)
		beats = append(beats, beat{st.opened, st, nil})
		for i := range st.acts {
			beats = append(beats, beat{st.opened.Add(st.acts[i].after), st, &st.acts[i]})
		}
	}
	sort.SliceStable(beats, func(i, j int) bool { return beats[i].at.Before(beats[j].at) })
	return beats
}

func (s *stage) play(ctx context.Context, beats []beat) error {
	for _, b := range beats {
		if b.at.After(s.now) {
			s.now = b.at
		}
		var err error
		if b.act == nil {
			err = s.open(ctx, b.story)
		} else {
			err = s.do(ctx, b.story, b.act)
		}
		if err != nil {
			return fmt.Errorf("the demo's case %q, %v: %w", b.story.matter.title, b.act, err)
		}
	}
	return nil
}

func (s *stage) open(ctx context.Context, st *story) error {
	m := st.matter
	st.vendor = m.vendor
	n := cases.Draft{Vendor: m.vendor, Title: m.title, Kind: m.kind, Ticket: fmt.Sprintf("IT-%d", 5200+s.rnd.IntN(700)),
		Facts: casesdb.Facts{Environment: "production", Effect: m.effect, Reach: m.reach, Workaround: m.workaround},
		Texts: casesdb.Texts{Happened: m.happened, Expected: m.expected, OnWhat: m.onWhat, Since: st.opened.Add(-40 * minute).Format("2 January, 15:04 UTC"),
			Contact: s.people[st.owner].Name + ", +44 1632 960 0" + fmt.Sprint(10+st.owner)}}
	v, err := registerdb.VendorByKey(ctx, s.db.DB, m.vendor)
	if err != nil {
		return err
	}
	words := append(strings.Split(m.onWhat, ", "), strings.Fields(m.onWhat)...)
	n.Asset = mentioned(ctx, s.db.DB, v.ID, words)
	// What the register does not answer by itself.
	known := map[string]map[string]string{"corvane": {"tenant": "saltmarsh-prod", "wanted": "2000"}, "ninefathom": {"line": m.onWhat, "restarted": "yes"}, "tallow": {"part": m.onWhat}}[m.vendor]
	n.Answers = map[string]string{}
	for _, x := range v.Profile.V.Asks(m.kind) {
		if answer := known[x.Key]; answer != "" {
			n.Answers[x.Key] = answer
		}
	}
	if n.Asset == nil && m.vendor == "tallow" {
		n.Answers["serial"] = "none yet"
	}
	if st.bare {
		n.Answers = nil
		n.Texts, n.Facts = casesdb.Texts{OnWhat: m.onWhat}, casesdb.Facts{Environment: "production", Effect: m.effect}
	} else if g, err := s.d.Filing.Grade(ctx, "", "", n.Facts, nil); err == nil && int(g.Severity) != st.sev {
		sev := st.sev
		n.Severity, n.SeverityReason = &sev, "Agreed with the harbour master."
	}
	if st.sev == 1 && !st.bare {
		n.Texts.ContactAlways = s.people[st.owner].Name + ", +44 1632 960 099"
	}
	ref, err := s.d.Cases.Open(ctx, s.people[st.owner], n)
	st.caseID = ref.ID
	return err
}

func (s *stage) do(ctx context.Context, st *story, a *act) error {
	text := a.text
	if text == "" {
		text = texts[a.what]
	}
	who := s.people[st.owner]
	step := func(r cases.StepRequest) error {
		c, err := casesdb.ByID(ctx, s.db.DB, st.caseID)
		if err != nil {
			return err
		}
		if _, err := s.d.Cases.Step(ctx, who, st.caseID, c.Version, r); err != nil {
			return err
		}
		return s.deliver(ctx, st)
	}
	switch a.what {
	case "file":
		if err := s.attest(ctx, st, who); err != nil {
			return err
		}
		return step(cases.StepRequest{Step: casework.File})
	case "accept":
		return step(cases.StepRequest{Step: casework.AcceptFix, Reason: text, Cause: "On the vendor's side; corrected there."})
	case "reject":
		return step(cases.StepRequest{Step: casework.RejectFix, Reason: text})
	case "resolve":
		return step(cases.StepRequest{Step: casework.Resolve, Reason: text})
	case "close":
		return step(cases.StepRequest{Step: casework.Close})
	case "park":
		until := s.now.Add(12 * day)
		return step(cases.StepRequest{Step: casework.Park, Reason: text, Until: &until, Agreed: true})
	case "note":
		_, err := s.d.Cases.AddNote(ctx, who, st.caseID, text)
		return err
	case "ours":
		if _, err := s.d.Cases.Send(ctx, who, st.caseID, text, "", "", nil); err != nil {
			return err
		}
		return s.deliver(ctx, st)
	case "read":
		c, err := casesdb.ByID(ctx, s.db.DB, st.caseID)
		if err != nil {
			return err
		}
		return s.d.Cases.MarkRead(ctx, who, st.caseID, c.LastEntry)
	}
	return s.vendorActs(ctx, st, a.what, text, who)
}

func (s *stage) attest(ctx context.Context, st *story, who desk.Actor) error {
	v, err := s.d.Cases.Case(ctx, who, st.caseID)
	if err != nil || v.Level == nil {
		return err
	}
	for _, c := range v.Level.Criteria {
		row, err := casesdb.ByID(ctx, s.db.DB, st.caseID)
		if err != nil {
			return err
		}
		if _, err := s.d.Cases.Step(ctx, who, st.caseID, row.Version, cases.StepRequest{Step: cases.Attest, Criterion: c.ID}); err != nil {
			return err
		}
	}
	return nil
}

func (s *stage) deliver(ctx context.Context, st *story) error {
	list, err := outboxdb.Open(ctx, s.db.DB, []int64{st.caseID})
	if err != nil {
		return err
	}
	for _, x := range list {
		if err := s.d.Outbox.Deliver(ctx, x.ID); err != nil {
			return err
		}
	}
	if st.live && s.refs[st.caseID] != "" {
		return nil
	}
	refs, err := casesdb.References(ctx, s.db.DB, []int64{st.caseID})
	for _, r := range refs {
		if r.Whose == "vendor" && st.live {
			s.refs[st.caseID] = r.Value
			house := standin.Houses[houseIndex(st.vendor)]
			err = s.cast.Seed(st.vendor, standin.Job{No: r.Value, Subject: st.matter.title, Story: st.matter.happened, Grade: house.Grades[min(st.sev, len(house.Grades))-1],
				Stage: "in hand", Logged: s.now, Since: s.now, Manner: "patient"})
		}
	}
	return err
}

func houseIndex(key string) int {
	for i, h := range standin.Houses {
		if h.Key == key {
			return i
		}
	}
	return 0
}

func (s *stage) vendorActs(ctx context.Context, st *story, what, text string, who desk.Actor) error {
	refs, err := casesdb.References(ctx, s.db.DB, []int64{st.caseID})
	if err != nil {
		return err
	}
	house := standin.Houses[houseIndex(st.vendor)]
	e := channel.Incoming{Kind: channel.Message, At: s.now, Text: text, Author: house.People[int(st.caseID)%len(house.People)]}
	for _, r := range refs {
		if r.Whose == "vendor" {
			e.Ticket = r.Value
		}
	}
	s.seq[st.vendor]++
	e.Key = fmt.Sprintf("before-%d", s.seq[st.vendor])
	switch what {
	case "auto":
		e.Automatic, e.Author, e.Word = true, "Service desk", "logged"
	case "vendor":
		e.Word, e.Move = "waiting on you", "ours"
	case "carries-on":
		e.Word, e.Move = "with the works", "theirs"
	case "fix":
		e.Offers, e.Word = "fix", "fix out"
	case "workaround":
		e.Offers, e.Word, e.Move = "workaround", "in hand", "theirs"
	case "grade":
		e.Kind, e.Level = channel.Graded, house.Grades[len(house.Grades)-1]
	case "they-close":
		e.Kind, e.Word = channel.Ended, "shut"
	default:
		return fmt.Errorf("nobody knows how to %s", what)
	}
	s.feed[st.vendor] = append(s.feed[st.vendor], e)
	if err := s.d.Inbox.Collect(ctx, s.links[st.vendor], 0); err != nil {
		return err
	}
	if st.live && what != "fix" && what != "they-close" && what != "auto" || !st.live {
		c, err := casesdb.ByID(ctx, s.db.DB, st.caseID)
		if err != nil {
			return err
		}
		if present := s.now; !st.live || c.LastVendorAt != nil && present.Sub(st.opened) < 28*hour {
			return s.d.Cases.MarkRead(ctx, who, st.caseID, c.LastEntry)
		}
	}
	return nil
}

// player is the channel of a vendor on the stage.
type player struct {
	s    *stage
	link inboxdb.Link
}

func (p *player) house() string {
	for key, id := range p.s.links {
		if id == p.link.ID {
			return key
		}
	}
	return ""
}

// Send takes every letter.
func (p *player) Send(_ context.Context, l channel.Letter) (channel.Receipt, error) {
	r := channel.Receipt{At: p.s.now}
	if l.Action == channel.Open {
		key := p.house()
		h := standin.Houses[houseIndex(key)]
		p.s.seq["number "+key]++
		r.Reference = fmt.Sprintf("%s%d", h.Prefix, h.First-200+int(p.s.seq["number "+key])*3)
	}
	return r, nil
}

// Collect gives what the vendor has said since.
func (p *player) Collect(_ context.Context, cursor string) ([]channel.Incoming, string, error) {
	key := p.house()
	list := p.s.feed[key]
	p.s.feed[key] = nil
	return list, cursor, nil
}

// LookUp finds nothing: on the stage every letter arrives.
func (p *player) LookUp(context.Context, channel.Action, string, []string, time.Time) (*channel.Receipt, error) {
	return nil, nil
}

// Timeout and Settle play no part.
func (p *player) Timeout() time.Duration { return time.Minute }

// Settle plays no part.
func (p *player) Settle() time.Duration { return time.Minute }
