package phrasing_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/escalation"
	"roundhouse.example/internal/core/phrasing"
)

const noon = 1_795_996_800 + 12*3600 // Monday 2026-11-30T12:00:00Z

func facts(t testing.TB) phrasing.Facts {
	t.Helper()
	zone, err := time.LoadLocation("Europe/Oslo")
	if err != nil {
		t.Fatal(err)
	}
	return phrasing.Facts{Case: "C-1067", Reference: "TW/88-20417", Title: "Controller B restarts", Level: "Grade II",
		Contract: "TW-C-7718", Affected: "Array 1, serial TWS-40", Zone: zone, LastWord: noon - 90*3600,
		Filed: noon - 99*3600,
		Clocks: []phrasing.Clock{{Kind: deadline.Update, Target: 14400, Counted: 29520, Due: noon - 7200,
			DueKnown: true}},
		Items:  []phrasing.Item{{Kind: "promise", What: "Word from engineering.", Set: noon - 60*3600, Due: noon - 3600}},
		Raised: []phrasing.Raised{{Who: "Works desk lead K. Obuya", At: noon - 3*3600, Due: noon - 3600}},
		By:     noon + 2*3600, Signed: []string{"Ragna Lie, Saltmarsh Ferries", "+44 1632 960 012"}}
}

// A target in business days is said in business days, as the contract has it: in the vendor's words where it has any,
// and in hours where it has its own sentences but not these.
func TestBusinessDays(t *testing.T) {
	t.Parallel()
	for want, x := range map[string]struct {
		days int
		own  phrasing.Phrases
	}{
		"It is promised within 1 business day; 8 h 12 min of your support hours":  {1, nil},
		"It is promised within 3 business days; 8 h 12 min of your support hours": {3, nil},
		"It is promised within 3 arbeidsdager; 8 h 12 min": {3,
			phrasing.Phrases{"business-days": "{count} arbeidsdager"}},
		"Lovet innen 18 h.": {3, phrasing.Phrases{"late": "Lovet innen {target}.", "business-day": "1 arbeidsdag"}},
	} {
		f := facts(t)
		f.Clocks[0].Days, f.Clocks[0].Target = x.days, 18*3600
		if got := phrasing.Chase(f, x.own); !strings.Contains(got, want) {
			t.Errorf("%q is not in\n%s", want, got)
		}
	}
}

func TestChase(t *testing.T) {
	t.Parallel()
	want := `Reference TW/88-20417: Controller B restarts
Severity level: Grade II
Contract: TW-C-7718
Affected: Array 1, serial TWS-40

Update: due by Mon 30 November 2026, 11:00 (UTC+01:00). ` +
		`It is promised within 4 h; 8 h 12 min of your support hours have passed.
On Sat 28 November 2026, 01:00 (UTC+01:00) you promised, by Mon 30 November 2026, 12:00 (UTC+01:00): ` +
		`Word from engineering. That time has passed.
Your last message to us is from Thu 26 November 2026, 19:00 (UTC+01:00).

Please tell us by Mon 30 November 2026, 15:00 (UTC+01:00) where this stands.

Ragna Lie, Saltmarsh Ferries
+44 1632 960 012`
	if got := phrasing.Chase(facts(t), nil); got != want {
		t.Errorf("got\n%s\nwant\n%s", got, want)
	}
	bare := phrasing.Chase(phrasing.Facts{Case: "C-1", Title: "A", Filed: noon}, nil)
	if bare != "Our case C-1: A\n\nWe have not heard from you since we opened this case on Mon 30 November 2026, "+
		"12:00 (UTC).\n\nPlease tell us where this stands." {
		t.Errorf("with hardly a fact: %q", bare)
	}
}

