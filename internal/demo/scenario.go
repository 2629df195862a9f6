package demo

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"regexp"
	"strings"
	"time"

	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	inboxdb "roundhouse.example/internal/store/inbox"
	outboxdb "roundhouse.example/internal/store/outbox"
	registerdb "roundhouse.example/internal/store/register"

	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/drafts"
	"roundhouse.example/internal/desk/whole"

	"roundhouse.example/internal/channel"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/demo/firm"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/standin"
)

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

// numbered finds what a title begins with up to its first number, as in "Fan tray 2 reports wrong speed".
var numbered = regexp.MustCompile(`^\D*\d+`)

// Now is the time on the stage.
func (s *stage) Now() time.Time { return s.now }

// quiet is a queue that wakes nobody: on the stage, deliveries are made by hand.
type quiet struct{}

func (quiet) Deliver(context.Context, *db.Tx, int64) error { return nil }

func (quiet) Rebuild(context.Context, *db.Tx) error { return nil }

// Play writes the scenario's cases into an empty desk as of a present instant,
// and gives the stand-in the jobs of those that are live.
// In one piece: the order in which things happened is what it says.
func Play(ctx context.Context, st *db.Store, cast *standin.Standin, present time.Time,
	link func(vendor string) (inboxdb.Link, error)) ([]firm.Person, error) {
	s := &stage{db: st, now: present.Add(-185 * day).Truncate(time.Second), cast: cast, seq: map[string]int64{},
		feed:   map[string][]channel.Incoming{},
		number: map[string]string{}, refs: map[int64]string{}, rnd: rand.New(rand.NewPCG(20, 26))}
	s.d = whole.New(st, s, quiet{}, func(l inboxdb.Link) (desk.Channel, error) { return &player{s, l}, nil })
	staff, err := firm.Register(ctx, s.d, st, s.now, link)
	if err != nil {
		return nil, err
	}
	if s.links, err = linksByVendor(ctx, s.db); err != nil {
		return nil, err
	}
	all, err := firm.Furnish(ctx, s.d, st, staff, present)
	if err != nil {
		return nil, err
	}
	s.people = all[:3]
	beats, err := s.plan(present)
	if err != nil {
		return nil, err
	}
	if err := s.play(ctx, beats, present); err != nil {
		return nil, err
	}
	return staff, errors.Join(s.needs(ctx, present), s.outages(ctx, present))
}

// linksByVendor are the ids of the vendors' links, by the vendor's key.
func linksByVendor(ctx context.Context, st *db.Store) (map[string]int64, error) {
	vendors, err := registerdb.Vendors(ctx, st.DB)
	if err != nil {
		return nil, err
	}
	keys, ids := map[int64]string{}, []int64{}
	for _, v := range vendors {
		keys[v.ID], ids = v.Key, append(ids, v.ID)
	}
	links, err := inboxdb.LinksOf(ctx, st.DB, ids...)
	out := map[string]int64{}
	for _, l := range links {
		out[keys[l.VendorID]] = l.ID
	}
	return out, err
}

func (s *stage) play(ctx context.Context, beats []beat, present time.Time) error {
	for _, b := range beats {
		if b.at.After(s.now) {
			s.now = b.at
		}
		var err error
		switch {
		case b.turn != nil:
			err = s.turn(ctx, b.story.caseID, present, *b.turn)
		case b.act == nil:
			err = s.open(ctx, b.story)
		default:
			err = s.do(ctx, b.story, b.act)
		}
		if err != nil {
			return fmt.Errorf("the demo's case %q, %v: %w", b.story.matter.Title, b.act, err)
		}
	}
	return nil
}

