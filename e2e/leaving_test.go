package e2e

import (
	"strings"
	"testing"

	dp "github.com/chromedp/chromedp"

	"roundhouse.example/internal/browser"
)

const leaked = "Fog9Horn77"

// What must not leave is refused with its place, nothing of it is saved, and it leaves only for a reason that stands in
// the record. What stays in the house, or came into it, is marked, never refused.
func TestWhatMustNotLeave(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	refused := func(method, path string, body any, header ...string) {
		t.Helper()
		p := ragna.must(422, method, path, body, header...).problem(t)
		if !strings.HasSuffix(p.Type, "/must-not-leave") || !contains(*p.Detail, "a password") || len(*p.Errors) != 1 ||
			!contains((*p.Errors)[0].Detail, "line ", "password: ********") || contains((*p.Errors)[0].Detail, leaked) {
			t.Errorf("%s: %+v %+v", path, p, p.Errors)
		}
	}
	// A filing: the draft stays as it is.
	draft := ragna.draft("corvane", "Slow since this morning [mute]")
	ragna.patched(200, "/cases/"+draft, m{"texts": m{"happened": "Try it as sync, password: " + leaked}})
	refused("POST", "/cases/"+draft+"/steps", m{"step": "file"}, "If-Match", tag(ragna, draft))
	if v, _ := ragna.get(draft); v.Line.State != "draft" || len(v.OnTheWay) != 0 {
		t.Errorf("after the refusal: %+v", v.Line)
	}
	ragna.step(draft, m{"step": "file", "disclose_reason": "An account for this test"})
	ragna.untilState(draft, "open")
	if n := ragna.said(draft, "has a password in it, and is sent anyway. Reason: An account for this test"); n != 1 {
		t.Errorf("the reason stands %d times in the record", n)
	}

	// A message, and the words of a step.
	name := ragna.filed("corvane", "Which colour code? [mute]")
	before := len(ragna.entries(name))
	body := m{"text": "Log in with\nPASSWORD=" + leaked}
	p := ragna.must(422, "POST", "/cases/"+name+"/messages", body).problem(t)
	if !contains((*p.Errors)[0].Detail, "line 2: password: PASSWORD=********") {
		t.Errorf("its place: %+v", *p.Errors)
	}
	refused("POST", "/cases/"+name+"/steps", m{"step": "withdraw", "reason": "Not any more, password: " + leaked},
		"If-Match", tag(ragna, name))
	if after := ragna.entries(name); len(after) != before {
		t.Errorf("a refusal left %d entries", len(after)-before)
	}
	body["disclose_reason"] = "  "
	ragna.must(422, "POST", "/cases/"+name+"/messages", body)
	body["disclose_reason"] = "Changed tonight"
	ragna.must(201, "POST", "/cases/"+name+"/messages", body)
	ragna.must(201, "POST", "/cases/"+name+"/messages", m{"text": "Write to ragna@saltmarsh.example, NO93 8601 1117 947."})

	// Notes and the vendor's words are marked.
	ragna.must(201, "POST", "/cases/"+name+"/notes", m{"text": "They told me: token=9f8e7d6c5b4a3f2e"})
	v, _ := ragna.get(name)
	w.speak("corvane", *v.Line.Reference, false, "in hand", "")
	w.until("it is marked", func() bool {
		marked := map[string]string{}
		for _, e := range ragna.entries(name) {
			if e.Holds != nil {
				for _, k := range *e.Holds {
					marked[string(e.Kind)] += string(k)
				}
			}
		}
		return marked["note"] == "token" && marked["message"] == ""
	})
	w.replayed()
}

// The terminal says what must not leave, keeps what was written, and sends it for a reason.
func TestWhatMustNotLeaveInTheTerminal(t *testing.T) {
	t.Parallel()
	w := still(t)
	name := w.as(0).filed("corvane", "Which colour code? [mute]")
	s := w.shell(0)
	out, code := s.run("first\nlogin sync password "+leaked+"\n", "case", "reply", name, "--text", "-")
	if code != 4 || !contains(out, "This must not be sent as it is", "a password", "  line 2: password: ", "--disclose",
		"Your text is kept in") || contains(out, leaked) {
		t.Errorf("refused with %d:\n%s", code, out)
	}
	s.ok([]string{"case", "reply", name, "--text", "password: " + leaked, "--disclose", "A test account"}, "is being sent")
	s.ok([]string{"case", "note", name, "--text", "password: " + leaked}, "is saved")
	s.ok(words("case show "+name), "Entry 4 has a password in it, and is sent anyway. Reason: A test account",
		"(internal, never sent), has a password in it")
	for _, help := range []string{"case file", "case close", "case open", "case refile"} {
		s.ok(append(words(help), "--help"), "--disclose")
	}
}

// The page says it while somebody writes: the message waits for a reason or for the mask, and a note for neither.
func TestWhatMustNotLeaveInTheConsole(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	name := ragna.filed("corvane", "Which colour code? [mute]")
	draft := ragna.draft("corvane", "Slow since this morning [mute]")
	tab := w.page("light", 1280, 800, 0)
	w.steps(tab, dp.Navigate(w.url+"/cases/"+name), press("door-note"), write("writing", "password: "+leaked),
		see("found-password"), gone("disclose"), press("send"), gone("writing"),
		press("door-message"), write("writing", "Log in with password: "+leaked), see("found-password"),
		browser.True(`document.querySelector('[data-testid=send]').disabled`),
		write("disclose", "A test account"), browser.True(`!document.querySelector('[data-testid=send]').disabled`),
		press("mask"), gone("found-password"),
		browser.True(`document.querySelector('[data-testid=writing]').value === 'Log in with password: ********'`),
		press("send"), gone("writing"))
	w.until("the masked message is there", func() bool { return ragna.said(name, "password: ********") == 1 })

	// On a draft it is said at once, masked in its own field, and asked for a reason in the review.
	w.steps(tab, browser.Go("/open/"+draft), write("happened", "Since nine. password: "+leaked),
		see("found-password"), press("mask"),
		browser.True(`document.querySelector('[data-testid=happened]').value.endsWith('password: ********')`),
		gone("found-password"), write("happened", " PIN: 471108"), see("found-password"),
		browser.True(`!document.querySelector('[data-testid=review]').disabled`), press("review"), see("review-dialog"),
		browser.True(`document.querySelector('[data-testid=file]').disabled`), write("disclose", "They need it"),
		browser.True(`!document.querySelector('[data-testid=file]').disabled`), press("file"),
		gone("review-dialog"))
	ragna.untilState(draft, "open")
	if ragna.said(draft, "They need it") != 1 {
		t.Error("the reason is not in the record")
	}
}
