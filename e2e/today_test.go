package e2e

import (
	"fmt"
	"testing"
	"time"

	dp "github.com/chromedp/chromedp"

	"roundhouse.example/internal/browser"
	"roundhouse.example/internal/server/apigen"
)

// fill writes into a field that is not typed into: a date, a choice.
func fill(id, value string) dp.Action[dp.Void] {
	return browser.True(`(() => { const e = document.querySelector('[data-testid="` + id + `"]'); e.value = '` + value +
		`'; e.dispatchEvent(new Event('input')); e.dispatchEvent(new Event('change')); return true })()`)
}

// A line of Today is answered where it stands: a callback is written down, a late promise is chased; the lanes show
// what is due, and a count opens its list.
func TestALineIsAnsweredOnToday(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	name := ragna.filed("corvane", "Which colour code? [mute]")
	other := ragna.filed("tallow", "A fan is loud [mute]")
	at := func(h time.Duration) string { return w.clock.Now().Add(h).Format(time.RFC3339) }
	ragna.must(201, "POST", "/cases/"+name+"/dates", m{"kind": "promise", "text": "A patch", "due": at(time.Hour)})
	ragna.must(201, "POST", "/cases/"+other+"/dates", m{"kind": "callback", "owed": "ours", "text": "Call them",
		"due": at(time.Hour)})
	w.clock.Move(61 * time.Minute)
	tab := w.page("light", 1280, 900, 0)
	line := func(name, part string) dp.Action[dp.Void] {
		return browser.True(`[...document.querySelectorAll('[data-testid=today-line]')].some(l =>
			l.innerText.includes('` + name + `') && l.innerText.includes('` + part + `'))`)
	}
	answer := func(name string) dp.Action[dp.Void] {
		return browser.Click(dp.CSS(`[data-testid=today-line] .step[aria-label$="` + name + `"]`))
	}
	w.steps(tab, dp.Navigate(w.url+"/"), see("lanes"),
		browser.True(`document.querySelectorAll('[data-testid=mark]').length >= 2`), line(name, "Promise late"),
		line(other, "Callback late"), answer(other), see("line-answer"), write("answer-with", "Teo"),
		write("answer", "They send a fan."), press("do-answer"), gone("line-answer"))
	if ragna.said(other, "They send a fan.") != 1 || ragna.said(other, "Callback 1 took place (entry") != 1 {
		t.Error("the call is not in the record")
	}
	// Answers that get lost on the way, and a draft that comes after them: trying again sends nothing twice.
	w.steps(tab, dp.Evaluate[dp.Void](`{ const plain = window.plain = window.fetch
		const late = new Promise((go) => { window.draft = go })
		window.fetch = async (r, o) => {
			if (r.url.endsWith('/chase')) await late
			const a = await plain(r, o)
			if (r.method === 'POST' && r.url.endsWith('/messages')) throw new TypeError('cut off')
			return a } }`), answer(name), see("line-answer"), write("answer", "Where is the patch?"), press("do-answer"))
	w.says(tab, "line-answer", "cannot be reached")
	w.steps(tab, dp.Evaluate[dp.Void](`{ window.fetch = window.plain; window.draft() }`),
		browser.True(`document.getElementById('answer').placeholder === ''`), press("do-answer"), gone("line-answer"))
	w.until("the vendor has it", func() bool { v, _ := ragna.get(name); return len(v.OnTheWay) == 0 })
	if ragna.said(name, "Where is the patch?") != 1 {
		t.Error("the message is not in the record")
	}
	w.steps(tab, press("fold"), browser.True(`document.querySelectorAll('[data-testid=mark]').length === 0`),
		press("fold"), press("glance-late"), see("case-row"), browser.True(`location.search.includes('show=late')`),
		browser.True(`document.querySelectorAll('[data-testid=case-row]').length === 1`))
	w.steps(tab, browser.Window("light", 390, 800), browser.Go("/"), see("lanes"),
		browser.True(`document.documentElement.scrollWidth <= innerWidth`))
}

