package e2e

import (
	"testing"
	"time"

	dp "github.com/chromedp/chromedp"

	"roundhouse.example/internal/core/escalation"
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
