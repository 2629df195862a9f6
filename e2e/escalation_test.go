package e2e

import (
	"slices"
	"strings"
	"testing"
	"time"

	dp "github.com/chromedp/chromedp"

	"roundhouse.example/internal/browser"
	"roundhouse.example/internal/core/escalation"
	"roundhouse.example/internal/server/apigen"
)

// Once the vendor is late enough, the case says whom to escalate to, how to reach them and why, in console and
// terminal; another ladder is followed.
func TestWhomToEscalateTo(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna, admin, sh := w.as(0), w.as(4), w.shell(0)
	admin.patched(200, "/vendors/corvane", m{"ladder": []m{{"role": "Shift lead", "how": "+44 1632 960 111",
		"told": "since when", "reply": "1h", "late_by": "30m"}, {"role": "Manager", "name": "Runa Haldis", "how": "by letter",
		"open_longer": "8h", "severity": 4}}})
	name := ragna.filed("corvane", "Gates say no [mute]")
	if v, _ := ragna.get(name); v.Advice != nil {
		t.Fatalf("at once: %+v", *v.Advice)
	}
	advised := func(rung int, because escalation.Reason) {
		t.Helper()
		w.until("the advice", func() bool {
			v, _ := ragna.get(name)
			if rung == 0 || v.Advice == nil {
				return rung == 0 && v.Advice == nil
			}
			return v.Advice.Rung == rung && string(v.Advice.Because) == string(because)
		})
	}
	v, _ := ragna.get(name)
	w.clock.Move(v.Deadlines[0].Due.Sub(w.clock.Now()) + 30*time.Minute)
	advised(1, escalation.Late)
	sh.ok([]string{"case", "show", name},
		"Escalate to Shift lead (rung 1 of 2), because the vendor is late by 30 minutes or more.",
		"how to reach them  +44 1632 960 111", "what to tell them  since when", "they answer within 1 hour")
	tab := w.page("dark", 1280, 800, 0)
	w.steps(tab, dp.Navigate(w.url+"/cases/"+name), see("advice"))
	w.says(tab, "advice", "Escalate to Shift lead, because the vendor is late by 30 minutes or more.")
	w.says(tab, "advice", "+44 1632 960 111")
	admin.patched(200, "/vendors/corvane", m{"ladder": []m{{"role": "Manager", "name": "Runa Haldis", "how": "by letter",
		"open_longer": "2h", "severity": 3}}})
	advised(1, escalation.OpenLong)
	sh.ok([]string{"case", "show", name}, "Escalate to Manager Runa Haldis (rung 1 of 1), because it has been open for 2 "+
		"hours or longer at severity 3 or worse.")
	admin.patched(200, "/vendors/corvane", m{"ladder": []m{}})
	advised(0, "")
	w.steps(tab, dp.Reload(), see("entry-1"), gone("advice"))
}

