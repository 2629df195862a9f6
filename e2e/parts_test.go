package e2e

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	dp "github.com/chromedp/chromedp"

	"roundhouse.example/internal/browser"
	"roundhouse.example/internal/server/apigen"
)

// formed gives Corvane Cloud a form: a field that is required, and a part of the description under a name of its own.
func formed(w *world) {
	w.as(4).patched(200, "/vendors/corvane", m{"forms": []m{
		{"kind": "any", "key": "tenant", "label": "Tenant", "type": "text", "required": true, "weight": 20,
			"hint": "no look without it"},
		{"kind": "fault", "key": "error", "label": "Words of the error", "type": "part", "weight": 40,
			"hint": "searched for"}}})
}

// A draft says how complete its description is, what each part counts, and of what is missing why it matters and how
// far it goes; the vendor reads its own names.
func TestADescriptionInParts(t *testing.T) {
	t.Parallel()
	w := still(t)
	formed(w)
	ragna := w.as(0)
	name := ragna.draft("corvane", "Slow since this morning")
	before, _ := ragna.get(name)
	need := func(v apigen.Case, field string) *apigen.Need {
		for _, n := range v.Needs {
			if n.Field != nil && *n.Field == field {
				return &n
			}
		}
		return nil
	}
	is := func(v apigen.Case, field, weight, text, why string) {
		t.Helper()
		n := need(v, field)
		if n == nil || string(n.Weight) != weight || !strings.Contains(n.Text, text) || n.Why == nil || *n.Why != why ||
			n.Points == nil || *n.Points < 1 {
			t.Errorf("%s: %+v", field, n)
		}
	}
	is(before, "answers.tenant", "required", "Tenant, which the vendor asks for", "no look without it")
	is(before, "texts.error", "optional", "Words of the error", "searched for")
	is(before, "texts.steps", "optional", "Steps to reproduce", "an engineer who sees it happen needs no questions")
	if *need(before, "texts.error").Points <= *need(before, "texts.steps").Points {
		t.Error("what counts more does not go further")
	}
	ragna.patched(200, "/cases/"+name, m{"texts": m{"error": "E 57", "often": "hourly", "browser": "any"},
		"answers": m{"tenant": "ours"}})
	ragna.patched(200, "/cases/"+name, m{"facts": m{"needed_by": w.clock.Now().Add(-time.Hour)}})
	past, _ := ragna.get(name)
	if n := need(past, "facts.needed_by"); n == nil || n.Weight != apigen.NeedWeightWarning {
		t.Errorf("a needed-by that is over: %+v", n)
	}
	ragna.patched(200, "/cases/"+name, m{"facts": m{"needed_by": nil}})
	after, _ := ragna.get(name)
	if *after.Complete <= *before.Complete || need(after, "texts.error") != nil || need(after, "answers.tenant") != nil {
		t.Errorf("from %d to %d: %+v", *before.Complete, *after.Complete, after.Needs)
	}
	if !contains(*after.Preview, "Tenant: ours\n", "How often: hourly\n", "Browser: any\n",
		"\nWords of the error\nE 57\n") {
		t.Errorf("the vendor reads\n%s", *after.Preview)
	}
	counted := 0
	for _, p := range *after.Parts {
		if counted += p.Points; p.Key == "error" && (p.Points != 40 || p.Label != "Words of the error") {
			t.Errorf("%+v", p)
		}
	}
	if counted < 100 {
		t.Errorf("the parts count %d", counted)
	}
	for field, body := range map[string]m{"forms[0].weight": {"weight": 101},
		"forms[0].key": {"key": "mood", "type": "part"}} {
		f := m{"kind": "fault", "key": "x", "label": "X", "type": "text"}
		for k, v := range body {
			f[k] = v
		}
		tag := w.as(4).must(200, "GET", "/vendors/corvane", nil).header.Get("ETag")
		a := w.as(4).do("PATCH", "/vendors/corvane", m{"forms": []m{f}}, "If-Match", tag)
		if p := a.problem(t); p.Status != 422 || p.Errors == nil || (*p.Errors)[0].Field != field {
			t.Errorf("%s: %s", field, a.body)
		}
	}
}

