package e2e

import (
	"testing"
	"time"

	dp "github.com/chromedp/chromedp"

	"roundhouse.example/internal/browser"
	"roundhouse.example/internal/server/apigen"
)

// A date is set, moved and kept in the terminal: lists, Today and the record have it, and a case that has ended goes on
// with a follow-up.
func TestDatesInTheTerminal(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	name := ragna.filed("corvane", "Which colour code? [mute]")
	sh := w.shell(0)
	by := w.clock.Now().Add(2 * time.Hour).Format(time.RFC3339)
	later := w.clock.Now().Add(50 * time.Hour).Format(time.RFC3339)
	sh.ok([]string{"case", "promise", name, "--by", by, "--text", "A patch"}, "Promise 1, owed by the vendor, due ")
	sh.ok([]string{"case", "follow-up", name, "--by", "2026-12-04", "--text", "Ask the bank", "--for",
		w.people[0].Email}, "Follow-up 2, owed by us, due 4 December 2026, 16:00 Europe/Oslo: Ask the bank")
	sh.ok([]string{"case", "dates", name}, "1  Promise    A patch       vendor", "2  Follow-up  Ask the bank  Ragna Lie")
	sh.ok([]string{"case", "dates", name, "-o", "csv"}, "1,promise,theirs,A patch,,")
	sh.fails(2, []string{"case", "promise", name, "--text", "x"}, "--by")
	sh.fails(2, []string{"case", "promise", name, "--by", "2026-02-30", "--text", "x"}, "there is no such day")
	sh.fails(2, []string{"case", "promise", name, "--kept", "1", "--drop", "1"},
		"use one of --kept, --move, --drop and --detail")
	sh.fails(4, []string{"case", "ask", name, "--by", by, "--text", "Which bank?"}, "owed: say who is asked")
	sh.fails(4, []string{"case", "promise", name, "--kept", "7"}, "no date 7")
	w.clock.Move(2*time.Hour + time.Minute)
	w.until("Today says that it is late", func() bool {
		out, _ := sh.run("", "today")
		return contains(out, name, "Promise late", "Chase")
	})
	sh.ok([]string{"case", "promise", name, "--move", "1", "--by", later, "--text", "They need longer"}, "was moved to")
	sh.ok([]string{"case", "promise", name, "--kept", "1"}, "Promise 1 was kept: A patch")
	sh.ok([]string{"case", "resolve", name, "--text", "Solved", "--cause", "A setting"})
	v := ragna.untilState(name, "resolved")
	var got []string
	for _, d := range *v.Dates {
		got = append(got, d.Item+" "+string(d.Standing))
	}
	if len(got) != 3 || got[0] != "2 running" || v.Line.NextAt == nil || !v.Line.NextAt.Equal((*v.Dates)[0].DueAt) {
		t.Errorf("after the end: %v, next %v", got, v.Line.NextAt)
	}
	sh.fails(4, []string{"case", "check-in", name, "--by", later}, "dates are set on a live case")
	sh.ok([]string{"case", "follow-up", name, "--kept", "2", "--text", "It was the bank"}, "It was the bank")
	w.replayed()
}

// On its page a case has its dates: what was typed stays after a refusal, and what has ended is folded away.
func TestDatesInTheConsole(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	name := ragna.filed("corvane", "Which colour code? [mute]")
	tab := w.page("light", 1280, 800, 0)
	fill := func(id, value string) dp.Action[dp.Void] {
		return browser.True(`(() => { const e = document.querySelector('[data-testid=` + id + `]'); e.value = '` + value +
			`'; e.dispatchEvent(new Event('input')); e.dispatchEvent(new Event('change')); return true })()`)
	}
	due := w.clock.Now().Add(50 * time.Hour).Format("2006-01-02T15:04")
	w.steps(tab, dp.Navigate(w.url+"/cases/"+name), press("add-date"), see("date-form"), fill("date-kind", "ask"),
		write("date-text", "Which bank is it?"), fill("date-due", due), press("set-date"),
		browser.True(`document.querySelector('[data-testid=date-form] .problem')?.innerText.includes('say who is asked')`),
		browser.True(`document.querySelector('[data-testid=date-text]').value === 'Which bank is it?'`),
		fill("date-owed", "ours"), press("set-date"), see("date-1"),
		browser.True(`document.querySelector('[data-testid=date-1]').innerText.includes('Ask: Which bank is it?')`))
	w.steps(tab, press("dropped-1"), press("do-end-date"),
		browser.True(`document.querySelector('[data-testid=date-end] .problem')?.innerText.includes('say why')`),
		press("kept-1"), write("date-why", "The one at the harbour"), press("do-end-date"), gone("date-1"),
		press("all-dates"), see("ended-date"))
	var v apigen.Case
	if v, _ = ragna.get(name); len(*v.Dates) != 1 || (*v.Dates)[0].Standing != "met" || (*v.Dates)[0].Owed != "ours" {
		t.Errorf("the dates: %+v", *v.Dates)
	}
	if ragna.said(name, "Ask 1 was answered: Which bank is it?\nThe one at the harbour") != 1 {
		t.Error("the record does not say it")
	}
}
