package rehearse

import (
	"context"
	"fmt"
	"net/http/httptest"
	"slices"
	"strings"
	"testing"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/dated"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/rehearsal"
	"roundhouse.example/internal/desk/briefings"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/dates"
	"roundhouse.example/internal/desk/desktest"
	"roundhouse.example/internal/desk/escalations"
	"roundhouse.example/internal/desk/pages"
	"roundhouse.example/internal/desk/whole"
	"roundhouse.example/internal/service"
	"roundhouse.example/internal/store/db"
	outboxdb "roundhouse.example/internal/store/outbox"
	"roundhouse.example/internal/testdb"
)

func TestMain(m *testing.M) {
	desktest.CheapPasswords()
	testdb.Main(m)
}

// quiet is a queue that wakes nobody: what is to be sent is sent by hand.
type quiet struct{}

func (quiet) Deliver(context.Context, *db.Tx, int64) error { return nil }

func (quiet) Rebuild(context.Context, *db.Tx) error { return nil }

// player is somebody who handles the case of a rehearsal.
type player struct {
	*Stage
	t *testing.T
	// attentive says that they do what is to be done as soon as it is.
	attentive bool
}

func stage(t *testing.T, name string, change func(*Scenario)) *player {
	t.Helper()
	file, _ := File(name)
	s, findings := Read(file)
	if len(findings) > 0 {
		t.Fatal(findings)
	}
	if change != nil {
		change(&s)
	}
	clock := NewClock(s.Begins.AddDate(0, 0, -180), 1)
	st := testdb.Store(t)
	cast, err := Cast(clock)
	if err != nil {
		t.Fatal(err)
	}
	vendors := httptest.NewServer(cast.Handler())
	t.Cleanup(vendors.Close)
	x, err := Set(t.Context(), s, clock, cast, vendors.Listener.Addr().String(), whole.New(st, clock, quiet{},
		service.Channels), st)
	if err != nil {
		t.Fatal(err)
	}
	return &player{Stage: x, t: t}
}

// play goes from one instant to the next until the rehearsal is over.
func (p *player) play() []rehearsal.Finding {
	p.t.Helper()
	for range 200 {
		if p.attentive && p.found(p.t.Context()) {
			p.attend()
		}
		over, err := p.Skip(p.t.Context())
		if err != nil {
			p.t.Fatal(err)
		}
		if over {
			list, err := p.Judge(p.t.Context())
			if err != nil {
				p.t.Fatal(err)
			}
			return list
		}
	}
	p.t.Fatal("it never ends")
	return nil
}

// attend does what a careful handler does, as the page of the case has it.
func (p *player) attend() {
	p.t.Helper()
	ctx := p.t.Context()
	for range 5 {
		v, err := p.desk.Pages.Case(ctx, p.handler, p.caseID)
		if err == nil {
			err = p.desk.Seen.Mark(ctx, p.handler, p.caseID, v.Line.Case.LastEntry)
		}
		if err != nil {
			p.t.Fatal(err)
		}
		p.Clock.Jump(p.Clock.Now().Add(time.Minute)) // it takes a moment
		did, err := p.act(ctx, v)
		if err != nil {
			p.t.Fatalf("%s at %s: %v", did, p.Clock.Now(), err)
		}
		if did == "" {
			return
		}
		list, err := outboxdb.Open(ctx, p.db.DB, []int64{p.caseID})
		for _, d := range list {
			if err == nil {
				err = p.desk.Outbox.Deliver(ctx, d.ID)
			}
		}
		if err != nil {
			p.t.Fatal(err)
		}
	}
}

func (p *player) act(ctx context.Context, v pages.View) (did string, err error) {
	c := &v.Line.Case
	step := func(r cases.StepRequest) (string, error) {
		_, err := p.desk.Cases.Step(ctx, p.handler, p.caseID, c.Version, r)
		return string(r.Step), err
	}
	last, tried := p.lastFix()
	deeds, err := p.deeds(ctx)
	if err != nil {
		return "", err
	}
	has := func(k rehearsal.DeedKind) bool {
		return slices.ContainsFunc(deeds, func(d rehearsal.Deed) bool { return d.Kind == k })
	}
	switch {
	case p.Scenario.BriefWithin != "" && !has(rehearsal.Briefed):
		_, err := p.desk.Briefings.Tell(ctx, p.handler, p.caseID, briefings.Briefing{Text: "The pier is cut off.",
			To: []string{"the harbour master"}, Copied: true})
		return "brief", err
	case c.State == casework.Resolved:
		return step(cases.StepRequest{Step: casework.Close})
	case c.VendorClosedAt != nil && !last.Works:
		return step(cases.StepRequest{Step: casework.Dispute, Reason: "It is not solved."})
	case c.VendorLevel != "":
		return step(cases.StepRequest{Step: casework.ChangeLevel, To: v.Level.Rank, Reason: "A storm is coming."})
	case c.State == casework.FixOffered && tried && last.Works:
		return step(cases.StepRequest{Step: casework.AcceptFix, Cause: "Theirs."})
	case c.State == casework.FixOffered && tried:
		return step(cases.StepRequest{Step: casework.RejectFix, Reason: "It did not help."})
	case p.answers(v) != "":
		_, err := p.desk.Dates.End(ctx, p.handler, p.caseID, p.answers(v), dates.Ending{How: dates.Kept,
			Text: "They are on it.", Entry: c.LastEntry})
		return "answered", err
	case c.Advice != nil:
		_, err := p.desk.Escalations.Raise(ctx, p.handler, p.caseID, escalations.Raising{Rung: *c.Advice,
			Text: "Please see to this case."})
		return "escalate", err
	case c.Move != nil && *c.Move == deadline.Ours && c.State == casework.Open:
		_, err := p.desk.Cases.Send(ctx, p.handler, p.caseID, cases.Written{Text: "Here is what you asked for."})
		return "answer", err
	case p.overdue(deeds):
		_, err := p.desk.Cases.Send(ctx, p.handler, p.caseID, cases.Written{Text: "You are late.", Chases: true})
		return "chase", err
	}
	return "", nil
}

