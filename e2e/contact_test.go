package e2e

import (
	"fmt"
	"os"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	dp "github.com/chromedp/chromedp"

	"roundhouse.example/internal/browser"
	"roundhouse.example/internal/server/apigen"
)

// enter puts a value into a field of the browser's own, such as a date.
func enter(id, value string) dp.Action[dp.Void] {
	return dp.Evaluate[dp.Void](fmt.Sprintf(`(() => { const f = document.querySelector('[data-testid=%q]'); f.value = %q;
		f.dispatchEvent(new Event('change', { bubbles: true })) })()`, id, value))
}

// How we are reached and what we consent to is told with the filing; what is completed or withdrawn afterwards stays
// marked until a message carries it.
func TestContactConsentsAndWhatComesLater(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna, sh := w.as(0), w.shell(0)
	name := ragna.draft("corvane", "Gates say no [mute]")
	tab := w.page("light", 1280, 800, 0)
	call := func(hour int) string {
		return w.clock.Now().AddDate(0, 0, 1).Format("2006-01-02T") + fmt.Sprintf("%02d:00", hour)
	}
	w.steps(tab, dp.Navigate(w.url+"/open/"+name), press("more-contact"), see("copy_to"), choose("contact_by", "phone"),
		write("copy_to", "lead@saltmarsh.example, quay"), enter("call_from", call(13)), enter("call_until", call(12)),
		press("add-consent"), see("consent-form"), choose("consent-kind", "diagnostics"),
		write("consent-for", "gate 3"), press("keep-consent"), see("consent"))
	w.until("what is wrong with it is said", func() bool {
		v, _ := ragna.get(name)
		text := fmt.Sprint(v.Needs)
		return contains(text, "it ends before it starts", "quay is not an email address")
	})
	w.steps(tab, enter("call_until", call(14)), write("copy_to", "@saltmarsh.example"))
	w.says(tab, "call-there", "vendor time")
	w.reviewable(tab)
	w.steps(tab, dp.Evaluate[dp.Void](`{ window.plain = window.fetch; window.fetch = async (r, o) => {
		if ((r.method ?? 'GET') === 'GET') throw new TypeError('cut off')
		return window.plain(r, o) } }`), press("review"))
	w.says(tab, "open-problem", "not be reached") // and not silently nothing
	w.steps(tab, dp.Evaluate[dp.Void](`window.fetch = window.plain`), press("review"), see("review-dialog"))
	w.says(tab, "review-dialog", "Please reach us by: phone")
	w.says(tab, "review-dialog", "Please copy in: lead@saltmarsh.example, quay@saltmarsh.example")
	w.says(tab, "review-dialog", "- Collecting diagnostics, for gate 3: given by Ragna Lie")
	w.steps(tab, press("file"))
	w.says(tab, "state", "Open")

	w.steps(tab, press("complete"), see("complete-dialog"), write("complete-steps", "1. Hold a card to gate 3"),
		press("keep-complete"), gone("complete-dialog"), press("withdraw-1"), write("why-withdrawn", "They have them"),
		press("do-withdraw"))
	w.says(tab, "untold", "Consent: collecting diagnostics, Steps to reproduce")
	sh.ok([]string{"case", "show", name},
		"Not told to the vendor yet: Consent: collecting diagnostics, Steps to reproduce")
	w.steps(tab, press("tell"), see("add-untold"), press("send"), gone("untold"))
	w.until("the vendor has it", func() bool {
		return slices.ContainsFunc(ragna.entries(name), func(e apigen.Entry) bool {
			return contains(e.Text, "This completes", "Consent: Collecting diagnostics, for gate 3: withdrawn by Ragna Lie on",
				"Steps to reproduce\n1. Hold a card to gate 3") && e.Delivery != nil && e.Delivery.State == "arrived"
		})
	})

	sh.ok([]string{"case", "edit", name, "--error", "E-44"}, "Not told to the vendor yet: Error text")
	sh.ok([]string{"case", "check", name}, "% complete", "What changed before")
	sh.ok([]string{"case", "reply", name, "--untold", "--text", "One more thing."}, "is being sent")
	if v, _ := ragna.get(name); v.Untold != nil {
		t.Errorf("while the message is on its way: %+v", *v.Untold)
	}
	w.until("all is told", func() bool {
		return strings.Contains(fmt.Sprint(ragna.entries(name)), "One more thing.\n\nError text\nE-44")
	})
	sh.fails(4, []string{"case", "reply", name, "--untold"}, "has been told everything")
	until := w.clock.Now().Add(time.Hour).Format(time.RFC3339)
	sh.ok([]string{"case", "consent", name, "--kind", "remote-session", "--for", "gate 4", "--until", until},
		"Consent 2 given by Ragna Lie", "case reply "+name+" --untold")
	sh.ok([]string{"consent", "list"}, "Remote session, for gate 4")
	sh.fails(4, []string{"case", "consent", name, "--withdraw", "1"}, "withdrawn already, by Ragna Lie")
	w.steps(tab, dp.Navigate(w.url+"/register/consents"), see("consent-row"))
	w.says(tab, "consent-row", "gate 4")
	if f := w.checked().Findings; len(f) > 0 {
		t.Errorf("the record differs: %+v", f)
	}
}

// A description of 300 kB in one paste is refused in words, in the console and in the terminal, and nothing of it is
// lost.
func TestAHugePaste(t *testing.T) {
	t.Parallel()
	w := still(t)
	name := w.as(0).draft("corvane", "Gates say no")
	tab := w.page("light", 1280, 800, 0)
	w.steps(tab, dp.Navigate(w.url+"/open/"+name), see("happened"), dp.Evaluate[dp.Void](`(() => {
		const f = document.querySelector('[data-testid="happened"]')
		Object.getOwnPropertyDescriptor(HTMLTextAreaElement.prototype, 'value').set.call(f, 'gate 3 '.repeat(43000))
		f.dispatchEvent(new Event('input', { bubbles: true })) })()`))
	w.says(tab, "open-problem", "20000")
	// It comes back after a crash, and what fits after it was cut is saved.
	w.steps(tab, browser.Go("/cases"), see("words"), browser.Go("/open/"+name), see("happened"))
	w.until("it is there again", func() bool {
		n, err := browser.Eval[int](tab, `document.querySelector('[data-testid="happened"]')?.value.length ?? 0`)
		return err == nil && n == 301000
	})

	long := strings.Repeat("gate 3 ", 43000)
	out, code := w.shell(0).run(long, "case", "edit", name, "--happened", "-")
	if code != 4 || !contains(out, "20000") {
		t.Errorf("status %d: %.300s", code, out)
	}
	file := regexp.MustCompile(`/\S+roundhouse-kept-\S+`).FindString(out)
	if kept, err := os.ReadFile(strings.TrimRight(file, ".:,)")); err != nil || strings.TrimSpace(string(kept)) !=
		strings.TrimSpace(long) {
		t.Errorf("what was typed is kept in %q: %v, %d bytes\n%.300s", file, err, len(kept), out)
	}
}