// A late severity 1, up the ladder and back: drafted and raised in the console, answered and passed up in the terminal,
// chased from Today; what was said stands in the record.
func TestTheStoryOfALateCase(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna, admin, sh := w.as(0), w.as(4), w.shell(0)
	admin.patched(200, "/vendors/corvane", m{"ladder": []m{{"role": "Shift lead", "how": "+44 1632 960 111", "reply": "1h",
		"late_by": "30m"}, {"role": "Manager", "name": "Runa Haldis", "how": "by letter", "reply": "2h"}, {"role": "Owner",
		"how": "in person"}}})
	name := ragna.filed("corvane", "Gates say no [mute]")
	v, _ := ragna.get(name)
	w.clock.Move(v.Deadlines[0].Due.Sub(w.clock.Now()) + 30*time.Minute)
	w.until("the advice", func() bool { v, _ := ragna.get(name); return v.Advice != nil })
	tab := w.page("light", 1280, 900, 0)
	w.steps(tab, dp.Navigate(w.url+"/"), see("today-line"))
	w.says(tab, "today-line", "Escalate to Shift lead: the vendor is late by 30 min")
	w.says(tab, "today-line", "+44 1632 960 111 · open now")
	w.steps(tab, browser.Click(dp.CSS(`[data-testid=today-line] .step`)), see("escalation-text"))
	w.says(tab, "rung-1", "Advised now")
	w.steps(tab, write("told-answer", "Somebody looks at it within the hour."), write("told-promise", "A first look"),
		fill("told-promise-by", "2027-01-01T12:00"), press("escalate-go"), see("entry-1"))
	w.until("the answer is on the record", func() bool { v, _ := ragna.get(name); return v.Advice == nil })
	sh.ok([]string{"case", "show", name}, "Call or chat by Ragna Lie", "To Shift lead, by phone:",
		"We are escalating this case to you.", "Call or chat with Shift lead", "Somebody looks at it within the hour.",
		"Escalated to Shift lead (rung 1 of 3). Reason: the vendor is late by 30 minutes or more")
	// The second by message, from the terminal.
	sh.fails(4, []string{"case", "escalate", name, "--rung", "2", "--drafted"}, "reason", "say why")
	sh.ok([]string{"case", "escalate", name, "--rung", "2", "--drafted", "--reason", "Nothing has come of it"},
		"is being sent to Corvane Cloud", "It counts as escalated to Manager Runa Haldis (rung 2) once it has arrived")
	w.until("it has left", func() bool {
		v, _ := ragna.get(name)
		return v.Dates != nil && slices.ContainsFunc(*v.Dates, func(d apigen.DatedItem) bool { return d.Item == "rung-2" })
	})
	sh.ok([]string{"case", "ladder", name}, "raised", "answer ✓ met", "answer due", "We escalated this to Manager Runa")
	sh.ok([]string{"case", "call", name, "--with", "Runa Haldis", "--text", "A team has it now.", "--keeps", "rung-2",
		"--move", "theirs", "--promised", "A fix by " + w.clock.Now().Add(4*time.Hour).Format(time.RFC3339)}, "is saved")
	w.steps(tab, dp.Navigate(w.url+"/cases/"+name+"/escalate"), see("pick-1"))
	w.says(tab, "raised-2", "met")
	w.steps(tab, write("escalation-text", "Kept for later."), dp.Reload(), see("pick-1"))
	w.until("what was typed is kept", func() bool {
		got, err := browser.Eval[string](tab, `document.querySelector('[data-testid=escalation-text]').value`)
		return err == nil && strings.HasSuffix(got, "Kept for later.")
	})
	// A chase, from its draft.
	w.clock.Move(5 * time.Hour)
	w.steps(tab, dp.Navigate(w.url+"/cases/"+name+"?do=chase"), see("chasing"))
	w.until("the draft is there", func() bool {
		got, err := browser.Eval[string](tab, `document.querySelector('[data-testid=writing]').value`)
		return err == nil && contains(got, "you promised, by ") && contains(got, "A fix. That time has passed.")
	})
	w.steps(tab, press("send"), gone("writing"))
	w.until("it is counted", func() bool { v, _ := ragna.get(name); return v.Chases != nil && *v.Chases == 1 })
	sh.ok([]string{"case", "chase", name, "--drafted"}, "Chased twice since its last reply. Next: ")
	sh.ok([]string{"case", "dates", name, "--all"}, "Where this stands")
}

// Management is told where a case stands: by email and another way, from console and terminal; the case keeps both.
func TestABriefingInConsoleAndTerminal(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna, sh := w.as(0), w.shell(0)
	name := ragna.filed("corvane", "Gates say no [mute]")
	sh.ok([]string{"case", "brief", name}, "Gates say no", "Vendor: Corvane Cloud (", "waiting on the vendor since")
	sh.fails(4, []string{"case", "brief", name, "--to", "board@saltmarsh.example", "--drafted"},
		"our policy names no email link", "say who was told")
	sh.ok([]string{"case", "brief", name, "--told", "The morning meeting", "--drafted"},
		"is saved; told: The morning meeting.")
	tab := w.page("dark", 1280, 800, 0)
	w.steps(tab, dp.Navigate(w.url+"/cases/"+name), see("entry-1"), press("more-steps"), press("brief"),
		see("brief-dialog"),
		press("brief-copied"), write("brief-to", "The harbour master"))
	w.until("the draft is there", func() bool {
		got, err := browser.Eval[string](tab, `document.querySelector('[data-testid=brief-text]').value`)
		return err == nil && contains(got, "Vendor: Corvane Cloud (")
	})
	w.steps(tab, press("brief-go"), gone("brief-dialog"))
	sh.ok([]string{"case", "show", name}, "Briefing by Ragna Lie, to The morning meeting, not emailed from here",
		"Briefing by Ragna Lie, to The harbour master, not emailed from here")
	if got := w.as(3).said(name, "Vendor: Corvane Cloud ("); got != 2 {
		t.Errorf("an auditor reads %d briefings", got)
	}
	// A draft that comes late leaves what was typed meanwhile.
	w.steps(tab, dp.Evaluate[dp.Void](`{ const plain = window.fetch
		const late = new Promise((go) => { window.draft = go })
		window.fetch = async (r, o) => {
			if (!r.url.endsWith('/briefings')) return plain(r, o)
			await late
			const a = await plain(r, o)
			setTimeout(() => { window.came = true }, 300)
			return a } }`), press("more-steps"), press("brief"), see("brief-dialog"),
		write("brief-text", "A crew comes."), dp.Evaluate[dp.Void](`window.draft()`), browser.True(`window.came === true`),
		browser.True(`document.querySelector('[data-testid=brief-text]').value === 'A crew comes.'`))
}