// A severity 1 is filed before the vendor's form is complete; anything else waits for what is required.
func TestASeverity1ComesFirst(t *testing.T) {
	t.Parallel()
	w := still(t)
	formed(w)
	ragna := w.as(0)
	calm := ragna.draft("corvane", "Slow")
	_, tag := ragna.get(calm)
	a := ragna.do("POST", "/cases/"+calm+"/steps", m{"step": "file"}, "If-Match", tag)
	if p := a.problem(t); p.Status != 422 || !strings.Contains(*p.Detail, "answers.tenant") {
		t.Errorf("filed without its tenant: %s", a.body)
	}
	burning := ragna.draft("corvane", "Everything is down")
	ragna.patched(200, "/cases/"+burning, m{"facts": m{"effect": "stopped", "reach": "everyone", "workaround": "none"},
		"texts": m{"contact_always": "Duty phone +44 1632 960 004"}})
	v, _ := ragna.get(burning)
	for _, c := range v.LevelHeld.Criteria {
		v = ragna.step(burning, m{"step": "confirm", "criterion": c.Id})
	}
	later := 0
	for _, n := range v.Needs {
		if n.Weight == apigen.NeedWeightLater && *n.Field == "answers.tenant" {
			later++
		} else if n.Weight == apigen.NeedWeightRequired {
			t.Errorf("required: %+v", n)
		}
	}
	if v = ragna.step(burning, m{"step": "file"}); later != 1 || len(v.OnTheWay) != 1 {
		t.Errorf("%d later; on its way: %+v", later, v.OnTheWay)
	}
}

// A question needs no outage, on the page, in the terminal and by the API; its parts are those of a question.
func TestAQuestionIsOpened(t *testing.T) {
	t.Parallel()
	w := still(t)
	sh := w.shell(0)
	out, code := sh.run("Does build 8.2 print?\n", "case", "open", "Which build prints?", "--vendor", "corvane", "--kind",
		"question", "--happened", "-")
	if code != 0 || !contains(out, "severity 4 Minor", "The description is 60% complete.", "(+15%, --tried)") {
		t.Fatalf("opened: %d %s", code, out)
	}
	out, code = sh.run("The manual\n", "case", "edit", "C-1001", "--tried", "-", "--error", "-")
	if code != 2 || !contains(out, "only one text can be read") {
		t.Errorf("two from one input: %d %s", code, out)
	}
	sh.ok([]string{"case", "edit", "C-1001", "--version", "8.1", "--workaround-used", "By hand"}, "70% complete")
	sh.ok(words("case show C-1001"), "The question", "Version: 8.1", "Workaround used")
	sh.ok(words("case check C-1001"), "(+15%, --tried)")
	sh.ok([]string{"case", "open", "Gates say no", "--vendor", "corvane"}, "C-1002")
	sh.fails(4, words("case check C-1002"), "C-1002 cannot be filed yet: 2 required things are missing")
	sh.fails(4, words("case check C-1002 -o json"), `"weight": "required"`, "cannot be filed yet")
	tab := w.page("light", 1280, 800, 0)
	w.steps(tab, dp.Navigate(w.url+"/open/C-1001"), see("complete"))
	w.says(tab, "complete", "70% complete")
	w.says(tab, "grade", "Severity 4, Minor because nothing is reported as broken")
	w.holds(tab, "version", "8.1")
	w.steps(tab, write("tried", "The manual"))
	w.says(tab, "complete", "85% complete")
	w.steps(tab, press("more-parts"), write("browser", "Any"))
	w.until("the browser is saved", func() bool { v, _ := w.as(0).get("C-1001"); return v.Texts.Browser == "Any" })
}

