package rehearsal_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/dated"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/escalation"
	"roundhouse.example/internal/core/rehearsal"
)

// nine is a Monday at 09:00 in UTC; instants here are minutes after it.
const nine = 1_795_996_800 + 9*3600

func m(minutes int) int64 { return nine + int64(minutes)*60 }

func office(t testing.TB) *calendar.Calendar {
	t.Helper()
	c, err := calendar.New(calendar.Definition{Zone: "UTC", Week: map[string][]string{"mon": {"08:00-16:00"},
		"tue": {"08:00-16:00"}}})
	if err != nil {
		t.Fatal(err)
	}
	return c
}

// promises are a first response in an hour and an update each two, round the clock; we answer within an hour.
var promises = [...]string{"1h", "2h", "1h", "4h"}

func terms(t testing.TB, targets [4]string) *deadline.Terms {
	t.Helper()
	always, err := calendar.New(calendar.Definition{Always: true})
	if err != nil {
		t.Fatal(err)
	}
	out := &deadline.Terms{}
	for i, kind := range []deadline.Kind{deadline.FirstResponse, deadline.Update, deadline.OurAnswer,
		deadline.Verification} {
		target, err := calendar.ParseTarget(targets[i])
		for rank := 1; rank <= 2 && err == nil; rank++ {
			err = out.Add(kind, rank, deadline.Term{Target: target, Calendar: calendar.Fixed(always)})
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	return out
}

// told writes findings down: kind, + or -, and the minutes of coming up, latest and done.
func told(list []rehearsal.Finding) string {
	minutes := func(at int64) string {
		if at == 0 {
			return "never"
		}
		return fmt.Sprint((at - nine) / 60)
	}
	var out []string
	for _, f := range list {
		sign := "-"
		if f.Well {
			sign = "+"
		}
		s := fmt.Sprintf("%s%s %s", sign, f.Kind, minutes(f.At))
		if f.Until != 0 {
			s += " by " + minutes(f.Until)
		}
		if s += " " + minutes(f.Done); f.Rung > 0 {
			s += fmt.Sprintf(" rung %d", f.Rung)
		}
		out = append(out, s)
	}
	return strings.Join(out, "; ")
}

// story is a case filed at 09:00 with what comes after it.
type story struct {
	t        testing.TB
	severity int
	history  []deadline.Event
	deeds    []rehearsal.Deed
}

func (s *story) filed(at int) *story {
	s.history = append(s.history, deadline.Event{At: m(at), Kind: deadline.Filed, Severity: s.severity, Level: 1,
		Terms: terms(s.t, promises)})
	return s
}

func (s *story) vendor(at int, move deadline.Side, offers deadline.Offer) *story {
	s.history = append(s.history, deadline.Event{At: m(at), Kind: deadline.VendorMessage, Move: move, Offers: offers})
	return s
}

func (s *story) ours(at int, kind deadline.EventKind, deed rehearsal.DeedKind) *story {
	s.history = append(s.history, deadline.Event{At: m(at), Kind: kind, Told: kind != deadline.OurMessage})
	s.deeds = append(s.deeds, rehearsal.Deed{At: m(at), Kind: deed})
	return s
}

func (s *story) raised(at, rung, due int) *story {
	s.history = append(s.history, deadline.Event{At: m(at), Kind: deadline.Raised, Told: true, Item: &deadline.Item{
		Name: dated.Rung(rung), Rung: rung, Awaits: true, Due: m(due)}})
	s.deeds = append(s.deeds, rehearsal.Deed{At: m(at), Kind: rehearsal.Said},
		rehearsal.Deed{At: m(at), Kind: rehearsal.Escalated, Rung: rung})
	return s
}

func (s *story) did(at int, deed rehearsal.DeedKind) *story {
	s.deeds = append(s.deeds, rehearsal.Deed{At: m(at), Kind: deed})
	return s
}

func TestJudge(t *testing.T) {
	t.Parallel()
	begin := func(severity int) *story { return (&story{t: t, severity: severity}).filed(0) }
	late := int64(3600)
	ladder := escalation.Ladder{{LateBy: &late}, {}}
	for _, x := range []struct {
		what   string
		played *story
		over   int
		with   func(*rehearsal.Played)
		want   string
	}{
		{"a late vendor is chased", begin(1).ours(70, deadline.OurMessage, rehearsal.Said).
			vendor(90, deadline.Theirs, ""), 100, nil, "+vendor-late 60 by 90 70; -ending 100 never"},
		{"chased too late", begin(1).ours(95, deadline.OurMessage, rehearsal.Said).vendor(100, deadline.Theirs, ""), 110, nil,
			"-vendor-late 60 by 90 95; -ending 110 never"},
		{"chased before it was late is not chased", begin(1).ours(59, deadline.OurMessage, rehearsal.Said), 95, nil,
			"-vendor-late 60 by 90 never; -ending 95 never"},
		{"it came before anybody had to chase", begin(1).vendor(80, deadline.Theirs, ""), 95, nil, "-ending 95 never"},
		{"what came after that is not excused by a later word", begin(1).vendor(91, deadline.Theirs, "").
			ours(95, deadline.OurMessage, rehearsal.Said), 96, nil, "-vendor-late 60 by 90 never; -ending 96 never"},
		{"over before anybody had to", begin(1), 85, nil, "-ending 85 never"},
		{"at severity 2 in our hours: 15:50 and half an hour is 08:20",
			(&story{t: t, severity: 2}).filed(350), 1440, nil, "-vendor-late 410 by 1400 never; -ending 1440 never"},
		{"a question answered in time", begin(1).vendor(10, deadline.Ours, "").ours(40, deadline.OurMessage, rehearsal.Said),
			60, nil, "+our-deadline 10 by 70 40; -ending 60 never"},
		{"and late", begin(1).vendor(10, deadline.Ours, "").ours(80, deadline.OurMessage, rehearsal.Said), 90, nil,
			"-our-deadline 10 by 70 80; -ending 90 never"},
		{"and never", begin(1).vendor(10, deadline.Ours, ""), 80, nil, "-our-deadline 10 by 70 never; -ending 80 never"},
		{"the vendor goes on without an answer, late", begin(1).vendor(10, deadline.Ours, "").vendor(80, deadline.Theirs, ""),
			90, nil, "-our-deadline 10 by 70 never; -ending 90 never"},
		{"and in time", begin(1).vendor(10, deadline.Ours, "").vendor(60, deadline.Theirs, ""), 65, nil,
			"-ending 65 never"},
		{"and not yet due", begin(1).vendor(10, deadline.Ours, ""), 70, nil, "-ending 70 never"},
		{"advice followed", begin(1).ours(70, deadline.OurMessage, rehearsal.Said).raised(125, 1, 185), 130,
			func(p *rehearsal.Played) { p.Ladder = ladder },
			"+vendor-late 60 by 90 70; +advised 120 by 150 125 rung 1; -ending 130 never"},
		{"advice not followed", begin(1).ours(70, deadline.OurMessage, rehearsal.Said), 160,
			func(p *rehearsal.Played) { p.Ladder = ladder },
			"+vendor-late 60 by 90 70; -advised 120 by 150 never rung 1; -ending 160 never"},
		{"the answer to a rung stays out: the next is advised", begin(1).raised(61, 1, 100), 140,
			func(p *rehearsal.Played) { p.Ladder = ladder },
			"+vendor-late 60 by 90 61; -advised 100 by 130 never rung 2; -ending 140 never"},
		{"a wrong fix rejected", begin(1).vendor(10, "", deadline.OfferFix).ours(20, deadline.FixRejected,
			rehearsal.Rejected), 30, func(p *rehearsal.Played) { p.Turns = turn(10, rehearsal.WrongFix) },
			"+our-deadline 10 by 250 20; +wrong-fix 10 20; -ending 30 never"},
		{"a wrong fix accepted", begin(1).vendor(10, "", deadline.OfferFix).ours(20, deadline.FixAccepted,
			rehearsal.Accepted), 30, func(p *rehearsal.Played) { p.Turns = turn(10, rehearsal.WrongFix) },
			"+our-deadline 10 by 250 20; -wrong-fix 10 20; -ending 30 20"},
		{"a good fix accepted", begin(1).vendor(10, "", deadline.OfferFix).ours(20, deadline.FixAccepted,
			rehearsal.Accepted), 30, func(p *rehearsal.Played) { p.Turns = turn(10, rehearsal.GoodFix) },
			"+our-deadline 10 by 250 20; +good-fix 10 20; +ending 30 20"},
		{"a good fix rejected", begin(1).vendor(10, "", deadline.OfferFix).ours(20, deadline.FixRejected,
			rehearsal.Rejected), 30, func(p *rehearsal.Played) { p.Turns = turn(10, rehearsal.GoodFix) },
			"+our-deadline 10 by 250 20; -good-fix 10 20; -ending 30 never"},
		{"the level taken back", begin(1).did(20, rehearsal.Regraded), 50, func(p *rehearsal.Played) {
			p.Turns = turn(10, rehearsal.Lowered)
		}, "+lowered 10 by 40 20; -ending 50 never"},
		{"the level left", begin(1), 50, func(p *rehearsal.Played) { p.Turns = turn(10, rehearsal.Lowered) },
			"-lowered 10 by 40 never; -ending 50 never"},
		{"closed early and disputed", begin(1).did(20, rehearsal.Disputed), 50, func(p *rehearsal.Played) {
			p.Turns = turn(10, rehearsal.ClosedEarly)
		}, "+closed-early 10 by 40 20; -ending 50 never"},
		{"closed early and left so", begin(1).ours(20, deadline.Closed, rehearsal.Ended), 50, func(p *rehearsal.Played) {
			p.Turns = turn(10, rehearsal.ClosedEarly)
		}, "-closed-early 10 by 40 20; -ending 50 20"},
		{"management told", begin(1).did(20, rehearsal.Briefed), 50, func(p *rehearsal.Played) { p.ToBrief = 1800 },
			"+briefing 0 by 30 20; -ending 50 never"},
		{"nobody told", begin(1), 50, func(p *rehearsal.Played) { p.ToBrief = 1800 },
			"-briefing 0 by 30 never; -ending 50 never"},
		{"filed in time and graded right", (&story{t: t, severity: 1}).filed(10), 50, func(p *rehearsal.Played) {
			p.ToFile, p.Severity = 1200, 1
		}, "+filing 0 by 20 10; +grading 10 10; -ending 50 never"},
		{"filed late and graded wrong", (&story{t: t, severity: 2}).filed(25), 50, func(p *rehearsal.Played) {
			p.ToFile, p.Severity = 1200, 1
		}, "-filing 0 by 20 25; -grading 25 25; -ending 50 never"},
		{"never filed", &story{t: t}, 50, func(p *rehearsal.Played) { p.ToFile, p.Severity = 1200, 1 },
			"-filing 0 by 20 never; -ending 50 never"},
	} {
		p := rehearsal.Played{Began: m(0), Over: m(x.over), History: x.played.history, Deeds: x.played.deeds,
			Hours: office(t), Patience: 1800}
		if x.with != nil {
			x.with(&p)
		}
		if got := told(rehearsal.Judge(p)); got != x.want {
			t.Errorf("%s:\n got %s\nwant %s", x.what, got, x.want)
		}
	}
}

func turn(at int, kind rehearsal.Kind) []rehearsal.Turn {
	return []rehearsal.Turn{{At: m(at), Kind: kind}}
}

// The stretches of advice are those that a walk by the second finds.
func TestAdviceAgainstAWalk(t *testing.T) {
	t.Parallel()
	late, long := int64(60), int64(600)
	ladder := escalation.Ladder{{LateBy: &late}, {OpenLonger: &long, Severity: 2}, {FixesRejected: 1}}
	short := terms(t, [...]string{"1m", "2m", "1m", "4m"})
	missing := 0
	for seed := range 200 {
		rnd := rand.New(rand.NewPCG(uint64(seed), 7))
		history := []deadline.Event{{At: nine, Kind: deadline.Filed, Severity: 1 + rnd.IntN(2), Level: 1, Terms: short}}
		var deeds []rehearsal.Deed
		at := int64(nine)
		for range 8 {
			at += rnd.Int64N(150)
			e := deadline.Event{At: at, Kind: deadline.VendorMessage, Move: deadline.Theirs}
			switch rnd.IntN(6) {
			case 0:
				e.Move = deadline.Ours
			case 1:
				e.Offers = deadline.OfferFix
			case 2:
				e = deadline.Event{At: at, Kind: deadline.OurMessage}
			case 3:
				e = deadline.Event{At: at, Kind: deadline.FixRejected, Told: true}
			case 4:
				rung := 1 + rnd.IntN(3)
				e = deadline.Event{At: at, Kind: deadline.Raised, Item: &deadline.Item{Name: dated.Rung(rung), Rung: rung,
					Awaits: true, Due: at + 60}}
				deeds = append(deeds, rehearsal.Deed{At: at, Kind: rehearsal.Escalated, Rung: rung})
			}
			history = append(history, e)
		}
		over := at + 200
		// Walked: an advice that goes on for longer than the patience is missed.
		missed, rung, since := "", 0, int64(0)
		for now := int64(nine); now <= over; now++ {
			clocks, items, raised := escalation.Replay(history, now)
			if a := raised.Advice(ladder, clocks, items, now).Rung; a != rung {
				rung, since = a, now
			}
			if rung > 0 && now == since+90 && now < over {
				missed += fmt.Sprintf("%d at %d; ", rung, since-nine)
				missing++
			}
		}
		got := ""
		for _, f := range rehearsal.Judge(rehearsal.Played{Began: nine, Over: over, History: history, Deeds: deeds,
			Ladder: ladder, Patience: 90}) {
			if f.Kind == rehearsal.Advised && !f.Well {
				got += fmt.Sprintf("%d at %d; ", f.Rung, f.At-nine)
			}
		}
		if got != missed {
			t.Fatalf("seed %d: missed %q, walked %q", seed, got, missed)
		}
	}
	if missing < 50 {
		t.Errorf("only %d were missed in all histories", missing)
	}
}