// What is said to a rung names what was said to those below it, and why it comes up now.
func TestEscalate(t *testing.T) {
	t.Parallel()
	for _, x := range []struct {
		because phrasing.Because
		want    string
	}{
		{phrasing.Because{}, "We are escalating this case to you.\nUpdate: due by"},
		{phrasing.Because{Reason: escalation.FixesRejected, Rejected: 2}, "Fixes that did not work: 2\n"},
		{phrasing.Because{Reason: escalation.Reopened, Reopened: 1}, "Times this was reopened: 1\n"},
		{phrasing.Because{Reason: escalation.OpenLong, Since: noon - 99*3600},
			"Open since Thu 26 November 2026, 10:00 (UTC+01:00)\n"},
		{phrasing.Because{Reason: escalation.Unanswered}, "We escalated this to Works desk lead K. Obuya on Mon 30 " +
			"November 2026, 10:00 (UTC+01:00) and asked for an answer by Mon 30 November 2026, 12:00 (UTC+01:00). None"},
	} {
		if got := phrasing.Escalate(facts(t), x.because, nil); !strings.Contains(got, x.want) {
			t.Errorf("%+v: got\n%s\nwant in it %q", x.because, got, x.want)
		}
	}
	f := facts(t)
	f.By, f.Raised[0].Due = 0, 0
	if got := phrasing.Escalate(f, phrasing.Because{}, nil); !strings.Contains(got, "(UTC+01:00).\n\nPlease tell us who") {
		t.Errorf("answered, and without a time: got\n%s", got)
	}
}

// A vendor's own sentences replace ours one by one, with times that need no month's name, and what is filled in is
// never taken for a place.
func TestOwnPhrases(t *testing.T) {
	t.Parallel()
	f := facts(t)
	f.Title = "The field {due} is empty"
	own := phrasing.Phrases{"please": "Gi oss svar innen {by}.", "update": "Oppdatering",
		"reference": "Sak {reference}: {title}"}
	got := phrasing.Chase(f, own)
	for _, want := range []string{"Sak TW/88-20417: The field {due} is empty\n",
		"Oppdatering: due by 2026-11-30 11:00 (UTC+01:00)", "Gi oss svar innen 2026-11-30 15:00 (UTC+01:00).\n"} {
		if !strings.Contains(got, want) {
			t.Errorf("got\n%s\nwant in it %q", got, want)
		}
	}
}

// Each place of each sentence is filled in by one of the drafts: none is sent with a hole in it.
func TestEveryPlaceIsFilled(t *testing.T) {
	t.Parallel()
	used := map[phrasing.Key]bool{}
	marked := phrasing.Phrases{}
	for _, k := range phrasing.Keys() {
		places, ok := phrasing.Places(k)
		if !ok {
			t.Fatalf("%s is no key", k)
		}
		marked[k] = fmt.Sprintf("<%s", k)
		for _, p := range places {
			marked[k] += " {" + p + "}"
		}
		marked[k] += ">"
	}
	f := facts(t)
	f.Clocks = append(f.Clocks, phrasing.Clock{Kind: deadline.FirstResponse, Days: 1},
		phrasing.Clock{Kind: deadline.Workaround, Days: 2}, phrasing.Clock{Kind: deadline.Resolution})
	f.Items = append(f.Items, phrasing.Item{Kind: "ask"}, phrasing.Item{Kind: "part"})
	f.Raised = append(f.Raised, phrasing.Raised{Who: "Somebody"})
	bare := f
	bare.Reference, bare.By, bare.LastWord = "", 0, 0
	var all []string
	for _, r := range []escalation.Reason{"", escalation.FixesRejected, escalation.Reopened, escalation.OpenLong} {
		for _, x := range []phrasing.Facts{f, bare} {
			all = append(all, phrasing.Chase(x, marked), phrasing.Escalate(x, phrasing.Because{Reason: r}, marked))
		}
	}
	for _, text := range all {
		if strings.ContainsAny(text, "{}") {
			t.Errorf("a place is left:\n%s", text)
		}
		for k := range marked {
			used[k] = used[k] || strings.Contains(text, "<"+string(k))
		}
	}
	if missing := slices.DeleteFunc(phrasing.Keys(), func(k phrasing.Key) bool { return used[k] }); len(missing) > 0 {
		t.Errorf("no draft says %v", missing)
	}
	if _, ok := phrasing.Places("thanks"); ok {
		t.Error("there is a sentence that nobody wrote")
	}
}