// The review says what filing would start, by the channel that it takes, in our time and the vendor's, and what is
// still missing; nothing leaves. Until it is filed it is among one's own drafts, and nobody else's.
func TestTheReviewOfADraft(t *testing.T) {
	t.Parallel()
	w := still(t)
	var page apigen.ContractPage
	w.as(2).must(200, "GET", "/contracts?vendor=corvane", nil).into(t, &page)
	w.as(2).patched(200, fmt.Sprintf("/contracts/%d?confirm=true", page.Items[0].Id), m{"terms": []m{
		{"deadline": "first-response", "level": 3, "target": "4h", "calendar": "round-the-clock"},
		{"deadline": "first-response", "level": 3, "target": "1h", "calendar": "round-the-clock", "channel": "phone"},
		{"deadline": "update", "level": 3, "target": "2h", "calendar": "round-the-clock"},
		{"deadline": "resolution", "level": 3, "target": "none"}}})
	w.as(4).patched(200, "/vendors/corvane", m{"zone": "Pacific/Apia", "ways": []m{{"channel": "phone",
		"address": "+44 1632 960 111"}, {"channel": "api", "address": "the ticket API"}}})
	ragna, sh := w.as(0), w.shell(0)
	// How long it really takes is known from earlier cases.
	for _, wait := range []time.Duration{50 * time.Minute, 2 * time.Hour, 30 * time.Hour} {
		before := ragna.filed("corvane", "Slow once [mute]")
		v, _ := ragna.get(before)
		w.clock.Move(wait)
		w.speak("corvane", *v.Line.Reference, false, "working", "")
		w.until("it is answered", func() bool {
			v, _ = ragna.get(before)
			return slices.ContainsFunc(v.Deadlines, func(d apigen.Deadline) bool {
				return d.Deadline == "first-response" && d.Ended != nil
			})
		})
	}
	name := ragna.draft("corvane", "Slow since this morning")
	v, _ := ragna.get(name)
	due := map[string]time.Duration{}
	for _, p := range *v.Promised {
		if p.Deadline == "update" || p.Deadline == "resolution" && p.Due != nil {
			t.Errorf("filing does not start %+v", p)
		}
		if p.Deadline == "first-response" {
			due[string(*p.Channel)] = p.Due.Sub(w.clock.Now())
		}
	}
	if len(due) != 2 || due["api"] != 4*time.Hour || due["phone"] != time.Hour {
		t.Errorf("by channel: %v", due)
	}
	at := func(d time.Duration) string { return w.clock.Now().Add(d).UTC().Format("15:04") }
	sh.ok(words("case review "+name+" --zone UTC"), name+" will be sent to Corvane Cloud by API, at level \"Regular\".",
		"Since this morning it answers slowly.", "4 hours", at(4*time.Hour), "times in UTC, then in Pacific/Apia",
		"% complete.", "Next: roundhouse case file "+name+" sends it",
		"Half of the last 3 cases were answered within 2 h, the slowest after 30 h.")
	sh.ok(words("case review "+name+" --by phone"), "is to be sent by you to Corvane Cloud by phone", "1 hour",
		"makes it ready to send")
	sh.fails(2, words("case review "+name+" --by email"), "only by api, phone")
	tab := w.page("light", 1280, 800, 0)
	w.steps(tab, dp.Navigate(w.url), see("own-draft"))
	w.says(tab, "own-draft", name)
	w.steps(tab, browser.Go("/open/"+name), press("review"), see("promised"))
	w.says(tab, "promised", "First response")
	w.says(tab, "promised", "4 hours")
	w.says(tab, "took", "Half of the last 3 cases were answered within 2 h, the slowest after 30 h")
	w.says(tab, "review-missing", "Steps to reproduce")
	w.steps(tab, press("route-phone"))
	w.says(tab, "promised", "1 hour")
	sh.ok(words("today"), "Your drafts", name)
	if out := w.shell(1).ok(words("today")); strings.Contains(out, name) {
		t.Errorf("somebody else's draft: %s", out)
	}
	if v, _ = ragna.get(name); len(v.OnTheWay) != 0 || v.Line.State != "draft" {
		t.Errorf("it has left: %+v", v.OnTheWay)
	}
	ragna.step(name, m{"step": "file"})
	var after apigen.Today
	if ragna.must(200, "GET", "/today", nil).into(t, &after); len(after.Drafts) != 0 {
		t.Errorf("on its way, and among the drafts: %+v", after.Drafts)
	}
}
