package e2e

import (
	"strings"
	"testing"
	"time"

	dp "github.com/chromedp/chromedp"

	"roundhouse.example/internal/browser"
)

// From nothing to a filed case of severity 1 it takes at most eight inputs, the vendor's conditions apart: what its
// form requires is asked for and stops nobody, and the rota names the contact.
func TestTheQuickWay(t *testing.T) {
	t.Parallel()
	w := still(t)
	sh := w.shell(0)
	at := func(days int) string { return w.clock.Now().AddDate(0, 0, days).UTC().Format(time.RFC3339) }
	sh.ok([]string{"rota", "add", "emil@saltmarsh.example", "--from", at(-1), "--until", at(1), "--phone",
		"+44 1632 960 099"}, "Emil Dahl")
	w.as(4).patched(200, "/vendors/corvane", m{"forms": []m{{"kind": "any", "key": "tenant", "label": "Tenant",
		"type": "text", "required": true}}})

	tab := w.page("light", 1280, 800, 0)
	w.steps(tab, dp.Navigate(w.url), see("open-case")) // where a day begins
	inputs := 0
	input := func(steps ...dp.Action[dp.Void]) {
		t.Helper()
		inputs++
		w.steps(tab, steps...)
	}
	input(press("open-case"))
	input(browser.Pick("vendor", "corvane"))
	input(write("title", "No gate takes tickets"))
	input(press("mark-down"))
	w.says(tab, "grade", "Severity 1, Stopped")
	input(write("happened", "Since 09:40 every gate answers no"))
	w.confirms(tab, 2) // not counted: nobody confirms them for us
	w.reviewable(tab)
	input(press("review"), see("review-dialog"))
	w.says(tab, "review-missing", "Tenant")
	input(press("file"))
	w.says(tab, "state", "Open")
	if inputs > 8 {
		t.Errorf("the console takes %d inputs", inputs)
	}

	args := []string{"case", "open", "No gate takes tickets at Ern", "--vendor", "corvane", "--down",
		"--happened", "Since 09:40 every gate answers no", "--confirm", "--file"}
	said := 1 // the title; a flag with its value is one more
	for _, a := range args {
		if strings.HasPrefix(a, "--") && a != "--confirm" {
			said++
		}
	}
	if out := sh.ok(args, "Stopped"); said > 8 || !contains(out, "Tenant") {
		t.Errorf("in %d inputs, and the form's field is asked for: %s", said, out)
	}
}