func (s *stage) open(ctx context.Context, st *story) error {
	m := st.matter
	st.vendor = m.Vendor
	n := drafts.Draft{Vendor: m.Vendor, Title: m.Title, Kind: m.Kind, Ticket: fmt.Sprintf("IT-%d", 5200+s.rnd.IntN(700)),
		Facts: casesdb.Facts{Environment: "production", Effect: m.Effect, Reach: m.Reach, Workaround: m.Workaround},
		Texts: casesdb.Texts{Happened: m.Happened, Expected: m.Expected, Affected: m.Affected,
			Since:   st.opened.Add(-40 * minute).Format("2 January, 15:04 UTC"),
			Contact: s.people[st.owner].Name + ", +44 1632 960 0" + fmt.Sprint(10+st.owner)}}
	v, err := registerdb.VendorByKey(ctx, s.db.DB, m.Vendor)
	if err != nil {
		return err
	}
	words := append(strings.Split(m.Affected, ", "), strings.Fields(m.Affected)...)
	n.Asset = firm.Mentioned(ctx, s.db.DB, v.ID, words)
	if id, err := registerdb.ThingNamed(ctx, s.db.DB, registerdb.Contracts, v.ID, "NFN/SLK/0093"); err == nil {
		n.Contract = &id // of two that cover it
	}
	// What the register does not answer by itself.
	known := map[string]map[string]string{
		"corvane":    {"tenant": "saltmarsh-prod", "wanted": "Ern; messages a second; 500; 2,000"},
		"ninefathom": {"line": m.Affected, "restarted": "yes", "amounts": "Marrowby office; addresses; 16; 32"},
		"tallow":     {"part": numbered.FindString(m.Title)}}[m.Vendor]
	n.Answers = map[string]string{}
	for _, x := range v.Profile.V.Asks(m.Kind) {
		if answer := known[x.Key]; answer != "" {
			n.Answers[x.Key] = answer
		}
	}
	if n.Asset == nil && m.Vendor == "tallow" {
		n.Answers["serial"] = "none yet"
	}
	if st.bare {
		n.Answers = nil
		n.Texts, n.Facts = casesdb.Texts{Affected: m.Affected}, casesdb.Facts{Environment: "production", Effect: m.Effect}
	} else if g, err := s.d.Filing.Grade(ctx, s.people[st.owner], "", "", n.Facts, nil); err == nil &&
		int(g.Severity) != st.sev {
		sev := st.sev
		n.Severity, n.SeverityReason = &sev, "Agreed with the harbour master."
	}
	if st.sev == 1 && !st.bare {
		n.Texts.ContactAlways = s.people[st.owner].Name + ", +44 1632 960 099"
	}
	ref, err := s.d.Drafts.Open(ctx, s.people[st.owner], n)
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
		if err := s.confirm(ctx, st, who); err != nil {
			return err
		}
		return step(cases.StepRequest{Step: casework.File})
	case "accept":
		return step(cases.StepRequest{Step: casework.AcceptFix, Reason: text,
			Cause: "A fault on the vendor's side; corrected there."})
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
		if _, err := s.d.Cases.Send(ctx, who, st.caseID, cases.Written{Text: text}); err != nil {
			return err
		}
		return s.deliver(ctx, st)
	case "read":
		c, err := casesdb.ByID(ctx, s.db.DB, st.caseID)
		if err != nil {
			return err
		}
		return s.d.Seen.Mark(ctx, who, st.caseID, c.LastEntry)
	}
	return s.vendorActs(ctx, st, a.what, text, who)
}

func (s *stage) confirm(ctx context.Context, st *story, who desk.Actor) error {
	v, err := s.d.Pages.Case(ctx, who, st.caseID)
	if err != nil || v.Level == nil {
		return err
	}
	for _, c := range v.Level.Criteria {
		row, err := casesdb.ByID(ctx, s.db.DB, st.caseID)
		if err != nil {
			return err
		}
		if _, err := s.d.Cases.Step(ctx, who, st.caseID, row.Version,
			cases.StepRequest{Step: casework.Confirm, Criterion: c.ID}); err != nil {
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
			err = s.cast.Seed(st.vendor,
				standin.Job{No: r.Value, Subject: st.matter.Title, Story: st.matter.Happened,
					Grade: house.Grades[min(st.sev, len(house.Grades))-1],
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
	e := channel.Incoming{Kind: channel.Message, At: s.now, Text: text,
		Author: house.People[int(st.caseID)%len(house.People)]}
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
		e.Word, e.Move = "with engineering", "theirs"
	case "fix":
		e.Offers, e.Word = "fix", "fix out"
	case "workaround":
		e.Offers, e.Word, e.Move = "workaround", "in hand", "theirs"
	case "grade":
		e.Kind, e.Level = channel.Graded, house.Grades[len(house.Grades)-1]
	case "they-close":
		e.Kind, e.Word = channel.Ended, "shut"
	default:
		return fmt.Errorf("there is no way to %s", what)
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
			return s.d.Seen.Mark(ctx, who, st.caseID, c.LastEntry)
		}
	}
	return nil
}
