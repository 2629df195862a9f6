package e2e

import (
	"strings"
	"testing"
	"time"

	dp "github.com/chromedp/chromedp"

	"roundhouse.example/internal/browser"
)

// What happens shows in the console as it happens, counts until it is read, and is chosen by each person.
func TestToldAsItHappens(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna, emil, sh := w.as(0), w.shell(1), w.shell(0)
	name := ragna.filed("corvane", "Which colour code? [mute]")
	count := func(text string) dp.Action[dp.Void] {
		return browser.True(`document.querySelector('[data-testid=bell]').textContent.replace(/\s+/g, ' ').trim() ===
			'` + text + `'`)
	}
	tab := w.page("light", 1280, 800, 0)
	w.steps(tab, dp.Navigate(w.url+"/"), count("Notifications"), browser.True(
		`performance.getEntriesByType('resource').some(e => e.name.includes('/notifications') && e.responseEnd > 0)`))
	emil.ok([]string{"case", "note", name, "--text", "@Ragna, is it the yellow one?"})
	w.steps(tab, see("told"), count("Notifications1 unread"))
	w.says(tab, "told", "Mention in a note: @Ragna, is it the yellow one?")
	w.steps(tab, browser.Click(dp.CSS("[data-testid=told] a")), see("entry-1"), count("Notifications"), gone("told"))

	emil.ok([]string{"case", "note", name, "--text", "@Ragna Lie: or the green one?"})
	sh.ok([]string{"notifications", "list", "--unread"}, "1 unread", name, "or the green one?", "You are mentioned")
	w.steps(tab, browser.Go("/notifications"), see("notification"),
		browser.True(`document.querySelectorAll('[data-testid=notification]').length === 2`), press("only-unread"),
		browser.True(`document.querySelectorAll('[data-testid=notification]').length === 1`), press("read-all"),
		browser.True(`document.querySelectorAll('[data-testid=notification]').length === 0`), count("Notifications"))
	sh.ok([]string{"notifications", "list", "--unread"}, "Nothing is unread")

	w.steps(tab, fill("way-mention", "off"), write("quiet-from", "22"), press("save-settings"))
	w.says(tab, "settings", "give both the beginning and the end")
	w.holds(tab, "quiet-from", "22")
	w.steps(tab, dp.Evaluate[dp.Void](`document.querySelector('[data-testid=quiet-from]').value = ''`),
		write("quiet-from", "22:00"), write("quiet-to", "07:00"), write("digest-at", "07:30"), press("save-settings"))
	w.says(tab, "settings", "Next digest:")
	sh.ok([]string{"notifications", "settings"}, "Mention in a note            Off", "Quiet hours: 22:00 to 07:00",
		"each day at 07:30 (Europe/Oslo); next: Tue 24, 07:30",
		"names no email link")
	emil.ok([]string{"case", "note", name, "--text", "@Ragna: or the red one?"})
	sh.ok([]string{"notifications", "list", "--unread"}, "Nothing is unread")
	sh.ok([]string{"notifications", "settings", "--way", "mention=console", "--quiet", "none", "--digest", "none"},
		"No quiet hours.", "No digest by email")
	sh.fails(2, []string{"notifications", "settings", "--way", "mention"}, "--way KIND=WAY")
	sh.fails(4, []string{"notifications", "settings", "--way", "rain=email"}, "rain")
	sh.fails(2, []string{"notifications", "read"}, "or --all")
	sh.ok([]string{"notifications", "read", "--all"}, "All notifications are read.")
	sh.fails(4, []string{"webhook", "list"}, "Your role, handler, does not include this.")
}

// Our own people are told by email through a real server: what happened together in one email, with nothing of a note.
func TestToldByEmail(t *testing.T) {
	t.Parallel()
	w := still(t)
	server, admin := w.mails("help@lark.example")
	admin.fails(4, []string{"policy", "change", "--email-link", "nobody"}, "there is no email link")
	admin.ok([]string{"policy", "change", "--email-link", "desk-email"}, "desk-email")
	ragna := w.as(0)
	name := ragna.filed("corvane", "Which colour code? [mute]")
	ragna.must(201, "POST", "/cases/"+name+"/dates", m{"kind": "promise", "text": "A patch",
		"due": w.clock.Now().Add(2 * time.Hour).Format(time.RFC3339)})
	list := func() string { return w.shell(0).ok([]string{"notifications", "list"}) }
	w.clock.Move(110 * time.Minute)
	w.until("it comes due soon", func() bool { return strings.Contains(list(), "Promise: A patch") })
	w.shell(1).ok([]string{"case", "note", name, "--text", "@Ragna, is it the yellow one?"})
	w.clock.Move(2 * time.Minute)
	raw := strings.Join(server.wait(w, 1), "")
	for _, part := range []string{"Promise: A patch from Corvane Cloud", "Mention in a note, ", name} {
		if !strings.Contains(strings.ReplaceAll(raw, "=\r\n", ""), part) && !strings.Contains(raw, part) {
			t.Errorf("the email lacks %q:\n%s", part, raw)
		}
	}
	if strings.Contains(raw, "yellow") {
		t.Errorf("the note left:\n%s", raw)
	}
}
