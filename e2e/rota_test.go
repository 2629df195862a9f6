package e2e

import (
	"strings"
	"testing"
	"time"

	dp "github.com/chromedp/chromedp"

	"roundhouse.example/internal/server/apigen"
)

// A case at a level that needs a contact round the clock names who is on the rota; where nobody is, it says so.
func TestTheRotaNamesTheContact(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	sh := w.shell(0)
	on := func(days int) string { return w.clock.Now().AddDate(0, 0, days).UTC().Format(time.RFC3339) }
	name := ragna.draft("corvane", "Everything is down")
	ragna.patched(200, "/cases/"+name, m{"facts": m{"effect": "stopped", "reach": "everyone", "workaround": "none"}})
	sh.ok([]string{"rota", "list"}, "Nobody can be reached now", "Nobody")
	missing := func() string {
		v, _ := ragna.get(name)
		for _, n := range v.Needs {
			if n.Field != nil && *n.Field == "texts.contact_always" {
				return n.Text
			}
		}
		return ""
	}
	if !strings.Contains(missing(), "nobody is on the rota now") {
		t.Errorf("with nobody on the rota: %q", missing())
	}
	for given, why := range map[string][]string{
		"--until " + on(-2): {"until"}, "--until " + on(7) + " --phone extension": {`"extension" is not a phone number`},
		"--until " + on(7): {"has no phone number"},
	} {
		args := append([]string{"rota", "add", "emil@saltmarsh.example", "--from", on(-1)}, words(given)...)
		sh.fails(4, args, why...)
	}
	sh.fails(4, []string{"rota", "add", "nobody@saltmarsh.example", "--from", on(0), "--until", on(1)}, "nobody here has")
	sh.ok([]string{"rota", "add", "emil@saltmarsh.example", "--from", on(-1), "--until", on(1), "--phone",
		"+44 1632 960 099"}, "Emil Dahl", "+44 1632 960 099")
	v, _ := ragna.get(name)
	if missing() != "" || v.ContactFromRota == nil || !contains(*v.Preview, "Emil Dahl, +44 1632 960 099 (until") {
		t.Errorf("with a shift: %q\n%s", missing(), *v.Preview)
	}
	sh.fails(4, []string{"rota", "add", "ragna@saltmarsh.example", "--from", on(0), "--until", on(2), "--phone",
		"+44 1632 960 010"}, "Emil Dahl is on from")
	sh.ok([]string{"rota", "list"}, "Emil Dahl can be reached now, at +44 1632 960 099", "Nobody")
	// A plan is added whole or not at all.
	sh.fails(4, []string{"rota", "plan", "--from", on(2), "--days", "1", "--shifts", "3", "--person",
		"emil@saltmarsh.example"}, "has no phone number")
	var r apigen.Rota
	ragna.must(200, "GET", "/rota", nil).into(t, &r)
	if len(r.Shifts) != 1 || len(r.Gaps) != 1 {
		t.Fatalf("after a plan that failed: %+v", r)
	}
	w.shell(4).ok([]string{"person", "change", "emil@saltmarsh.example", "--phone", "+44 1632 960 011"}, "Emil Dahl")
	sh.ok([]string{"rota", "plan", "--from", on(1), "--days", "1", "--shifts", "3", "--person", "emil@saltmarsh.example"},
		"Added 3 shifts")
	// What was filed said who it was.
	for _, c := range v.LevelHeld.Criteria {
		ragna.step(name, m{"step": "confirm", "criterion": c.Id})
	}
	ragna.step(name, m{"step": "file"})
	ragna.untilState(name, "open")
	sh.ok([]string{"case", "show", name}, "Emil Dahl, +44 1632 960 099 (until")
	// While it is live, the next gap is warned of.
	sh.ok([]string{"today"}, "Nobody can be reached round the clock from", "Needed by "+name)
	sh.ok([]string{"rota", "change", itoa(r.Shifts[0].Id), "--note", "The duty phone"}, "Emil Dahl")
	sh.fails(2, []string{"rota", "change", itoa(r.Shifts[0].Id)}, "nothing to change")
	sh.ok([]string{"rota", "remove", itoa(r.Shifts[0].Id)}, "Removed shift")
	sh.fails(3, []string{"rota", "remove", itoa(r.Shifts[0].Id)}, "no shift")
	sh.ok([]string{"rota", "list"}, "Nobody can be reached now", "Needed by "+name)
}

// A gap is filled on the page where it is read, and what was typed survives a refusal.
func TestAGapIsFilledOnItsPage(t *testing.T) {
	t.Parallel()
	w := still(t)
	tab := w.page("light", 1280, 800, 0)
	w.steps(tab, dp.Navigate(w.url+"/register/rota"), see("gap"), press("fill-gap"), see("shift-form"),
		choose("shift-person", "emil@saltmarsh.example"), write("shift-note", "Over the holidays"), press("keep-shift"))
	w.says(tab, "shift-form", "Emil Dahl has no phone number: give one")
	w.holds(tab, "shift-note", "Over the holidays")
	w.steps(tab, write("shift-phone", "+44 1632 960 099"), press("keep-shift"), see("shift"))
	w.says(tab, "on-now", "Emil Dahl can be reached now")
	w.says(tab, "shift", "Over the holidays")
}
