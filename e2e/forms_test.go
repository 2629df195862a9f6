package e2e

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/page"
	dp "github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"roundhouse.example/internal/browser"
	"roundhouse.example/internal/server/apigen"
)

// holds waits until a field has a value.
func (w *world) holds(tab *browser.Tab, id, want string) {
	w.t.Helper()
	last := ""
	w.until(fmt.Sprintf("%s holds %q", id, want), func() bool {
		got, err := browser.Eval[string](tab,
			fmt.Sprintf(`document.querySelector('[data-testid=%q]')?.value ?? '(gone)'`, id))
		last = got
		return err == nil && got == want
	})
	if last != want {
		w.t.Errorf("%s holds %q", id, last)
	}
}

// readsLate makes a page whose reads wait for as many milliseconds as window.late says, and those of addresses with
// sessionStorage.lateOf in them for a while, also where a page begins with them.
func readsLate() dp.Action[dp.Void] {
	return eachPage(`{ const plain = window.fetch; window.fetch = async (r, o) => {
		const of = sessionStorage.lateOf
		if (of && r.url.includes(of)) await new Promise(ok => setTimeout(ok, 1500))
		if (window.late && (r.method ?? 'GET') === 'GET') await new Promise(ok => setTimeout(ok, window.late))
		return plain(r, o) } }`)
}

// eachPage makes each page that is loaded from now on begin with a script.
func eachPage(script string) dp.Action[dp.Void] {
	return dp.Func(func(c context.Context, g *dp.Target) error {
		_, err := cdp.Call(c, g, page.AddScriptToEvaluateOnNewDocument,
			page.AddScriptToEvaluateOnNewDocumentParams{Source: script})
		return err
	})
}

// Two people change one thing: the second is told, what was typed is still there, and the first one's change stays.
func TestTwoPeopleInOneForm(t *testing.T) {
	t.Parallel()
	w := newWorld(t, nil, 1)
	ragna := w.as(0)
	at := ragna.added("/assets", m{"vendor": "tallow", "name": "Gannetholm-2", "serial": "TWS-1"})
	var a apigen.AssetRecord
	tab := w.page("light", 1280, 800, 0)
	w.steps(tab, readsLate(), dp.Navigate(w.url+"/register"+at), press("edit"), write("f-site", "Marrowby"))
	w.as(1).patched(200, at, m{"serial": "TWS-2"})
	w.steps(tab, press("save"), see("problem"))
	w.says(tab, "problem", "Somebody else has changed it since you started. Your changes are still here")
	w.holds(tab, "f-site", "Marrowby")
	ragna.must(200, "GET", at, nil).into(t, &a)
	if a.Facts.Site != "" || a.Facts.Serial != "TWS-2" {
		t.Errorf("written over: %+v", a.Facts)
	}
	// Begun again, it shows what the other wrote, and both changes are kept.
	w.steps(tab, press("leave"), press("edit"))
	w.holds(tab, "f-serial", "TWS-2")
	w.steps(tab, write("f-site", "Marrowby"), press("save"), see("edit"))
	ragna.must(200, "GET", at, nil).into(t, &a)
	if a.Facts.Site != "Marrowby" || a.Facts.Serial != "TWS-2" {
		t.Errorf("kept: %+v", a.Facts)
	}
	// Changed again at once, before anything was read again, it begins with what was saved. What is refused says so
	// beside its field, and is still there to be mended.
	w.steps(tab, dp.Evaluate[dp.Void]("window.late = 1500"), press("edit"), write("f-note", "Twice"), press("save"),
		see("edit"), press("edit"))
	w.holds(tab, "f-note", "Twice")
	w.steps(tab, write("f-product", "No such thing"), see("wrong-product"), press("save"))
	w.says(tab, "problem", "Not saved yet")
	w.holds(tab, "f-product", "No such thing")
	w.says(tab, "show-wrong", "1 field needs attention")
}

// The vendor writes while somebody is writing to it: the text stays, the message is shown, and it is sent once, on
// the second word of the writer.
func TestTheVendorWritesMeanwhile(t *testing.T) {
	t.Parallel()
	w := newWorld(t, nil, 1)
	ragna := w.as(0)
	name := ragna.filed("corvane", "Console signs people out [mute]")
	v, _ := ragna.get(name)
	tab := w.page("light", 1280, 800, 0)
	w.steps(tab, dp.Navigate(w.url+"/cases/"+name), press("door-message"), write("writing", "Is anybody there?"))
	before := len(ragna.entries(name))
	w.speak("corvane", *v.Line.Reference, false, "working", "")
	w.steps(tab, see(fmt.Sprintf("entry-%d", before+1)))
	w.holds(tab, "writing", "Is anybody there?")
	w.steps(tab, press("send"))
	sent := func() (n int) {
		for _, e := range ragna.entries(name) {
			if strings.Contains(e.Text, "Is anybody there?") {
				n++
			}
		}
		return n
	}
	said := func() bool {
		got, err := browser.Eval[bool](tab,
			`[...document.querySelectorAll('form [role="alert"]')].some(x => x.textContent.includes('its message is above'))`)
		return err == nil && got
	}
	w.until("it is sent, or the newer message is pointed at", func() bool { return sent() == 1 || said() })
	if sent() == 0 {
		w.holds(tab, "writing", "Is anybody there?")
		w.steps(tab, press("send"))
	}
	w.until("it is sent", func() bool { return sent() == 1 })
	w.steps(tab, browser.Gone(browser.ID("writing")))
	if n := sent(); n != 1 {
		t.Errorf("sent %d times", n)
	}
}