// In the terminal: what is due within a time, a colleague's part, what is watched, what is new.
func TestWatchingInTheTerminal(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	name := ragna.filed("corvane", "Which colour code? [mute]")
	other := ragna.filed("tallow", "A fan is loud [mute]")
	emil, sh := w.shell(1), w.shell(0)
	sh.ok([]string{"case", "promise", name, "--by", w.clock.Now().Add(3 * time.Hour).Format(time.RFC3339), "--text",
		"A patch"})
	sh.ok([]string{"today", "--next", w.clock.Now().Add(4 * time.Hour).Format(time.RFC3339)}, name, "Promise: A patch",
		"running")
	sh.fails(4, []string{"today", "--next", "2026-01-01T00:00:00Z"}, "give a time after the beginning")
	emil.ok([]string{"watch"}, "You watch nothing")
	emil.ok([]string{"watch", name}, name, "Which colour code?")
	emil.ok([]string{"case", "list", "--watched"}, name)
	if out := emil.ok([]string{"today", "--watched"}, name); contains(out, other) {
		t.Errorf("what is not watched is there:\n%s", out)
	}
	emil.ok([]string{"today", "--owner", w.people[0].Email}, name, other)
	emil.fails(4, []string{"today", "--owner", "nobody@saltmarsh.example"}, "nobody here has the email address")
	emil.ok([]string{"watch", name, "--stop"}, "You do not watch "+name+" any more.")
	emil.fails(2, []string{"watch", name, "--stop"}, "you do not watch that")
	emil.ok([]string{"watch", "--severity", "1"}, "severity 1", "Stopped")
	emil.ok([]string{"watch", "--vendor", "tallow"}, "All cases of")

	sh.ok([]string{"case", "show", name})
	emil.ok([]string{"case", "note", name, "--text", "Ask the electrician first."})
	sh.ok([]string{"case", "list"}, "  1  ")
	if out := sh.ok([]string{"case", "show", name}, "New since you looked"); !contains(out, "Ask the electrician first.") {
		t.Error(out)
	}
	if out := sh.ok([]string{"case", "show", name}); contains(out, "New since you looked") {
		t.Errorf("it is new again:\n%s", out)
	}
	sh.ok([]string{"case", "summary", name, "--text", "They look at the log."})
	sh.ok([]string{"case", "move", name, "theirs", "--on", "carrier", "--name", "Nordlight"},
		"waiting on carrier Nordlight")
	sh.ok([]string{"case", "give", name, w.people[1].Email, "--summary", "They come on Friday."})
	emil.ok([]string{"case", "show", name}, "Where it stands (Ragna Lie", "They come on Friday.",
		"waiting on carrier Nordlight")
	sh.ok([]string{"case", "call", name, "--with", "Teo", "--text", "A patch comes.", "--promised", "Another patch by 2d",
		"--keeps", "1"})
	sh.ok([]string{"case", "dates", name}, "Another patch")
	sh.fails(2, []string{"case", "call", name, "--with", "Teo", "--text", "x", "--promised", "A patch"}, "has no date")
	sh.ok([]string{"case", "reply", name, "--text", "Which build?", "--we-ask", "The build number by 2d"})
	w.until("what is asked counts", func() bool {
		out, _ := sh.run("", "case", "dates", name)
		return contains(out, "The build number")
	})
	w.replayed()
}