// lastFix is the last fix that the script offered, and whether a colleague has said since how it works.
func (p *player) lastFix() (fix Line, tried bool) {
	for _, h := range p.done {
		if h.line.Offers == "fix" {
			fix, tried = h.line, false
		}
		tried = tried || h.line.Note != ""
	}
	return fix, tried
}

// answers is the escalation that the vendor's last words answer, if any.
func (p *player) answers(v pages.View) string {
	if c := &v.Line.Case; c.LastVendorAt != nil && len(p.done) > 0 && !p.done[len(p.done)-1].line.Automatic {
		for _, d := range v.Dates {
			if d.Kind == dated.Escalation && d.Outcome == "live" && c.LastVendorAt.After(d.SetAt) {
				return d.Name
			}
		}
	}
	return ""
}

// overdue says whether a clock of the vendor's is late of which it has not heard.
func (p *player) overdue(deeds []rehearsal.Deed) bool {
	history, _, err := p.desk.Record.Replayed(p.t.Context(), p.db.DB, p.caseID)
	if err != nil {
		p.t.Fatal(err)
	}
	now := p.Clock.Now().Unix()
	m := deadline.Replay(history, now)
	for i := range m.Clocks() {
		k := &m.Clocks()[i]
		due, known := k.Due(now)
		if k.Outcome == deadline.Live && !k.Kind.Ours() && known && due < now &&
			!slices.ContainsFunc(deeds, func(d rehearsal.Deed) bool { return d.Kind == rehearsal.Said && d.At > due }) {
			return true
		}
	}
	return false
}

// told writes what findings are about, in their order.
func told(list []rehearsal.Finding, well bool) string {
	var out []string
	for _, f := range list {
		if f.Well == well {
			out = append(out, string(f.Kind))
		}
	}
	return strings.Join(out, " ")
}

// Every scenario is played by somebody who does what is to be done, and by somebody who does nothing at all.
func TestEveryScenarioIsPlayed(t *testing.T) {
	t.Parallel()
	for _, name := range Shipped() {
		want, ok := map[string][2]string{
			First: {"vendor-late our-deadline our-deadline wrong-fix our-deadline good-fix ending",
				"vendor-late our-deadline ending"},
			"late": {"vendor-late advised our-deadline our-deadline good-fix ending", "vendor-late advised our-deadline ending"},
			"silent": {"briefing vendor-late advised advised our-deadline good-fix ending",
				"briefing vendor-late advised vendor-late our-deadline advised vendor-late advised ending"},
			"asks-twice": {"our-deadline our-deadline our-deadline good-fix ending", "our-deadline our-deadline ending"},
			"lowers-level": {"lowered our-deadline our-deadline good-fix ending",
				"lowered vendor-late advised our-deadline ending"},
			"closes-early": {"our-deadline closed-early our-deadline our-deadline good-fix ending",
				"our-deadline closed-early ending"},
		}[name]
		if !ok {
			t.Errorf("%s is not played", name)
		}
		for i, attentive := range []bool{true, false} {
			t.Run(fmt.Sprintf("%s attentive %v", name, attentive), func(t *testing.T) {
				t.Parallel()
				p := stage(t, name, nil)
				p.attentive = attentive
				list := p.play()
				if got := told(list, attentive); got != want[i] {
					t.Errorf("got %q, want %q", got, want[i])
				}
				if got := told(list, !attentive); got != "" {
					t.Errorf("the other way: %q", got)
				}
			})
		}
	}
}

// Where filing is left to the handler, it is judged too.
func TestFilingIsRehearsed(t *testing.T) {
	t.Parallel()
	toFile := func(s *Scenario) { s.Case.FileWithin = "30m" }
	p := stage(t, First, toFile)
	if got := told(p.play(), false); got != "filing ending" {
		t.Errorf("nobody files: missed %q", got)
	}
	p = stage(t, First, toFile)
	p.attentive = true
	p.Clock.Jump(p.Scenario.Begins.Add(20 * time.Minute))
	if p.Case(t.Context()) != "" {
		t.Fatal("there is a case that nobody has filed")
	}
	if err := p.file(t.Context()); err != nil {
		t.Fatal(err)
	}
	list := p.play()
	if got := told(list, true); !strings.HasPrefix(got, "filing grading vendor-late our-deadline") {
		t.Errorf("filed in time: done well %q", got)
	}
	if got := told(list, false); got != "" {
		t.Errorf("filed in time: missed %q", got)
	}
}