// The form of an answer waits for the record, which it follows: it is not pushed away while somebody types, and does
// not take what the record has for news.
func TestAnsweringWaitsForTheRecord(t *testing.T) {
	t.Parallel()
	w := newWorld(t, nil, 1)
	ragna := w.as(0)
	name := ragna.filed("corvane", "Console signs people out [mute]")
	v, _ := ragna.get(name)
	w.speak("corvane", *v.Line.Reference, false, "waiting on you", "")
	w.until("the vendor has asked", func() bool { v, _ = ragna.get(name); return *v.Line.Move == "ours" })
	tab := w.page("light", 1280, 800, 0)
	w.steps(tab, readsLate(), dp.Navigate(w.url), see("find"),
		dp.Evaluate[dp.Void](`sessionStorage.lateOf = '/entries'`), dp.Navigate(w.url+"/cases/"+name+"?do=answer"),
		see("writing"))
	if there, err := browser.Eval[bool](tab, `!!document.querySelector('[data-testid="entry-4"]')`); err != nil || !there {
		t.Fatalf("the form was there before the record: %v", err)
	}
	w.steps(tab, write("writing", "The log is below"), press("send"), browser.Gone(browser.ID("writing")))
	if last := ragna.entries(name); !strings.Contains(last[len(last)-1].Text+last[len(last)-2].Text, "The log is below") {
		t.Errorf("not sent: %+v", last[len(last)-1])
	}
}

// While one person fills in a step, another changes the case: what was typed stays, and the step says what became
// of it.
func TestTwoPeopleTakeAStep(t *testing.T) {
	t.Parallel()
	w := newWorld(t, nil, 1)
	ragna, emil := w.as(0), w.as(1)
	name := ragna.filed("corvane", "Console signs people out [mute]")
	v, _ := ragna.get(name)
	w.speak("corvane", *v.Line.Reference, false, "fix out", "repair")
	ragna.untilState(name, "fix-offered")
	tab := w.page("dark", 1280, 800, 0)
	w.steps(tab, dp.Navigate(w.url+"/cases/"+name), press("step-reject"), see("step-dialog"),
		write("reason", "It came back at ten"))
	// A note of somebody else's does not disturb it.
	emil.must(201, "POST", "/cases/"+name+"/notes", m{"text": "I am looking too"})
	w.steps(tab, browser.See(dp.CSS(`[data-kind="note"]`)))
	w.holds(tab, "reason", "It came back at ten")
	// Somebody else accepts it first.
	emil.step(name, m{"step": "accept", "reason": "Works here"})
	emil.untilState(name, "resolved")
	w.steps(tab, press("step-go"), browser.See(dp.CSS(`[data-testid="step-dialog"] [role="alert"]`)))
	w.holds(tab, "reason", "It came back at ten")
	for _, e := range ragna.entries(name) {
		if strings.Contains(e.Text, "It came back at ten") {
			t.Errorf("told to the vendor of a resolved case: %q", e.Text)
		}
	}
	w.steps(tab, dp.SendKeys(browser.ID("reason"), kb.Escape), browser.Gone(browser.ID("step-dialog")))
	w.says(tab, "state", "Resolved")
}

// Who mistypes a password keeps the address, and is not told which of the two was wrong.
func TestSigningInInTheConsole(t *testing.T) {
	t.Parallel()
	w := newWorld(t, nil, 1)
	tab, err := chromium.Tab("light", 390, 800)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(tab.Close)
	w.steps(tab, dp.Navigate(w.url+"/register/assets?cover=none"), write("email", w.people[0].Email),
		write("password", "not this one"), press("sign-in"), see("sign-in-problem"))
	w.says(tab, "sign-in-problem", "email address or the password is wrong")
	w.holds(tab, "email", w.people[0].Email)
	w.steps(tab, dp.Evaluate[dp.Void](`document.querySelector('[data-testid="password"]').select()`),
		dp.SendKeys(browser.ID("password"), w.people[0].Password+kb.Enter), browser.Gone(browser.ID("email")))
	// It leads to where one wanted to go.
	w.until("the page that was asked for", func() bool {
		at, err := browser.Eval[string](tab, `location.pathname + location.search`)
		return err == nil && at == "/register/assets?cover=none"
	})
}