// A sentence of a vendor's own is checked before it is kept.
func TestWrongPhrases(t *testing.T) {
	t.Parallel()
	for _, x := range []struct {
		list []phrasing.Own
		want string
	}{
		{[]phrasing.Own{{Key: "please", Text: "Svar innen {by}!"}}, ""},
		{[]phrasing.Own{{Key: "thanks", Text: "Takk"}},
			`"thanks" is not the key of a sentence: use one of affected, asked, `},
		{[]phrasing.Own{{Key: "please", Text: " "}}, "write the sentence"},
		{[]phrasing.Own{{Key: "who", Text: "A"}, {Key: "who", Text: "B"}}, "the sentence who is listed twice"},
		{[]phrasing.Own{{Key: "who", Text: "Svar {innen}"}}, "{innen} cannot be filled in here; only these can: {by}"},
		{[]phrasing.Own{{Key: "who-soon", Text: "Svar {by}"}},
			"{by} cannot be filled in here; this sentence has nothing to fill in"},
	} {
		if got := phrasing.Wrong(x.list); !strings.HasPrefix(got, x.want) || x.want == "" && got != "" {
			t.Errorf("%+v: %q, want %q", x.list, got, x.want)
		}
	}
}

// A briefing says where a case stands, and what has not been given is left out.
func TestBriefing(t *testing.T) {
	t.Parallel()
	zone := facts(t).Zone
	full := phrasing.Standing{Case: "C-1085", Title: "No traffic", Vendor: "Nine Fathom", Reference: "NF/771088",
		Severity: "1 Stopped", State: "Open", Waiting: "the vendor", WaitingSince: noon - 3600, Filed: noon - 7200, Now: noon,
		Impact: []string{"production", "stopped"}, Since: "02:10", Workaround: true, Summary: "A crew is on its way.",
		Escalated: []phrasing.Raised{{Who: "Line desk lead", At: noon - 1800}}, Next: "Promise: crew at the pier",
		NextDue: noon + 3600, Owner: []string{"Solveig Brandt, Saltmarsh Ferries"}, Zone: zone}
	want := `C-1085 No traffic
As of Mon 30 November 2026, 13:00 (UTC+01:00)

Vendor: Nine Fathom (NF/771088)
Severity: 1 Stopped
Impact: production, stopped
Since: 02:10
With the vendor since: Mon 30 November 2026, 11:00 (UTC+01:00)
State: Open, waiting on the vendor since Mon 30 November 2026, 12:00 (UTC+01:00)
A workaround is available.
Escalated to: Line desk lead, on Mon 30 November 2026, 12:30 (UTC+01:00)

A crew is on its way.

Next: Promise: crew at the pier, due Mon 30 November 2026, 14:00 (UTC+01:00)

Solveig Brandt, Saltmarsh Ferries`
	if got := phrasing.Briefing(full); got != want {
		t.Errorf("got\n%s\nwant\n%s", got, want)
	}
	bare := phrasing.Standing{Case: "C-1", Title: "A", Vendor: "B", Severity: "4 Minor", State: "Closed", Now: noon,
		Outcome: "It was the cable."}
	want = "C-1 A\nAs of Mon 30 November 2026, 12:00 (UTC)\n\nVendor: B\nSeverity: 4 Minor\nState: Closed\n\n" +
		"It was the cable."
	if got := phrasing.Briefing(bare); got != want {
		t.Errorf("got\n%s\nwant\n%s", got, want)
	}
}
