package e2e

import (
	"testing"
	"time"

	dp "github.com/chromedp/chromedp"

	"roundhouse.example/internal/browser"
	"roundhouse.example/internal/server/apigen"
)

// An outage is noted once and seen by whoever opens a case with that vendor, who can tie the case to it.
func TestAKnownOutage(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna, sh := w.as(0), w.shell(0)
	at := func(d time.Duration) string { return w.clock.Now().Add(d).UTC().Format(time.RFC3339) }
	sh.ok([]string{"outage", "list"}, "No outages")
	sh.fails(4, []string{"outage", "add", "corvane", "Sign-in fails", "--since", at(time.Hour)}, "this is in the future")
	sh.fails(4, []string{"outage", "add", "moon", "Sign-in fails", "--since", at(-time.Hour)}, `there is no vendor "moon"`)
	sh.fails(4, []string{"outage", "add", "corvane", "Sign-in fails", "--since", at(-time.Hour), "--page",
		"javascript:alert(1)"}, "give a web address")
	sh.ok([]string{"outage", "add", "corvane", "Sign-in fails", "--since", at(-time.Hour), "--said", "We are on it",
		"--page", "https://status.corvane.example"}, "Outage 1 of Corvane Cloud: Sign-in fails")
	sh.ok([]string{"outage", "list", "--vendor", "corvane", "--current"}, "Sign-in fails", "ongoing")
	sh.ok([]string{"outage", "list", "--vendor", "tallow"}, "No outages")
	name, other := ragna.draft("corvane", "People cannot sign in"), ragna.draft("tallow", "Loud")
	tab := w.page("light", 1280, 800, 0)
	w.steps(tab, dp.Navigate(w.url+"/open/"+name), see("known-outages"))
	w.says(tab, "known-outages", "The vendor says: “We are on it”")
	w.steps(tab, press("tie-1"))
	w.says(tab, "known-outages", "Untie this case from it")
	if v, _ := ragna.get(name); v.Outage == nil || v.Outage.Title != "Sign-in fails" || v.Outage.Cases != 1 {
		t.Errorf("tied to %+v", v.Outage)
	}
	sh.ok([]string{"case", "show", name}, "outage", "Sign-in fails", "Tied to the vendor's outage: Sign-in fails.")
	sh.fails(4, []string{"outage", "tie", other, "1"}, "this vendor has no such outage")
	sh.fails(3, []string{"outage", "tie", other, "7"}, "no outage 7")
	// What is typed goes on being saved after that.
	w.steps(tab, write("tried", "Another browser."))
	w.until("it is saved", func() bool { v, _ := ragna.get(name); return v.Texts.Tried == "Another browser." })
	// It ends on its page, and is no longer offered.
	w.steps(tab, browser.Go("/register/outages"), see("outage"), press("change-outage"), see("outage-form"),
		write("outage-said", ", and it is mended"), dp.Evaluate[dp.Void](`{ const f = document.getElementById('outage-ended')
			f.value = '2026-11-22T08:00'; f.dispatchEvent(new Event('input', { bubbles: true })) }`), press("keep-outage"))
	w.says(tab, "outage-form", "this is before it began")
	w.holds(tab, "outage-said", "We are on it, and it is mended")
	sh.ok([]string{"outage", "change", "1", "--ended", at(0)}, "It ended")
	var list apigen.Outages
	if ragna.must(200, "GET", "/outages?current=true", nil).into(t, &list); len(list.Items) != 0 {
		t.Errorf("still going on: %+v", list.Items)
	}
	sh.ok([]string{"outage", "tie", name, "none"}, name)
	if sum := w.checked(); len(sum.Findings) > 0 {
		t.Errorf("the record says otherwise: %+v", sum.Findings)
	}
}