// Today, a case and its entries are shown as they stood, by what had happened or by what was known then.
func TestAsItStood(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna, sh := w.as(0), w.shell(0)
	begin := w.clock.Now().Format(time.RFC3339)
	w.clock.Move(time.Minute)
	name := ragna.filed("corvane", "Which colour code? [mute]")
	w.clock.Move(time.Hour)
	called := w.clock.Now()
	w.clock.Move(time.Hour)
	before := w.clock.Now().Format(time.RFC3339)
	w.clock.Move(time.Hour)
	ragna.must(201, "POST", "/cases/"+name+"/calls", m{"with": "Teo", "text": "It is the green one.",
		"at": called.Format(time.RFC3339)})
	sh.ok([]string{"case", "note", name, "--text", "Green does not fit."})
	sh.ok([]string{"case", "show", name}, "It is the green one.", "Green does not fit.")

	then := sh.ok([]string{"case", "show", name, "--at", before}, "As it stood on", "It is the green one.")
	if contains(then, "Green does not fit.") {
		t.Errorf("what had not happened is there:\n%s", then)
	}
	known := sh.ok([]string{"case", "show", name, "--at", before, "--known"}, "As it stood on")
	if contains(known, "It is the green one.") {
		t.Errorf("what was not known is there:\n%s", known)
	}
	sh.ok([]string{"today", "--at", before, "--known"}, "As it stood on", name)
	sh.ok([]string{"case", "list", "--at", before}, name)
	if out := sh.ok([]string{"today", "--at", begin}); contains(out, name) {
		t.Errorf("a case is there before it was opened:\n%s", out)
	}
	sh.fails(4, []string{"case", "show", name, "--at", begin}, "opened")
	sh.fails(2, []string{"today", "--known"}, "--known goes with --at")
	for _, args := range [][]string{{"today"}, {"case", "list"}, {"case", "show", name}} {
		sh.fails(4, append(args, "--at", w.clock.Now().Add(time.Hour).Format(time.RFC3339)), "give a time that has passed")
	}
	sh.fails(4, []string{"case", "list", "--at", before, "--words", "colour"})

	has := func(part, script string) dp.Action[dp.Void] {
		return browser.True(`document.body.innerText.includes('` + part + `') && ` + script)
	}
	tab := w.page("light", 1280, 900, 0)
	w.steps(tab, dp.Navigate(w.url+"/?at="+before), see("stood"), browser.Click(dp.CSS(`[data-testid=today-line] a`)),
		has("It is the green one.", `!document.body.innerText.includes('Green does not fit.')`),
		has("As it stood on", `!document.querySelector('[data-testid=more-steps]')`), press("stood-known"),
		browser.True(`!document.body.innerText.includes('It is the green one.')`), press("stood-now"),
		has("Green does not fit.", `!location.search`), see("more-steps"))
}

// What a contract promised is shown as it stood, and so are the cases of that time, in the terminal and the console.
func TestTargetsAndListsAsTheyStood(t *testing.T) {
	t.Parallel()
	w := still(t)
	sh := w.shell(0)
	name := w.as(0).filed("corvane", "Which colour code? [mute]")
	w.clock.Move(time.Hour)
	before := w.clock.Now().UTC().Format(time.RFC3339)
	w.clock.Move(time.Hour)
	var list apigen.ContractPage
	lead := w.as(2)
	lead.must(200, "GET", "/contracts?vendor=corvane", nil).into(t, &list)
	var k apigen.ContractRecord
	lead.must(200, "GET", fmt.Sprintf("/contracts/%d", list.Items[0].Id), nil).into(t, &k)
	terms := []m{}
	for _, x := range k.Facts.Terms {
		if x.Deadline == "first-response" && x.Level == 4 {
			x.Target = "7bd"
		}
		terms = append(terms, m{"deadline": x.Deadline, "level": x.Level, "target": x.Target, "calendar": x.Calendar})
	}
	lead.patched(200, fmt.Sprintf("/contracts/%d?confirm=true", k.Id), m{"terms": terms})
	number := k.Facts.Number
	sh.ok([]string{"contract", "show", number}, "7 business days")
	then := sh.ok([]string{"contract", "show", number, "--at", before}, "Targets as they stood on", "in force from",
		"Everything else is as it is now.")
	if contains(then, "7 business days") {
		t.Errorf("what was promised later is there:\n%s", then)
	}
	sh.ok([]string{"contract", "show", number, "--at", "2001-01-01 00:00"}, "there were none yet")
	sh.fails(4, []string{"contract", "show", number, "--at", w.clock.Now().Add(time.Hour).Format(time.RFC3339)},
		"give a time that has passed")

	later := w.as(0).filed("corvane", "A later one [mute]")
	has := func(part string) dp.Action[dp.Void] {
		return browser.True(`document.body.innerText.includes('` + part + `')`)
	}
	tab := w.page("light", 1280, 900, 0)
	w.steps(tab, dp.Navigate(fmt.Sprintf("%s/register/contracts/%d", w.url, k.Id)), has("7 business days"), press("stand"),
		see("stood"), browser.Go(fmt.Sprintf("/register/contracts/%d?at=%s", k.Id, before)),
		has("were in force from"), browser.True(`!document.body.innerText.includes('7 business days')`), press("stood-now"),
		has("7 business days"), browser.Go("/cases"), has(later), press("stand"), see("stood"),
		browser.Go("/cases?at="+before), has(name), browser.True(`!document.body.innerText.includes('`+later+`')`),
		browser.Click(dp.CSS(`[data-testid=case-row] a`)), has("As it stood on"))
}
